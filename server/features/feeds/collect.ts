import { createHash, randomUUID } from 'node:crypto'
import { mkdir, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { addDays } from '../../../core/calendar/month.ts'
import { meterRows, parseExposition } from '../../../core/kubernetes/exposition.ts'
import { METER_COLUMNS } from '../../../core/kubernetes/meterReader.ts'
import { writeTable } from '../../csvTable.ts'
import type { Database } from '../../db/database.ts'
import { addLoad, findLoad } from '../intake/store.ts'
import { today } from '../periods/store.ts'
import { claimFeed, findFeed, releaseFeed, type Feed } from './store.ts'

export interface CollectParts { database: Database; spoolFolder: string; readLoad(loadId: number): Promise<void> }

/** Days collected at one go, so that a feed that was off for long does not hold up the rest. */
const MOST_DAYS = 31
const ANSWER_SECONDS = 30

/** Collects the days that are over since the last time, each as one load with the checks of any file. Tells what came of it. */
export async function collectFeed(parts: CollectParts, id: number): Promise<string> {
  const { database } = parts
  if (!(await claimFeed(database, id))) return 'It is being collected already.'
  let result = ''
  try {
    result = await collectDays(parts, (await findFeed(database, id))!)
  } catch (error) {
    result = error instanceof RangeError ? error.message : `The meter does not answer: ${(error as Error).message}`
  } finally {
    await releaseFeed(database, id, result)
  }
  return result
}

async function collectDays({ database, spoolFolder, readLoad }: CollectParts, feed: Feed): Promise<string> {
  const now = await today(database)
  let day = feed.nextDay
  let taken = 0
  for (; day < now && taken < MOST_DAYS; taken++) {
    const text = await readDay(feed, day)
    if (text === null) return `${taken} days taken; the meter has nothing for ${day} yet.`
    await mkdir(spoolFolder, { recursive: true })
    const path = join(spoolFolder, randomUUID())
    await writeFile(path, text)
    const loadId = await addLoad(database, `${feed.name} ${day}.csv`, path, createHash('sha256').update(text).digest('hex'), Buffer.byteLength(text), `feed ${feed.name}`)
    await readLoad(loadId)
    const load = await findLoad(database, loadId)
    if (!load || !['taken', 'unchanged', 'confirming'].includes(load.state)) throw new RangeError(`${taken} days taken; ${day} was refused, see load ${loadId}: ${load?.message ?? ''}`)
    day = addDays(day, 1)
    await database.run('UPDATE feeds SET next_day = ? WHERE id = ?', [day, feed.id])
  }
  return taken === 0 ? `Nothing to collect: ${day} is not over yet.` : `${taken} day${taken > 1 ? 's' : ''} taken, up to ${addDays(day, -1)}.`
}

/** The metering file of a day, from its twenty-four pages; null where none has a sample. */
async function readDay({ url }: Feed, day: string): Promise<string | null> {
  const columns = Object.keys(METER_COLUMNS)
  const rows: string[][] = []
  for (let hour = 0; hour < 24; hour++) {
    const stamp = `${day}T${String(hour).padStart(2, '0')}:00:00Z`
    const address = new URL(url)
    address.searchParams.set('hour', stamp)
    const reply = await fetch(address, { signal: AbortSignal.timeout(ANSWER_SECONDS * 1000) })
    if (!reply.ok) throw new RangeError(`The meter answered ${reply.status} for ${stamp}.`)
    for (const row of meterRows(parseExposition(await reply.text()), stamp)) rows.push(columns.map((column) => row[column as keyof typeof row] ?? ''))
  }
  return rows.length > 0 ? writeTable(columns, rows) : null
}
