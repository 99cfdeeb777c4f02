import { rm, stat } from 'node:fs/promises'
import { createConnection, type Connection } from 'mysql2/promise'
import type { ColumnMap } from '../../../core/charges/head.ts'
import { isFlowHead } from '../../../core/network/flows.ts'
import { isMeterHead } from '../../../core/kubernetes/meterReader.ts'
import { connectionOptions, openDatabase, type Database } from '../../db/database.ts'
import { readMetering } from '../kubernetes/load.ts'
import { readFlows } from '../network/load.ts'
import { ChargeWriter } from './chargeWriter.ts'
import type { ReadProgress } from './fileBytes.ts'
import { writeMeasuredDay } from './measuredDays.ts'
import { Findings } from './findings.ts'
import { isParquet, unpackParquet } from './parquet.ts'
import { peek, readLoad } from './readLoad.ts'
import { emptyReport, endLoad, settleLoad, type LoadReport } from './takeLoad.ts'

/** Connections that write charge lines side by side. */
const LANES = 2

interface LoadRow { id: number; spool_file: string; file_hash: string; file_name: string }

class Cancelled extends Error {}

/** Reads one waiting load to its end: taken, waiting for confirmation, unchanged, refused, cancelled or failed. */
export async function runLoad({ url, loadId }: { url: string; loadId: number }): Promise<void> {
  const database = openDatabase(url, 3)
  try {
    const claimed = await database.run("UPDATE loads SET state = 'reading', heartbeat_at = NOW(3), read_bytes = 0, read_lines = 0, refused_lines = 0 WHERE id = ? AND state = 'waiting'", [loadId])
    if (claimed.affectedRows === 0) return
    const load = (await database.first<LoadRow>('SELECT id, spool_file, file_hash, file_name FROM loads WHERE id = ?', [loadId]))!
    await read(database, url, load)
  } finally {
    await database.close()
  }
}

async function read(database: Database, url: string, load: LoadRow): Promise<void> {
  const report = emptyReport()
  const twin = await sameFile(database, load)
  if (twin) return endLoad(database, load.id, 'unchanged', `The same file was taken before, as load ${twin}; nothing changed.`, report)
  try {
    await readInto(database, url, load, report)
  } catch (error) {
    if (error instanceof Cancelled) return endLoad(database, load.id, 'cancelled', 'Cancelled; nothing was taken.', report)
    const known = describeFailure(error)
    await endLoad(database, load.id, known ? 'refused' : 'failed', known ?? 'The file could not be read because of an error in the program or the database; nothing was taken. Try again.', report)
    if (!known) throw error
  }
}

/** A load with the same bytes all of whose bills and measured days still stand. */
async function sameFile(database: Database, { id, file_hash: hash }: LoadRow): Promise<number | null> {
  const twin = await database.first<{ id: number }>(
    `SELECT l.id FROM loads l WHERE l.file_hash = ? AND l.id <> ? AND l.state = 'taken'
       AND NOT EXISTS (SELECT 1 FROM bills b WHERE b.load_id = l.id AND b.state <> 'current')
       AND NOT EXISTS (SELECT 1 FROM measured_days m WHERE m.load_id = l.id AND m.state <> 'current')
       AND EXISTS (SELECT 1 FROM bills b WHERE b.load_id = l.id UNION ALL SELECT 1 FROM measured_days m WHERE m.load_id = l.id) LIMIT 1`, [hash, id])
  return twin?.id ?? null
}

/** The columns mapped by hand for the provider that the first row names under that very mapping. */
async function mapFor(database: Database, { names, first }: { names: string[]; first: string[] }): Promise<{ map: ColumnMap; provider: string }> {
  const rows = await database.rows<{ provider: string; source_column: string; target_column: string }>('SELECT provider, source_column, target_column FROM column_maps')
  const byProvider = new Map<string, Record<string, string>>()
  for (const { provider, source_column: source, target_column: target } of rows) byProvider.set(provider, { ...byProvider.get(provider), [source]: target })
  const providerUnder = (map: ColumnMap): string => first[names.findIndex((name) => (map[name.trim()] ?? name.trim()) === 'ProviderName')] ?? ''
  for (const [provider, map] of byProvider) if (providerUnder(map) === provider) return { map, provider }
  return { map: {}, provider: providerUnder({}) || first[names.findIndex((name) => name.trim() === 'Provider')] || '' }
}

/** Tells the database how far a load is, a few times a second, and stops it where somebody asked for that. */
function reporter(database: Database, load: LoadRow, findings: Findings): { save(bytes: number, lines: number): Promise<void>; progress(state: ReadProgress): Promise<void> } {
  const begun = Date.now()
  let reported = 0
  const save = async (bytes: number, lines: number): Promise<void> => {
    await findings.save(database)
    await database.run('UPDATE loads SET read_bytes = ?, read_lines = ?, refused_lines = ?, seconds = ?, heartbeat_at = NOW(3) WHERE id = ?', [bytes, lines, findings.refusedLines, (Date.now() - begun) / 1000, load.id])
    const row = await database.first<{ cancel_asked: number }>('SELECT cancel_asked FROM loads WHERE id = ?', [load.id])
    if (row?.cancel_asked) throw new Cancelled()
  }
  return {
    save,
    progress: async ({ bytes, lines }) => {
      if (Date.now() - reported < 400) return
      reported = Date.now()
      await save(bytes, lines)
    },
  }
}

async function readInto(database: Database, url: string, load: LoadRow, report: LoadReport): Promise<void> {
  if (!(await isParquet(load.spool_file))) return readRows(database, url, load, report)
  const unpacked = await unpackParquet(load.spool_file)
  try {
    await readRows(database, url, { ...load, spool_file: unpacked }, report)
  } finally {
    await rm(unpacked, { force: true })
  }
}

async function readRows(database: Database, url: string, load: LoadRow, report: LoadReport): Promise<void> {
  const start = await peek(load.spool_file)
  const findings = new Findings(load.id)
  if (isMeterHead(start.names)) await readMeasuredInto(database, load, report, findings, 'metering')
  else if (isFlowHead(start.names)) await readMeasuredInto(database, load, report, findings, 'flows')
  else await readBillsInto(database, url, load, report, findings, await mapFor(database, start))
}

/** Ends a load that has nothing to take, for what its rows say; false where it can be taken. */
async function endEmpty(database: Database, load: LoadRow, report: LoadReport, findings: Findings, lines: number, what: string, hasHead: boolean): Promise<boolean> {
  if (lines === 0) await endLoad(database, load.id, 'refused', hasHead ? `The file has a head but no ${what}.` : 'The file is empty.', report)
  else if (findings.isRefused) await endLoad(database, load.id, 'refused', `${findings.refusedLines} of ${lines} lines are refused, so nothing was taken. Mend them in the export and load the file again.`, report)
  else return false
  return true
}

/** A file of metering or flows: its days are kept once all rows have been read without a refusal. */
async function readMeasuredInto(database: Database, load: LoadRow, report: LoadReport, findings: Findings, kind: 'metering' | 'flows'): Promise<void> {
  await database.run('UPDATE loads SET kind = ? WHERE id = ?', [kind, load.id])
  const { save, progress } = reporter(database, load, findings)
  const { problems, lines, write } = kind === 'metering' ? await readMetering(load.spool_file, findings, progress) : await readFlows(load.spool_file, findings, progress)
  report.warnings = findings.warningCounts()
  if (problems.length > 0) return endLoad(database, load.id, 'refused', problems.map(({ message }) => message).join(' '), report)
  if (!findings.isRefused) await write((subject, day, things, amount, table) => writeMeasuredDay(database, load.id, kind, subject, day, things, amount, table))
  await save((await stat(load.spool_file)).size, lines)
  if (!(await endEmpty(database, load, report, findings, lines, 'rows', true))) await settleLoad(database, load.id, report)
}

async function readBillsInto(database: Database, url: string, load: LoadRow, report: LoadReport, findings: Findings, { map, provider }: { map: ColumnMap; provider: string }): Promise<void> {
  const connections = await Promise.all(Array.from({ length: LANES + 1 }, () => createConnection(connectionOptions(url))))
  const [descriptions, ...lanes] = connections as [Connection, ...Connection[]]
  const writer = new ChargeWriter(lanes, descriptions, load.id)
  const { save, progress } = reporter(database, load, findings)
  try {
    const { head, lines } = await readLoad(load.spool_file, map, writer, findings, progress)
    report.warnings = findings.warningCounts()
    report.missingMandatory = head?.missingMandatory ?? []
    if (head && head.problems.length > 0) {
      report.mapping = { missing: head.proposals, unknown: head.unknown, provider }
      return await endLoad(database, load.id, 'refused', head.problems.map(({ message }) => message).join(' '), report)
    }
    if (lines > 0 && !findings.isRefused) await writer.finish()
    await save((await stat(load.spool_file)).size, lines)
    if (!(await endEmpty(database, load, report, findings, lines, 'charge lines', head !== null))) await settleLoad(database, load.id, report)
  } finally {
    for (const connection of connections) connection.destroy()
  }
}

/** Failures that are the file's: what to tell the person. */
function describeFailure(error: unknown): string | null {
  const { code, message } = error as { code?: string; message: string }
  if (error instanceof RangeError) return `The file cannot be read: ${message}.`
  if (code?.startsWith('Z_') || message.includes('incorrect header check')) return `The compressed file is damaged or cut short (${message}). Send it again.`
  if (code === 'ENOSPC' || code === 'ER_DISK_FULL' || code === 'ER_RECORD_FILE_FULL') return 'The disk of the database is full; nothing was taken. Free some space and load the file again.'
  return null
}
