import type { Queries } from '../../db/database.ts'
import type { LoadReport } from './takeLoad.ts'

export type LoadState = 'waiting' | 'reading' | 'confirming' | 'taken' | 'unchanged' | 'refused' | 'cancelled' | 'failed'

export interface Load {
  id: number
  fileName: string
  kind: 'bills' | 'metering' | 'flows'
  hash: string
  bytes: number
  user: string
  state: LoadState
  created: string
  finished: string | null
  readBytes: number
  readLines: number
  refusedLines: number
  seconds: number
  message: string | null
  report: LoadReport | null
}

const LOAD = `SELECT id, file_name AS fileName, kind, file_hash AS hash, file_bytes + 0 AS bytes, user_name AS user, state, created_at AS created, finished_at AS finished,
  read_bytes + 0 AS readBytes, read_lines + 0 AS readLines, refused_lines + 0 AS refusedLines, seconds + 0e0 AS seconds, message, report FROM loads`

const loadOf = (row: Load & { report: unknown }): Load => ({
  ...row, bytes: Number(row.bytes), readBytes: Number(row.readBytes), readLines: Number(row.readLines), refusedLines: Number(row.refusedLines), seconds: Number(row.seconds),
  report: typeof row.report === 'string' ? (JSON.parse(row.report) as LoadReport) : null,
})

export async function findLoad(queries: Queries, id: number): Promise<Load | null> {
  const row = await queries.first<Load>(`${LOAD} WHERE id = ?`, [id])
  return row ? loadOf(row) : null
}

export async function listLoads(queries: Queries, before: number, limit: number): Promise<Load[]> {
  return (await queries.rows<Load>(`${LOAD} WHERE id < ? ORDER BY id DESC LIMIT ?`, [before, limit])).map(loadOf)
}

export interface FindingRow { line: number; rule: string; column: string; value: string; reason: string }
export const listFindings = (queries: Queries, id: number, after: number, limit: number): Promise<(FindingRow & { seq: number })[]> =>
  queries.rows('SELECT seq, line, rule, column_name AS `column`, value, reason FROM load_findings WHERE load_id = ? AND seq > ? ORDER BY seq LIMIT ?', [id, after, limit])

export async function addLoad(queries: Queries, fileName: string, spoolFile: string, hash: string, bytes: number, user: string): Promise<number> {
  return (await queries.run('INSERT INTO loads (file_name, spool_file, file_hash, file_bytes, user_name) VALUES (?, ?, ?, ?, ?)', [fileName.slice(0, 400), spoolFile, hash, bytes, user])).insertId
}
