import { createHash } from 'node:crypto'
import { allocatePeriod, type PeriodResult } from '../../../core/allocatePeriod.ts'
import { CONVERTED_SCALE, rateParts } from '../../../core/money/convert.ts'
import { formatAmount } from '../../../core/money/amount.ts'
import { cellsOf, type Cell } from '../../../core/statements/cells.ts'
import { SCALE } from '../../../core/money/amount.ts'
import { poolTarget } from '../../../core/pools/distribute.ts'
import type { Pool } from '../../../core/types.ts'
import { outcomeTable } from '../../../core/workings/outcomeTable.ts'
import type { Database, Queries } from '../../db/database.ts'
import { conflict, invalid } from '../../refusal.ts'
import { plainDrivers } from '../drivers/store.ts'
import { closedMonths } from '../intake/takeLoad.ts'
import { needRates } from '../rates/store.ts'
import { readInputs } from './inputs.ts'
import { monthTables, preparedTable } from './ledger.ts'
import { writeOutcomes } from './outcomes.ts'

export interface RunTask { url: string; month: string; user: string }

/** Runs the latest rulebook over a month and writes the run with its workings. All of it in one transaction. */
export async function runPeriod(database: Database, { url, month, user }: RunTask): Promise<{ runId: number }> {
  const { bills, meterDays, earlierBills, rulebook, centres, rates, drivers, hash } = await readInputs(database, month)
  if ((await closedMonths(database, [month])).length > 0) throw conflict(`${month} is closed. Open the period again before running it.`)
  if (!rulebook) throw invalid('There is no published rulebook yet. Publish one first.')
  if (bills.length === 0) throw invalid(`There are no bills for ${month}. Load some in Intake first.`)
  const tables = await monthTables(database, url, month, { bills, meterDays, earlierBills })
  needRates(tables.table, rates, month)
  const { result, problems } = allocatePeriod({ month, table: preparedTable(tables, rulebook.rulebook), rulebook: rulebook.rulebook, centres, rates, drivers })
  const cells = cellsOf(result)
  return database.transaction(async (queries) => {
    const { insertId: runId } = await queries.run("INSERT INTO runs (month, rulebook_version, input_hash, result_hash, state, user_name, problems, centres, drivers) VALUES (?, ?, ?, ?, 'done', ?, ?, ?, ?)", [month, rulebook.version, hash, hashCells(cells), user, JSON.stringify(problems), JSON.stringify(centres), JSON.stringify(plainDrivers(drivers))])
    await writeOutcomes(queries, runId, outcomeTable(result))
    await writeCells(queries, runId, cells)
    await writeWeights(queries, runId, result, rulebook.rulebook.pools)
    await queries.insert('INSERT INTO run_bills (run_id, bill_id, months_back) VALUES ?', [bills, ...earlierBills].flatMap((of, monthsBack) => of.map((bill) => [runId, bill, monthsBack])))
    await queries.insert('INSERT INTO run_meter_days (run_id, measured_day_id) VALUES ?', meterDays.map((day) => [runId, day]))
    await queries.insert('INSERT INTO run_rates (run_id, currency, provider, rate) VALUES ?', [...rates].map(([name, rate]) => { const { currency, provider } = rateParts(name); return [runId, currency, provider, formatAmount(rate)] }))
    return { runId }
  })
}

export const hashCells = (cells: readonly Cell[]): string =>
  createHash('sha256').update(JSON.stringify(cells.map(({ amounts, ...cell }) => [Object.values(cell), String(amounts.billed), String(amounts.effective)]))).digest('hex')

async function writeCells(queries: Queries, runId: number, cells: readonly Cell[]): Promise<void> {
  await queries.insert('INSERT INTO run_cells (run_id, provider, currency, cost_centre, kind, line, billed_cost, effective_cost) VALUES ?',
    cells.map(({ provider, currency, costCentre, kind, line, amounts }) => [runId, provider, currency, costCentre, kind, line, formatAmount(amounts.billed), formatAmount(amounts.effective)]))
}

/** The weights that pools were shared by, those of other pools under `pool:<code>`. */
async function writeWeights(queries: Queries, runId: number, { shares, links }: PeriodResult, pools: readonly Pool[]): Promise<void> {
  const rows = new Map<string, (string | number)[]>()
  for (const { pool, target, weight, base } of [...shares.map((share) => ({ ...share, target: share.costCentre })), ...links.map((link) => ({ ...link, target: poolTarget(link.to) }))]) {
    const scale = weightScale(pools.find(({ code }) => code === pool)!)
    rows.set(`${pool} ${target}`, [runId, pool, target, formatAmount(weight, 0, scale), formatAmount(base, 0, scale)])
  }
  await queries.insert('INSERT INTO run_weights (run_id, pool, cost_centre, weight, base) VALUES ?', [...rows.values()])
}

/** Decimals of the integers that a pool's base counts in. */
function weightScale({ base }: Pool): number {
  if (base.kind === 'direct') return CONVERTED_SCALE
  // weights of a mix are integers in lowest terms
  return base.kind === 'fixed' || base.kind === 'driver' ? SCALE : 0
}
