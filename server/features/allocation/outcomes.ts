import { packTable, unpackTable, type PackedTable } from '../../../core/packed/packedTable.ts'
import type { Amounts } from '../../../core/types.ts'
import { filterOutcomes, wholeOf, type OutcomeRow, type OutcomeTable } from '../../../core/workings/outcomeTable.ts'
import type { KeyFilter } from '../../../core/workings/keyFilter.ts'
import type { Queries } from '../../db/database.ts'

/** Rows a part: some five megabytes. */
const ROWS_A_PART = 100_000

/** A bill that a run read, and the file it came with. */
export interface RunBill { id: number; file: string; loadId: number }
interface RunRecord { parts: OutcomeTable[]; bills: RunBill[]; divided?: Map<number, 'rule' | 'parts'> }

/** Runs never change, so the last ones asked for are kept. */
const MOST_KEPT = 8
const kept = new WeakMap<object, Map<number, Promise<RunRecord>>>()

export async function writeOutcomes(queries: Queries, runId: number, { rows, head, columns }: OutcomeTable): Promise<void> {
  for (let part = 0; part * ROWS_A_PART < rows; part++) {
    const [from, to] = [part * ROWS_A_PART, Math.min((part + 1) * ROWS_A_PART, rows)]
    const some = Object.fromEntries(Object.entries(columns).map(([name, column]) => [name, column.subarray(from, to)])) as OutcomeTable['columns']
    await queries.store('INSERT INTO run_outcomes (run_id, part, packed) VALUES (?, ?, ?)', [runId, part, Buffer.from(packTable({ rows: to - from, head, columns: some } as PackedTable))])
  }
}

async function read(queries: Queries, runId: number): Promise<RunRecord> {
  const [parts, bills] = await Promise.all([
    queries.rows<{ packed: Buffer }>('SELECT packed FROM run_outcomes WHERE run_id = ? ORDER BY part', [runId]),
    queries.rows<RunBill>('SELECT b.id, l.file_name AS file, l.id AS loadId FROM run_bills r JOIN bills b ON b.id = r.bill_id JOIN loads l ON l.id = b.load_id WHERE r.run_id = ? AND r.months_back = 0 ORDER BY b.id', [runId]),
  ])
  return { parts: parts.map(({ packed }) => unpackTable(packed) as OutcomeTable), bills }
}

function recordOf(queries: Queries, runId: number): Promise<RunRecord> {
  const cache = kept.get(queries) ?? new Map<number, Promise<RunRecord>>()
  kept.set(queries, cache)
  const record = cache.get(runId) ?? read(queries, runId)
  cache.delete(runId)
  cache.set(runId, record)
  record.catch(() => cache.delete(runId))
  if (cache.size > MOST_KEPT) cache.delete(cache.keys().next().value!)
  return record
}

/** What became of the keys that the filter leaves, by rising key. */
export const readOutcomes = async (queries: Queries, runId: number, filter: KeyFilter): Promise<OutcomeRow[]> =>
  (await recordOf(queries, runId)).parts.flatMap((part) => filterOutcomes(part, filter)).sort((a, b) => a.key - b.key)

/** The bills that the run read. */
export const readRunBills = async (queries: Queries, runId: number): Promise<RunBill[]> => (await recordOf(queries, runId)).bills

/** Keys that went more than one way. `parts`: metering or a classification divided it before the rules did, so percentages of rules are of its parts. */
export async function dividedKeys(queries: Queries, runId: number): Promise<ReadonlyMap<number, 'rule' | 'parts'>> {
  const record = await recordOf(queries, runId)
  return (record.divided ??= divisionsOf(record.parts))
}

function divisionsOf(tables: readonly OutcomeTable[]): Map<number, 'rule' | 'parts'> {
  const [seen, divided] = [new Set<number>(), new Map<number, 'rule' | 'parts'>()]
  for (const { columns } of tables) {
    const { part } = columns as { part?: ArrayLike<number> }
    columns.key.forEach((key, row) => {
      if ((part?.[row] ?? 0) > 0) divided.set(key, 'parts')
      else if (seen.has(key) && !divided.has(key)) divided.set(key, 'rule')
      seen.add(key)
    })
  }
  return divided
}

/** What some keys cost in all. */
export async function wholeAmounts(queries: Queries, runId: number, keys: ReadonlySet<number>): Promise<Map<number, Amounts>> {
  const sums = new Map<number, Amounts>()
  // the rows of a key may lie in several parts of the record
  for (const part of (await recordOf(queries, runId)).parts) {
    for (const [key, { billed, effective }] of wholeOf(part, keys)) {
      const sum = sums.get(key) ?? { billed: 0n, effective: 0n }
      sums.set(key, { billed: sum.billed + billed, effective: sum.effective + effective })
    }
  }
  return sums
}
