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

/** The keys with charges in the current bills of the month, with their exact sums, in the order of their numbers. */
export async function readKeys(queries: Queries, database: string, month: string): Promise<KeyFigures[]> {
  const sums = await queries.rows<SumRow>(
    `SELECT s.key_id AS id, SUM(s.line_count) AS \`lines\`, SUM(s.billed_cost) AS billed, SUM(s.effective_cost) AS effective
     FROM bills b JOIN bill_keys s ON s.bill_id = b.id WHERE b.month = ? AND b.state = 'current' GROUP BY s.key_id ORDER BY s.key_id`, [month])
  const attributes = await readAttributes(queries, database, sums.map(({ id }) => id))
  return sums.map(({ id, lines, billed, effective }) => ({
    id, attributes: attributes.get(id)!, lines: Number(lines), amounts: { billed: storedAmount(billed), effective: storedAmount(effective) },
  }))
}
