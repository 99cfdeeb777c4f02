import { createHash } from 'node:crypto'
import { packTable, unpackTable, type PackedTable } from '../../../core/packed/packedTable.ts'
import type { Queries } from '../../db/database.ts'

/** What is measured by the day: metering by cluster, flows by their source. */
export type MeasuredKind = 'metering' | 'flows'

/** What a load brings of a subject's month against what was there; amounts are pod hours or gigabytes. */
export interface MeasuredChange {
  kind: MeasuredKind
  subject: string
  month: string
  newDays: number
  changedDays: number
  sameDays: number
  amount: number
  amountBefore: number
}

interface StoredDay { id: number; kind: MeasuredKind; subject: string; day: string; amount: number; contentHash: Buffer }
const STORED = 'SELECT id, kind, subject, day, amount, content_hash AS contentHash FROM measured_days'

export async function writeMeasuredDay(queries: Queries, loadId: number, kind: MeasuredKind, subject: string, day: string, things: number, amount: number, table: PackedTable): Promise<void> {
  const packed = Buffer.from(packTable(table))
  await queries.store('INSERT INTO measured_days (load_id, kind, subject, day, content_hash, things, amount, packed) VALUES (?, ?, ?, ?, ?, ?, ?, ?)', [loadId, kind, subject, day, createHash('sha256').update(packed).digest(), things, amount, packed])
}

/** The days of a month that are current, in the order of subject and day. */
export const currentDays = async (queries: Queries, kind: MeasuredKind, month: string): Promise<number[]> =>
  (await queries.rows<{ id: number }>("SELECT id FROM measured_days WHERE kind = ? AND day BETWEEN ? AND LAST_DAY(?) AND state = 'current' ORDER BY subject, day", [kind, `${month}-01`, `${month}-01`])).map(({ id }) => id)

export async function readMeasuredDays<Table>(queries: Queries, ids: readonly number[]): Promise<Table[]> {
  if (ids.length === 0) return []
  const rows = await queries.rows<{ packed: Buffer }>('SELECT packed FROM measured_days WHERE id IN (?) ORDER BY subject, day', [ids])
  return rows.map(({ packed }) => unpackTable(packed) as Table)
}

const arrivingDays = (queries: Queries, loadId: number): Promise<StoredDay[]> => queries.rows<StoredDay>(`${STORED} WHERE load_id = ? AND state = 'arriving' ORDER BY subject, day`, [loadId])
const currentOf = (queries: Queries, { kind, subject, day }: StoredDay, lock: string): Promise<StoredDay | undefined> =>
  queries.first<StoredDay>(`${STORED} WHERE kind = ? AND subject = ? AND day = ? AND state = 'current' ${lock}`, [kind, subject, day])

/** What the arriving days of a load would change, by subject and month. */
export async function compareMeasured(queries: Queries, loadId: number): Promise<MeasuredChange[]> {
  const changes = new Map<string, MeasuredChange>()
  for (const arriving of await arrivingDays(queries, loadId)) {
    const { kind, subject, day, amount, contentHash } = arriving
    const name = `${subject}\u0000${day.slice(0, 7)}`
    const change = changes.get(name) ?? { kind, subject, month: day.slice(0, 7), newDays: 0, changedDays: 0, sameDays: 0, amount: 0, amountBefore: 0 }
    changes.set(name, change)
    const current = await currentOf(queries, arriving, '')
    if (!current) change.newDays++
    else if (current.contentHash.equals(contentHash)) change.sameDays++
    else change.changedDays++
    change.amount += amount
    change.amountBefore += current?.amount ?? 0
  }
  return [...changes.values()]
}

/** Makes the days of a load the current ones; the caller's transaction. */
export async function takeMeasuredDays(queries: Queries, loadId: number): Promise<void> {
  for (const arriving of await arrivingDays(queries, loadId)) {
    const current = await currentOf(queries, arriving, 'FOR UPDATE')
    // the same figures stay where they are, so that runs which read them stay current
    if (current?.contentHash.equals(arriving.contentHash)) continue
    if (current) await queries.run("UPDATE measured_days SET state = 'replaced' WHERE id = ?", [current.id])
    await queries.run("UPDATE measured_days SET state = 'current' WHERE id = ?", [arriving.id])
    await queries.run('INSERT IGNORE INTO periods (month) VALUES (?)', [arriving.day.slice(0, 7)])
  }
  await queries.run("DELETE FROM measured_days WHERE load_id = ? AND state = 'arriving'", [loadId])
}
