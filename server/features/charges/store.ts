import { HUNDRED } from '../../../core/money/percents.ts'
import type { Amounts, Basis } from '../../../core/types.ts'
import type { KeyFilter } from '../../../core/workings/keyFilter.ts'
import type { OutcomeRow } from '../../../core/workings/outcomeTable.ts'
import type { Queries } from '../../db/database.ts'
import { dividedKeys, readOutcomes, readRunBills, wholeAmounts } from '../allocation/outcomes.ts'

const WHOLE = Number(HUNDRED)
const PER_CENT = WHOLE / 100

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
  /** empty where the charge has none */
  resource: string
  sku: string
  billed: string
  effective: string
  list: string
  contracted: string
  quantity: string | null
  file: string
  loadId: number
  rule: number
  /** how much of the line is in the figure, where a rule or metering divides it */
  percent: number | null
}

type LineRow = Omit<ChargeLine, 'rule' | 'percent' | 'file' | 'loadId' | 'provider' | 'currency' | 'service'>

/**
 * Charge lines behind a figure of a run, in the order of key, bill and line, from after the cursor. Only as many keys
 * are asked for as the page needs, so that the lines are read by primary key. The bills are those that the run read, also
 * where one has been replaced since. `only` narrows to some of the keys.
 */
export async function readLines(queries: Queries, runId: number, filter: KeyFilter, basis: Basis, after: Cursor | null, limit: number, only: readonly number[] | null = null): Promise<{ lines: ChargeLine[]; next: Cursor | null }> {
  const [all, bills] = await Promise.all([readOutcomes(queries, runId, filter), readRunBills(queries, runId)])
  const keys = nextKeys(all, after?.key ?? 0, limit, only && new Set(only))
  if (keys.size === 0) return { lines: [], next: null }
  const percents = await percentsOf(queries, runId, basis, keys)
  // the ranges of the keys are known to be narrow: looking each up beforehand takes as long as reading it
  const rows = await queries.rows<LineRow>(
    `SET STATEMENT eq_range_index_dive_limit = 1 FOR
     SELECT c.key_id AS keyId, c.bill_id AS billId, c.line, p.starts_at AS day, p.ends_at AS ends, k.resource, k.sku,
       c.billed_cost AS billed, c.effective_cost AS effective, c.list_cost AS list, c.contracted_cost AS contracted, c.pricing_quantity AS quantity
     FROM charges c JOIN charge_periods p ON p.id = c.period_id JOIN charge_keys k ON k.id = c.key_id
     WHERE c.bill_id IN (?) AND c.key_id IN (?) ${after ? 'AND (c.key_id, c.bill_id, c.line) > (?, ?, ?)' : ''}
     ORDER BY c.key_id, c.bill_id, c.line LIMIT ?`,
    [bills.map(({ id }) => id), [...keys.keys()], ...(after ? [after.key, after.bill, after.line] : []), limit + 1])
  const billOf = new Map(bills.map((bill) => [bill.id, bill]))
  const lines = rows.slice(0, limit).map((row): ChargeLine => {
    const [{ provider, currency, service, rule }, { file, loadId }] = [keys.get(row.keyId)!.row, billOf.get(row.billId)!]
    return Object.assign(row, { provider, currency, service, rule, file, loadId, percent: percents.get(row.keyId) ?? null })
  })
  const last = lines.at(-1)
  return { lines, next: rows.length > limit && last ? { key: last.keyId, bill: last.billId, line: last.line } : null }
}

type Description = Record<string, string>

/** All that is known of one charge of a figure; null where the figure does not have it. */
export async function readCharge(queries: Queries, runId: number, filter: KeyFilter, { key, bill, line }: Cursor): Promise<{ attributes: Description; details: Description } | null> {
  const [of, bills] = await Promise.all([readOutcomes(queries, runId, { ...filter, key: String(key) }), readRunBills(queries, runId)])
  if (of.length === 0 || !bills.some(({ id }) => id === bill) || (filter.key ?? String(key)) !== String(key)) return null
  const row = await queries.first<{ attributes: string; details: string }>(
    'SELECT k.attributes, d.details FROM charges c JOIN charge_keys k ON k.id = c.key_id JOIN charge_details d ON d.id = c.detail_id WHERE c.bill_id = ? AND c.key_id = ? AND c.line = ?', [bill, key, line])
  return row ? { attributes: JSON.parse(row.attributes) as Description, details: JSON.parse(row.details) as Description } : null
}

/** A key of a figure: its first row, and what all its rows there come to. */
interface OwnKey { row: OutcomeRow; amounts: Amounts; percent: number }

/** The keys from one on whose lines fill a page, and one more so that the page knows whether there is a next. */
function nextKeys(all: readonly OutcomeRow[], from: number, limit: number, only: ReadonlySet<number> | null): Map<number, OwnKey> {
  const keys = new Map<number, OwnKey>()
  let expected = 0
  for (const row of all) {
    if (row.key < from || (only && !only.has(row.key))) continue
    const known = keys.get(row.key)
    if (!known && expected > limit && keys.size >= 2) break
    if (!known) {
      keys.set(row.key, { row, amounts: row.amounts, percent: row.percent })
      expected += row.lines
    } else keys.set(row.key, { row: known.row, amounts: { billed: known.amounts.billed + row.amounts.billed, effective: known.amounts.effective + row.amounts.effective }, percent: Math.min(WHOLE, known.percent + row.percent) })
  }
  return keys
}

/** How much of each key is in the figure, in per cent, where that is not all of it: the percentage of a rule as it stands, else what it comes to. */
async function percentsOf(queries: Queries, runId: number, basis: Basis, keys: ReadonlyMap<number, OwnKey>): Promise<Map<number, number>> {
  const divided = await dividedKeys(queries, runId)
  const own = new Set([...keys.keys()].filter((key) => divided.has(key)))
  if (own.size === 0) return new Map()
  const percents = new Map<number, number>()
  for (const [key, whole] of await wholeAmounts(queries, runId, own)) {
    const { amounts, percent } = keys.get(key)!
    if (amounts.billed === whole.billed && amounts.effective === whole.effective) continue
    percents.set(key, divided.get(key) === 'rule' ? percent / PER_CENT : whole[basis] === 0n ? 0 : Number((amounts[basis] * HUNDRED) / whole[basis]) / PER_CENT)
  }
  return percents
}

/** What people know a key by: its resource, or its service where it has none. */
export async function keyNames(queries: Queries, ids: readonly number[]): Promise<Map<number, string>> {
  const rows = ids.length > 0 ? await queries.rows<{ id: number; name: string }>("SELECT id, COALESCE(NULLIF(resource, ''), service) AS name FROM charge_keys WHERE id IN (?)", [ids]) : []
  return new Map(rows.map(({ id, name }) => [id, name]))
}
