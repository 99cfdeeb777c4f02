import type { Queries } from '../../db/database.ts'

/** A meter that is asked for each hour of the days that are over. */
export interface Feed {
  id: number
  name: string
  /** address of its page of metrics; the hour is added as `hour=` */
  url: string
  /** when it is collected, as minute, hour, day, month and weekday in UTC */
  schedule: string
  enabled: boolean
  /** the next UTC day to collect */
  nextDay: string
  lastRun: string | null
  lastResult: string
}

const FEED = 'SELECT id, name, url, schedule, enabled, next_day AS nextDay, last_run AS lastRun, last_result AS lastResult FROM feeds'
const feedOf = (row: Feed): Feed => ({ ...row, enabled: Boolean(row.enabled) })

export const listFeeds = async (queries: Queries): Promise<Feed[]> => (await queries.rows<Feed>(`${FEED} ORDER BY name`)).map(feedOf)
export async function findFeed(queries: Queries, id: number): Promise<Feed | null> {
  const row = await queries.first<Feed>(`${FEED} WHERE id = ?`, [id])
  return row ? feedOf(row) : null
}

type Given = Pick<Feed, 'name' | 'url' | 'schedule' | 'enabled' | 'nextDay'>
export const addFeed = async (queries: Queries, { name, url, schedule, enabled, nextDay }: Given): Promise<number> =>
  (await queries.run('INSERT INTO feeds (name, url, schedule, enabled, next_day) VALUES (?, ?, ?, ?, ?)', [name, url, schedule, enabled, nextDay])).insertId
export const changeFeed = (queries: Queries, id: number, { name, url, schedule, enabled, nextDay }: Given): Promise<unknown> =>
  queries.run('UPDATE feeds SET name = ?, url = ?, schedule = ?, enabled = ?, next_day = ? WHERE id = ?', [name, url, schedule, enabled, nextDay, id])

/** Whoever gets true collects; a claim that was left by a server that died falls after ten minutes. */
export const claimFeed = async (queries: Queries, id: number): Promise<boolean> =>
  (await queries.run('UPDATE feeds SET claimed_at = NOW(3) WHERE id = ? AND (claimed_at IS NULL OR claimed_at < NOW(3) - INTERVAL 10 MINUTE)', [id])).affectedRows === 1
export const releaseFeed = (queries: Queries, id: number, result: string): Promise<unknown> =>
  queries.run('UPDATE feeds SET claimed_at = NULL, last_run = NOW(3), last_result = ? WHERE id = ?', [result.slice(0, 1000), id])
