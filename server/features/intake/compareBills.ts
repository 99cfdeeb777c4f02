import type { Queries } from '../../db/database.ts'
import { keysThatDiffer, readBillSums } from './billSums.ts'

export interface BillChange {
  billId: number
  provider: string
  account: string
  month: string
  currency: string
  kind: 'new' | 'extends' | 'same' | 'restates'
  /** bill that would be replaced */
  currentId: number | null
  before: { lines: number; billed: string; effective: string } | null
  after: { lines: number; billed: string; effective: string }
  /** services whose billed or effective cost changes, largest change first */
  services: { service: string; currency: string; before: string; after: string; difference: string }[]
  /** number of days whose figures change and that were there before */
  changedDays: number
}

interface Sums { lines: number; billed: string; effective: string }

const sumsOf = (queries: Queries, billId: number): Promise<Sums | undefined> =>
  queries.first<Sums>('SELECT COALESCE(SUM(line_count), 0) + 0 AS `lines`, COALESCE(SUM(billed_cost), 0) AS billed, COALESCE(SUM(effective_cost), 0) AS effective FROM bill_days WHERE bill_id = ?', [billId])

const SAME_DAY = 'a.day = b.day AND a.service = b.service AND a.currency = b.currency AND a.line_count = b.line_count AND a.list_cost = b.list_cost AND a.contracted_cost = b.contracted_cost AND a.billed_cost = b.billed_cost AND a.effective_cost = b.effective_cost'
/** Days of one bill whose sums the other does not have just so. */
const daysLacking = async (queries: Queries, bill: number, other: number): Promise<number> => {
  const row = await queries.first<{ count: number }>(`SELECT COUNT(*) AS count FROM bill_days a WHERE a.bill_id = ? AND NOT EXISTS (SELECT 1 FROM bill_days b WHERE b.bill_id = ? AND ${SAME_DAY})`, [bill, other])
  return Number(row!.count)
}

/**
 * What a bill that has arrived would change: nothing (`same`), only days that were not there (`extends`), or figures
 * that people have already seen (`restates`), which somebody must confirm.
 */
async function compareBill(queries: Queries, bill: { id: number; provider: string; billing_account: string; month: string }): Promise<BillChange> {
  const current = await queries.first<{ id: number }>("SELECT id FROM bills WHERE provider = ? AND billing_account = ? AND month = ? AND state = 'current'", [bill.provider, bill.billing_account, bill.month])
  const currency = await queries.first<{ currency: string }>('SELECT currency FROM bill_days WHERE bill_id = ? ORDER BY currency LIMIT 1', [bill.id])
  const after = await sumsOf(queries, bill.id)
  const change: BillChange = {
    billId: bill.id, provider: bill.provider, account: bill.billing_account, month: bill.month, currency: currency?.currency ?? '',
    kind: 'new', currentId: current?.id ?? null, before: null, after: { ...after!, lines: Number(after!.lines) }, services: [], changedDays: 0,
  }
  if (!current) return change
  const before = await sumsOf(queries, current.id)
  const [lost, added, own, former] = await Promise.all([
    daysLacking(queries, current.id, bill.id), daysLacking(queries, bill.id, current.id), readBillSums(queries, [bill.id]), readBillSums(queries, [current.id]),
  ])
  const isSame = lost + added + keysThatDiffer(former, own) + keysThatDiffer(own, former) === 0
  return {
    ...change, before: { ...before!, lines: Number(before!.lines) }, changedDays: lost,
    kind: isSame ? 'same' : lost === 0 && added > 0 ? 'extends' : 'restates',
    services: isSame ? [] : await servicesBetween(queries, current.id, bill.id),
  }
}

async function servicesBetween(queries: Queries, before: number, after: number): Promise<BillChange['services']> {
  const rows = await queries.rows<{ service: string; currency: string; earlier: string; later: string; difference: string; moved: string }>(
    `SELECT service, currency, SUM(IF(bill_id = ?, billed_cost, 0)) AS earlier, SUM(IF(bill_id = ?, billed_cost, 0)) AS later,
       SUM(IF(bill_id = ?, billed_cost, -billed_cost)) AS difference, SUM(IF(bill_id = ?, effective_cost, -effective_cost)) AS moved
     FROM bill_days WHERE bill_id IN (?, ?) GROUP BY service, currency ORDER BY service, currency`, [before, after, after, after, before, after])
  return rows.filter(({ difference, moved }) => Number(difference) !== 0 || Number(moved) !== 0)
    .map(({ service, currency, earlier, later, difference }) => ({ service, currency, before: earlier, after: later, difference }))
    .sort((a, b) => Math.abs(Number(b.difference)) - Math.abs(Number(a.difference)))
}

export async function compareBills(queries: Queries, loadId: number): Promise<BillChange[]> {
  const bills = await queries.rows<{ id: number; provider: string; billing_account: string; month: string }>("SELECT id, provider, billing_account, month FROM bills WHERE load_id = ? AND state = 'arriving' ORDER BY month, provider, billing_account", [loadId])
  return Promise.all(bills.map((bill) => compareBill(queries, bill)))
}
