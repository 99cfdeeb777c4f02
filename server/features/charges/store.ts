import type { KeyFilter } from '../../../core/workings/keyFilter.ts'
import type { OutcomeRow } from '../../../core/workings/outcomeTable.ts'
import type { Queries } from '../../db/database.ts'
import { readOutcomes, readRunBills } from '../allocation/outcomes.ts'

/** Where the next page of charge lines begins. */
export interface Cursor { key: number; bill: number; line: number }

export interface ChargeLine {
  keyId: number
  billId: number
  line: number
  day: string
  ends: string
  provider: string
  currency: string
  service: string
  billed: string
  effective: string
  list: string
  contracted: string
  quantity: string | null
  detailId: number
  file: string
  loadId: number
  rule: number
}

type LineRow = Omit<ChargeLine, 'rule' | 'file' | 'loadId' | 'provider' | 'currency' | 'service'>
type Descriptions = Record<number, Record<string, string>>

/** A page of charge lines; what many lines share is given once, by the number of its key or detail. */
export interface LinePage { lines: ChargeLine[]; attributes: Descriptions; details: Descriptions; next: Cursor | null }

/**
 * Charge lines behind a figure of a run, in the order of key, bill and line, from after the cursor. Only as many keys
 * are asked for as the page needs, so that the lines are read by primary key. The bills are those that the run read, also
 * where one has been replaced since. `only` narrows to some of the keys.
 */
export async function readLines(queries: Queries, runId: number, filter: KeyFilter, after: Cursor | null, limit: number, only: readonly number[] | null = null): Promise<LinePage> {
  const [all, bills] = await Promise.all([readOutcomes(queries, runId, filter), readRunBills(queries, runId)])
  const keys = nextKeys(all, after?.key ?? 0, limit, only && new Set(only))
  if (keys.size === 0) return { lines: [], attributes: {}, details: {}, next: null }
  const from = after ?? { key: 0, bill: 0, line: 0 }
  const rows = await queries.rows<LineRow>(
    `SELECT c.key_id AS keyId, c.bill_id AS billId, c.line, c.detail_id AS detailId, p.starts_at AS day, p.ends_at AS ends,
       c.billed_cost AS billed, c.effective_cost AS effective, c.list_cost AS list, c.contracted_cost AS contracted, c.pricing_quantity AS quantity
     FROM charges c JOIN charge_periods p ON p.id = c.period_id
     WHERE c.bill_id IN (?) AND c.key_id IN (?) AND (c.key_id, c.bill_id, c.line) > (?, ?, ?)
     ORDER BY c.key_id, c.bill_id, c.line LIMIT ?`,
    [bills.map(({ id }) => id), [...keys.keys()], from.key, from.bill, from.line, limit + 1])
  const page = rows.slice(0, limit)
  const [attributes, details] = await Promise.all([
    descriptions(queries, 'SELECT id, attributes AS text FROM charge_keys WHERE id IN (?)', page.map(({ keyId }) => keyId)),
    descriptions(queries, 'SELECT id, details AS text FROM charge_details WHERE id IN (?)', page.map(({ detailId }) => detailId)),
  ])
  const billOf = new Map(bills.map((bill) => [bill.id, bill]))
  const lines = page.map((row): ChargeLine => {
    const { provider, currency, service, rule } = keys.get(row.keyId)!
    const { file, loadId } = billOf.get(row.billId)!
    return { ...row, provider, currency, service, rule, file, loadId }
  })
  const last = lines.at(-1)
  return { lines, attributes, details, next: rows.length > limit && last ? { key: last.keyId, bill: last.billId, line: last.line } : null }
}

/** The keys from one on whose lines fill a page, and one more so that the page knows whether there is a next. */
function nextKeys(all: readonly OutcomeRow[], from: number, limit: number, only: ReadonlySet<number> | null): Map<number, OutcomeRow> {
  const keys = new Map<number, OutcomeRow>()
  let expected = 0
  for (const row of all) {
    if (row.key < from || (only && !only.has(row.key))) continue
    if (expected > limit && keys.size >= 2) break
    keys.set(row.key, row)
    expected += row.lines
  }
  return keys
}

async function descriptions(queries: Queries, sql: string, ids: readonly number[]): Promise<Descriptions> {
  const rows = ids.length > 0 ? await queries.rows<{ id: number; text: string }>(sql, [[...new Set(ids)]]) : []
  return Object.fromEntries(rows.map(({ id, text }) => [id, JSON.parse(text) as Record<string, string>]))
}

/** What people know a key by: its resource, or its service where it has none. */
export async function keyNames(queries: Queries, ids: readonly number[]): Promise<Map<number, string>> {
  const rows = ids.length > 0 ? await queries.rows<{ id: number; name: string }>("SELECT id, COALESCE(NULLIF(resource_id, ''), service) AS name FROM charge_keys WHERE id IN (?)", [ids]) : []
  return new Map(rows.map(({ id, name }) => [id, name]))
}
