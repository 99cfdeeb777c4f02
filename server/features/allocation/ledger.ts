import { storedAmount } from '../../../core/money/amount.ts'
import type { KeyFigures } from '../../../core/types.ts'
import type { Queries } from '../../db/database.ts'

type Attributes = Readonly<Record<string, string>>

/** Attributes of keys never change, so they are kept between tasks; beyond this many the cache starts afresh. */
const MOST_CACHED = 600_000
const attributesOf = new Map<number, Attributes>()
let cachedFor = ''

interface SumRow { id: number; lines: string; billed: string; effective: string }

export async function readAttributes(queries: Queries, database: string, ids: readonly number[]): Promise<Map<number, Attributes>> {
  if (cachedFor !== database || attributesOf.size > MOST_CACHED) attributesOf.clear()
  cachedFor = database
  const unknown = ids.filter((id) => !attributesOf.has(id))
  for (let at = 0; at < unknown.length; at += 5_000) {
    const rows = await queries.rows<{ id: number; attributes: string }>('SELECT id, attributes FROM charge_keys WHERE id IN (?)', [unknown.slice(at, at + 5_000)])
    for (const { id, attributes } of rows) attributesOf.set(id, JSON.parse(attributes) as Attributes)
  }
  return attributesOf
}

/** The keys with charges in the bills, with their exact sums, in the order of their numbers. */
export async function readKeysOf(queries: Queries, database: string, bills: readonly number[]): Promise<KeyFigures[]> {
  if (bills.length === 0) return []
  const sums = await queries.rows<SumRow>(
    `SELECT key_id AS id, SUM(line_count) AS \`lines\`, SUM(billed_cost) AS billed, SUM(effective_cost) AS effective
     FROM bill_keys WHERE bill_id IN (?) GROUP BY key_id ORDER BY key_id`, [bills])
  const attributes = await readAttributes(queries, database, sums.map(({ id }) => id))
  return sums.map(({ id, lines, billed, effective }) => ({
    id, attributes: attributes.get(id)!, lines: Number(lines), amounts: { billed: storedAmount(billed), effective: storedAmount(effective) },
  }))
}

/** The same for the bills of a month that are current now. */
export async function readKeys(queries: Queries, database: string, month: string): Promise<KeyFigures[]> {
  const bills = await queries.rows<{ id: number }>("SELECT id FROM bills WHERE month = ? AND state = 'current'", [month])
  return readKeysOf(queries, database, bills.map(({ id }) => id))
}
