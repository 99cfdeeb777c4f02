import { rm } from 'node:fs/promises'
import type { Database, Queries } from '../../db/database.ts'
import { compareBills, type BillChange } from './compareBills.ts'
import { compareMeasured, takeMeasuredDays, type MeasuredChange } from './measuredDays.ts'
import type { WarningCount } from './findings.ts'

export interface LoadReport {
  bills: BillChange[]
  /** what a file of metering or flows brings, by cluster or source and month */
  measured: MeasuredChange[]
  warnings: WarningCount[]
  /** mandatory columns of the standard that the file lacks and that accounting can do without */
  missingMandatory: string[]
  /** needed columns that are missing, with the proposal of a draft's name; the columns to choose from */
  mapping: { missing: Record<string, string | null>; unknown: string[]; provider: string } | null
}

export const emptyReport = (): LoadReport => ({ bills: [], measured: [], warnings: [], missingMandatory: [], mapping: null })

/** Ends a load that takes nothing: its lines go, its report stays. */
export async function endLoad(database: Database, loadId: number, state: 'unchanged' | 'refused' | 'cancelled' | 'failed', message: string, report: LoadReport): Promise<void> {
  const { spool_file: spoolFile } = (await database.first<{ spool_file: string | null }>('SELECT spool_file FROM loads WHERE id = ?', [loadId]))!
  await dropLines(database, loadId)
  // a refused file is kept while its columns can still be mapped by hand
  const keepsFile = state === 'refused' && report.mapping !== null
  await database.run('UPDATE loads SET state = ?, message = ?, report = ?, finished_at = NOW(3), spool_file = IF(?, spool_file, NULL) WHERE id = ?', [state, message, JSON.stringify(report), keepsFile, loadId])
  if (spoolFile && !keepsFile) await rm(spoolFile, { force: true })
}

/** Deletes the lines of bills and the measured days that never became current, in pieces that keep transactions small. */
export async function dropLines(database: Database, loadId: number): Promise<void> {
  await database.run("DELETE FROM measured_days WHERE load_id = ? AND state = 'arriving'", [loadId])
  const bills = await database.rows<{ id: number }>("SELECT id FROM bills WHERE load_id = ? AND state = 'arriving'", [loadId])
  for (const { id } of bills) {
    for (const table of ['charges', 'bill_sums', 'bill_days']) {
      while ((await database.run(`DELETE FROM ${table} WHERE bill_id = ? LIMIT 50000`, [id])).affectedRows > 0) continue
    }
    await database.run("DELETE FROM bills WHERE id = ? AND state = 'arriving'", [id])
  }
}

/** In a transaction they stay as they are until its end: a month is not closed while something is written to it. */
export const closedMonths = async (queries: Queries, months: readonly string[]): Promise<string[]> =>
  (await queries.rows<{ month: string }>("SELECT month FROM periods WHERE state = 'closed' AND month IN (?) ORDER BY month LOCK IN SHARE MODE", [months.length > 0 ? months : ['']])).map(({ month }) => month)

/** Decides what becomes of a load that has been read without a refusal. */
export async function settleLoad(database: Database, loadId: number, report: LoadReport): Promise<void> {
  report.bills = await compareBills(database, loadId)
  report.measured = await compareMeasured(database, loadId)
  const changed = changedMonths(report)
  if (changed.length === 0) return endLoad(database, loadId, 'unchanged', 'Every line of the file is in the ledger already; nothing changed.', report)
  const closed = await closedMonths(database, changed)
  if (closed.length > 0) {
    return endLoad(database, loadId, 'refused', `The file changes ${closed.join(', ')}, which is closed. Open the period again, or leave the file for the next one.`, report)
  }
  const needsConfirmation = report.bills.some(({ kind }) => kind === 'restates') || report.measured.some(({ changedDays }) => changedDays > 0)
  await database.run('UPDATE loads SET report = ?, state = ? WHERE id = ?', [JSON.stringify(report), needsConfirmation ? 'confirming' : 'reading', loadId])
  if (!needsConfirmation) await takeBills(database, loadId)
}

/** The months in which a load changes anything. */
const changedMonths = ({ bills, measured }: LoadReport): string[] =>
  [...new Set([...bills.filter(({ kind }) => kind !== 'same').map(({ month }) => month), ...measured.filter(({ newDays, changedDays }) => newDays + changedDays > 0).map(({ month }) => month)])].sort()

export class LoadConflict extends Error {}

/**
 * Makes the bills and measured days of the load the current ones, all in one transaction. Refuses where another load has changed what
 * the comparison was made against; then the comparison is made again and shown.
 */
export async function takeBills(database: Database, loadId: number): Promise<void> {
  const spoolFile = await database.transaction(async (queries) => {
    const load = await queries.first<{ state: string; report: string; spool_file: string | null }>('SELECT state, report, spool_file FROM loads WHERE id = ? FOR UPDATE', [loadId])
    if (!load || !['reading', 'confirming'].includes(load.state)) throw new LoadConflict('The load is no longer waiting: it was taken or discarded by somebody else.')
    const report = JSON.parse(load.report) as LoadReport
    const closed = await closedMonths(queries, changedMonths(report))
    if (closed.length > 0) throw new LoadConflict(`${closed.join(', ')} has been closed since.`)
    for (const { billId, currentId, provider, account, month } of report.bills) {
      const current = await queries.first<{ id: number }>("SELECT id FROM bills WHERE provider = ? AND billing_account = ? AND month = ? AND state = 'current' FOR UPDATE", [provider, account, month])
      if ((current?.id ?? null) !== currentId) throw new LoadConflict(`Another load has changed ${provider} ${month} in the meantime. Discard this one and load the file again.`)
      if (currentId !== null) await queries.run("UPDATE bills SET state = 'replaced' WHERE id = ?", [currentId])
      await queries.run("UPDATE bills SET state = 'current', taken_at = NOW(3), restates = ? WHERE id = ?", [currentId, billId])
      await queries.run('INSERT IGNORE INTO periods (month) VALUES (?)', [month])
    }
    await takeMeasuredDays(queries, loadId)
    await queries.run("UPDATE loads SET state = 'taken', finished_at = NOW(3), spool_file = NULL, message = NULL WHERE id = ?", [loadId])
    return load.spool_file
  })
  if (spoolFile) await rm(spoolFile, { force: true })
}
