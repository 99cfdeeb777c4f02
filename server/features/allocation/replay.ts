import { allocatePeriod } from '../../../core/allocatePeriod.ts'
import { cellsOf } from '../../../core/statements/cells.ts'
import type { CostCentre, Drivers } from '../../../core/types.ts'
import type { Database } from '../../db/database.ts'
import { notFound } from '../../refusal.ts'
import { driversOf } from '../drivers/store.ts'
import { readCentres } from '../organisation/store.ts'
import { rulebookVersion } from '../rulebook/store.ts'
import { monthTables, preparedTable, type MonthTables } from './ledger.ts'
import { hashCells } from './runPeriod.ts'
import { frozenRates } from './store.ts'

export interface Replay {
  runId: number
  version: number
  /** whether every figure came out as it was, to the last digit */
  isSame: boolean
  cells: number
  /** false for a run that did not keep its cost centres: today's were taken */
  hasOwnCentres: boolean
}

/** What a run read: its bills, those of the months that its clean-up looked back at, and its rulebook version. */
export async function runTables(database: Database, url: string, runId: number): Promise<{ tables: MonthTables; version: number; resultHash: string; centres: CostCentre[] | null; drivers: Drivers }> {
  const run = await database.first<{ month: string; version: number; resultHash: string; centres: string | null; drivers: string | null }>("SELECT month, rulebook_version AS version, result_hash AS resultHash, centres, drivers FROM runs WHERE id = ? AND state = 'done'", [runId])
  if (!run) throw notFound(`Run ${runId}`)
  const rows = await database.rows<{ bill: number; monthsBack: number }>('SELECT bill_id AS bill, months_back AS monthsBack FROM run_bills WHERE run_id = ? ORDER BY bill_id', [runId])
  const metered = await database.rows<{ id: number }>('SELECT measured_day_id AS id FROM run_meter_days WHERE run_id = ? ORDER BY measured_day_id', [runId])
  const deepest = Math.max(0, ...rows.map(({ monthsBack }) => monthsBack))
  const bills = Array.from({ length: deepest + 1 }, (_, back) => rows.filter(({ monthsBack }) => monthsBack === back).map(({ bill }) => bill))
  return { tables: await monthTables(database, url, run.month, { bills: bills[0]!, meterDays: metered.map(({ id }) => id), earlierBills: bills.slice(1) }), version: run.version, resultHash: run.resultHash, centres: run.centres === null ? null : JSON.parse(run.centres) as CostCentre[], drivers: driversOf(JSON.parse(run.drivers ?? '[]') as Parameters<typeof driversOf>[0]) }
}

/** Computes a former run anew from what it read, and compares every figure. Nothing is written. */
export async function replayRun(database: Database, url: string, runId: number): Promise<Replay> {
  const { tables, version, resultHash, centres, drivers } = await runTables(database, url, runId)
  const [rates, { rulebook }, today] = await Promise.all([frozenRates(database, runId), rulebookVersion(database, version).then((found) => found!), readCentres(database)])
  const { result } = allocatePeriod({ month: tables.month, table: preparedTable(tables, rulebook), rulebook, centres: centres ?? today, rates, drivers })
  const cells = cellsOf(result)
  return { runId, version, isSame: hashCells(cells) === resultHash, cells: cells.length, hasOwnCentres: centres !== null }
}
