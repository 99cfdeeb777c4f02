import { AmountColumns, packTable } from '../../core/packed/packedTable.ts'
import type { OutcomeHead, OutcomeKind, OutcomeTable } from '../../core/workings/outcomeTable.ts'
import { COSTS, costOf, emptySums, writeBillSums } from '../features/intake/billSums.ts'
import { storedAmount } from '../../core/money/amount.ts'
import type { Database } from './database.ts'

/**
 * Completes migration 2 with what SQL alone cannot do: sums of bills are packed from their lines, outcomes of runs from
 * the rows they used to be kept in. What is packed already stays; the old tables go last, so that a start that is cut
 * short begins again where it stopped.
 */
export async function repack(database: Database): Promise<void> {
  const bills = await database.rows<{ id: number }>("SELECT id FROM bills b WHERE state <> 'arriving' AND NOT EXISTS (SELECT 1 FROM bill_sums s WHERE s.bill_id = b.id) AND EXISTS (SELECT 1 FROM charges c WHERE c.bill_id = b.id)")
  for (const { id } of bills) await packBill(database, id)
  if (!(await database.first("SHOW TABLES LIKE 'run_keys'"))) return
  const runs = await database.rows<{ id: number }>('SELECT id FROM runs r WHERE NOT EXISTS (SELECT 1 FROM run_outcomes o WHERE o.run_id = r.id)')
  for (const { id } of runs) await packRun(database, id)
  await database.run('DROP TABLE run_keys')
  await database.run('DROP TABLE bill_keys')
}

async function packBill(database: Database, bill: number): Promise<void> {
  const rows = await database.rows<Record<string, string>>(
    `SELECT key_id, COUNT(*) AS \`lines\`, ${COSTS.map((cost) => `SUM(${cost}_cost) AS ${cost}`).join(', ')} FROM charges WHERE bill_id = ? GROUP BY key_id ORDER BY key_id`, [bill])
  const sums = emptySums(rows.length)
  rows.forEach((row, index) => {
    sums.columns.key[index] = Number(row.key_id)
    sums.columns.lines[index] = Number(row.lines)
    for (const cost of COSTS) costOf(sums, cost).put(index, storedAmount(row[cost]!))
  })
  await database.connection((connection) => writeBillSums(connection, bill, sums))
}

interface OldRow { kind: OutcomeKind; target: string; key_id: number; rule: number; line_count: number; billed_cost: string; effective_cost: string; provider: string; currency: string; service: string }

async function packRun(database: Database, run: number): Promise<void> {
  const rows = await database.rows<OldRow>('SELECT r.*, k.provider, k.currency, k.service FROM run_keys r JOIN charge_keys k ON k.id = r.key_id WHERE run_id = ? ORDER BY r.kind, r.target, r.key_id', [run])
  if (rows.length === 0) return
  const targets: OutcomeHead['targets'] = []
  const groups: OutcomeHead['groups'] = []
  const numberIn = <T>(list: T[], thing: T): number => {
    const name = JSON.stringify(thing)
    const found = list.findIndex((known) => JSON.stringify(known) === name)
    return found >= 0 ? found : list.push(thing) - 1
  }
  const [billed, effective] = (['billed_cost', 'effective_cost'] as const).map((column) => AmountColumns.of(rows.map((row) => storedAmount(row[column]))))
  const table: OutcomeTable = {
    rows: rows.length, head: { targets, groups }, columns: {
      key: Uint32Array.from(rows, ({ key_id: key }) => key), rule: Int32Array.from(rows, ({ rule }) => rule), lines: Uint32Array.from(rows, ({ line_count: lines }) => lines),
      target: Uint32Array.from(rows, ({ kind, target }) => numberIn(targets, { kind, target })), group: Uint32Array.from(rows, ({ provider, currency, service }) => numberIn(groups, { provider, currency, service })),
      billed: billed!.wholes, billedFraction: billed!.fractions, effective: effective!.wholes, effectiveFraction: effective!.fractions,
    },
  }
  await database.store('INSERT INTO run_outcomes (run_id, part, packed) VALUES (?, 0, ?)', [run, Buffer.from(packTable(table))])
}
