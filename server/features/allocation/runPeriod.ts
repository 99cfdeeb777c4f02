import { createHash } from 'node:crypto'
import { Readable } from 'node:stream'
import { allocatePeriod, type PeriodResult } from '../../../core/allocatePeriod.ts'
import { CONVERTED_SCALE, MissingRate } from '../../../core/money/convert.ts'
import { formatAmount } from '../../../core/money/amount.ts'
import { cellsOf, type Cell } from '../../../core/statements/cells.ts'
import { SCALE } from '../../../core/money/amount.ts'
import type { Pool } from '../../../core/types.ts'
import type { Database } from '../../db/database.ts'
import { conflict, invalid } from '../../refusal.ts'
import { closedMonths } from '../intake/takeLoad.ts'
import { readInputs } from './inputs.ts'
import { readKeysOf } from './ledger.ts'

export interface RunTask { url: string; month: string; user: string }

/** Runs the latest rulebook over a month and writes the run with its workings. It stands only once all of it is written. */
export async function runPeriod(database: Database, { url, month, user }: RunTask): Promise<{ runId: number }> {
  const { bills, rulebook, centres, rates, hash } = await readInputs(database, month)
  if ((await closedMonths(database, [month])).length > 0) throw conflict(`${month} is closed. Open the period again before running it.`)
  if (!rulebook) throw invalid('There is no published rulebook yet. Publish one first.')
  if (bills.length === 0) throw invalid(`There are no bills for ${month}. Load some in Intake first.`)
  const keys = await readKeysOf(database, url, bills)
  const missing = [...new Set(keys.map(({ attributes }) => attributes.BillingCurrency!))].filter((currency) => !rates.has(currency))
  if (missing.length > 0) throw invalid(`There is no exchange rate for ${missing.join(', ')} in ${month}. Enter it in Intake, then run again.`)
  const { result, problems } = tellMissingRate(() => allocatePeriod({ month, keys, rulebook: rulebook.rulebook, centres, rates }))
  const cells = cellsOf(result)
  const made = await database.run('INSERT INTO runs (month, rulebook_version, input_hash, user_name, problems) VALUES (?, ?, ?, ?, ?)', [month, rulebook.version, hash, user, JSON.stringify(problems)])
  const runId = made.insertId
  await writeKeys(database, runId, result)
  await writeCells(database, runId, cells)
  await writeWeights(database, runId, result, rulebook.rulebook.pools)
  await database.insert('INSERT INTO run_bills (run_id, bill_id) VALUES ?', bills.map((bill) => [runId, bill]))
  await database.insert('INSERT INTO run_rates (run_id, currency, rate) VALUES ?', [...rates].map(([currency, rate]) => [runId, currency, formatAmount(rate)]))
  await database.run("UPDATE runs SET state = 'done', result_hash = ? WHERE id = ?", [hashCells(cells), runId])
  return { runId }
}

function tellMissingRate<T>(work: () => T): T {
  try {
    return work()
  } catch (error) {
    if (error instanceof MissingRate) throw invalid(`There is no exchange rate for ${error.currency}.`)
    throw error
  }
}

const hashCells = (cells: readonly Cell[]): string =>
  createHash('sha256').update(JSON.stringify(cells.map(({ amounts, ...cell }) => [Object.values(cell), String(amounts.billed), String(amounts.effective)]))).digest('hex')

async function writeKeys(database: Database, runId: number, { outcomes }: PeriodResult): Promise<void> {
  const kinds = { costCentre: 'direct', pool: 'pool', unassigned: 'unassigned' } as const
  const order = [...outcomes].sort((a, b) => (a.kind === b.kind ? (a.target === b.target ? a.key.id - b.key.id : a.target < b.target ? -1 : 1) : a.kind < b.kind ? -1 : 1))
  const lines = order.map(({ key, rule, kind, target }) =>
    `${runId}\t${kinds[kind]}\t${target}\t${key.id}\t${rule}\t${key.lines}\t${formatAmount(key.amounts.billed)}\t${formatAmount(key.amounts.effective)}\n`)
  const text = Buffer.from(lines.join(''))
  await database.connection((connection) => connection.query({
    sql: "LOAD DATA LOCAL INFILE 'keys' INTO TABLE run_keys CHARACTER SET utf8mb4 (run_id, kind, target, key_id, rule, line_count, billed_cost, effective_cost)",
    infileStreamFactory: () => Readable.from([text]),
  }))
}

async function writeCells(database: Database, runId: number, cells: readonly Cell[]): Promise<void> {
  await database.insert('INSERT INTO run_cells (run_id, provider, currency, cost_centre, kind, line, billed_cost, effective_cost) VALUES ?',
    cells.map(({ provider, currency, costCentre, kind, line, amounts }) => [runId, provider, currency, costCentre, kind, line, formatAmount(amounts.billed), formatAmount(amounts.effective)]))
}

async function writeWeights(database: Database, runId: number, { shares }: PeriodResult, pools: readonly Pool[]): Promise<void> {
  const rows = new Map<string, (string | number)[]>()
  for (const { pool, costCentre, weight, base } of shares) {
    const scale = weightScale(pools.find(({ code }) => code === pool)!)
    rows.set(`${pool} ${costCentre}`, [runId, pool, costCentre, formatAmount(weight, 0, scale), formatAmount(base, 0, scale)])
  }
  await database.insert('INSERT INTO run_weights (run_id, pool, cost_centre, weight, base) VALUES ?', [...rows.values()])
}

/** Decimals of the integers that a pool's base counts in. */
function weightScale({ base }: Pool): number {
  if (base.kind === 'direct') return CONVERTED_SCALE
  return base.kind === 'fixed' ? SCALE : 0
}
