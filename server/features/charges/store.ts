import type { KeyFilter } from '../../../core/workings/keyFilter.ts'
import type { Queries } from '../../db/database.ts'
import { filterSql } from './filter.ts'

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
  attributes: Record<string, string>
  details: Record<string, string>
  file: string
  loadId: number
  rule: number
}

interface KeyRow { id: number; lines: number; rule: number }
interface LineRow extends Omit<ChargeLine, 'attributes' | 'details' | 'rule' | 'file' | 'loadId'> { attributes: string; details: string }

/**
 * Charge lines behind a figure of a run, in the order of key, bill and line, from after the cursor. Only as many keys
 * are asked for as the page needs, so that the lines are read by primary key. The bills are those that the run read, also
 * where one has been replaced since. `only` narrows to some of the keys.
 */
export async function readLines(queries: Queries, runId: number, filter: KeyFilter, after: Cursor | null, limit: number, only: readonly number[] | null = null): Promise<{ lines: ChargeLine[]; next: Cursor | null }> {
  const { where, params } = filterSql(runId, filter)
  const readBills = queries.rows<{ id: number; file: string; loadId: number }>(
    'SELECT b.id, l.file_name AS file, l.id AS loadId FROM run_bills r JOIN bills b ON b.id = r.bill_id JOIN loads l ON l.id = b.load_id WHERE r.run_id = ?', [runId])
  const readNext = queries.rows<KeyRow>(
    `SELECT r.key_id AS id, r.line_count + 0 AS \`lines\`, r.rule FROM run_keys r JOIN charge_keys k ON k.id = r.key_id WHERE ${where} AND r.key_id >= ? ${only ? 'AND r.key_id IN (?)' : ''} ORDER BY r.key_id LIMIT ?`,
    [...params, after?.key ?? 0, ...(only ? [nextOf(only, after?.key ?? 0, limit + 1)] : []), limit + 1])
  const [bills, keys] = await Promise.all([readBills, readNext])
  let enough = 0
  let expected = 0
  while (enough < keys.length && (expected <= limit || enough < 2)) expected += Number(keys[enough++]!.lines)
  if (enough === 0) return { lines: [], next: null }
  const from = after ?? { key: 0, bill: 0, line: 0 }
  const rows = await queries.rows<LineRow>(
    `SELECT c.key_id AS keyId, c.bill_id AS billId, c.line, c.starts_at AS day, c.ends_at AS ends, k.provider, k.currency, k.service,
       c.billed_cost AS billed, c.effective_cost AS effective, c.list_cost AS list, c.contracted_cost AS contracted, c.pricing_quantity AS quantity, k.attributes, d.details
     FROM charges c JOIN charge_keys k ON k.id = c.key_id JOIN charge_details d ON d.id = c.detail_id
     WHERE c.bill_id IN (?) AND c.key_id IN (?) AND (c.key_id, c.bill_id, c.line) > (?, ?, ?)
     ORDER BY c.key_id, c.bill_id, c.line LIMIT ?`,
    [bills.map(({ id }) => id), keys.slice(0, enough).map(({ id }) => id), from.key, from.bill, from.line, limit + 1])
  const ruleOf = new Map(keys.map(({ id, rule }) => [id, rule]))
  const billOf = new Map(bills.map((bill) => [bill.id, bill]))
  const lines = rows.slice(0, limit).map(({ attributes, details, ...row }): ChargeLine => ({
    ...row, attributes: JSON.parse(attributes) as Record<string, string>, details: JSON.parse(details) as Record<string, string>,
    file: billOf.get(row.billId)!.file, loadId: billOf.get(row.billId)!.loadId, rule: ruleOf.get(row.keyId)!,
  }))
  const last = lines.at(-1)
  return { lines, next: rows.length > limit && last ? { key: last.keyId, bill: last.billId, line: last.line } : null }
}

/** The next keys of a rising list, enough for a page, so that a long list does not travel to the database each time. */
const nextOf = (keys: readonly number[], from: number, most: number): number[] => {
  const next = keys.filter((key) => key >= from).slice(0, most)
  return next.length > 0 ? next : [0]
}

export interface KeySum { id: number; rule: number; provider: string; currency: string; service: string; resource: string; lines: number; billed: string; effective: string }

export async function readKeySums(queries: Queries, runId: number, filter: KeyFilter): Promise<KeySum[]> {
  const { where, params } = filterSql(runId, filter)
  const rows = await queries.rows<KeySum>(
    `SELECT r.key_id AS id, r.rule, k.provider, k.currency, k.service, k.resource_id AS resource, r.line_count AS \`lines\`, r.billed_cost AS billed, r.effective_cost AS effective
     FROM run_keys r JOIN charge_keys k ON k.id = r.key_id WHERE ${where} ORDER BY r.key_id`, params)
  return rows.map((row) => ({ ...row, lines: Number(row.lines) }))
}
