import { amountOf, formatAmount } from '../../../core/money/amount.ts'
import { apportion } from '../../../core/money/apportion.ts'
import { convert, MissingRate, type RateTable } from '../../../core/money/convert.ts'
import { monthsBetween, monthOfDay } from '../../../core/calendar/month.ts'
import type { Basis } from '../../../core/types.ts'
import type { OutcomeRow } from '../../../core/workings/outcomeTable.ts'
import type { Database } from '../../db/database.ts'
import { invalid } from '../../refusal.ts'
import type { Viewer } from '../../viewer.ts'
import { dividedKeys, readOutcomes, readRunBills } from '../allocation/outcomes.ts'
import { latestRun } from '../allocation/store.ts'
import { readRates } from '../rates/store.ts'

export interface DayAmount { day: string; month: string; provider: string; service: string; exact: bigint }

const COSTS = { billed: 'billed_cost', effective: 'effective_cost' } as const satisfies Record<Basis, string>
interface SeriesRow { day: string; month: string; provider: string; service: string; currency: string; amount: string }

/**
 * Cost by day, provider and service over the bills of the months, in 10^-20 of the reporting currency. For an owner:
 * the direct cost of the own cost centres, as the latest run of each month assigns it.
 */
export async function readSeries(database: Database, first: string, last: string, basis: Basis, viewer: Viewer): Promise<DayAmount[]> {
  const rows = viewer.centres ? await ownRows(database, first, last, basis, viewer.centres) : await allRows(database, first, last, COSTS[basis])
  // only months with cost need rates
  const rates = new Map<string, RateTable>()
  for (const month of new Set(rows.map((row) => row.month))) rates.set(month, await readRates(database, month))
  return rows.map(({ currency, amount, ...row }) => {
    try {
      return { ...row, exact: convert(amountOf(amount), currency, rates.get(row.month)!, row.provider) }
    } catch (error) {
      if (error instanceof MissingRate) throw invalid(`There is no exchange rate for ${currency} in ${row.month}. Enter it in Intake.`)
      throw error
    }
  })
}

const allRows = (database: Database, first: string, last: string, cost: string): Promise<SeriesRow[]> =>
  database.rows<SeriesRow>(
    `SELECT d.day, b.month, b.provider, d.service, d.currency, SUM(d.${cost}) AS amount FROM bills b JOIN bill_days d ON d.bill_id = b.id
     WHERE b.state = 'current' AND b.month BETWEEN ? AND ? GROUP BY d.day, b.month, b.provider, d.service, d.currency`, [first, last])

async function ownRows(database: Database, first: string, last: string, basis: Basis, centres: readonly string[]): Promise<SeriesRow[]> {
  const rows: SeriesRow[] = []
  for (const month of monthsBetween(first, last)) {
    const run = await latestRun(database, month)
    if (!run) continue
    const [bills, divided, ...outcomes] = await Promise.all([readRunBills(database, run.id), dividedKeys(database, run.id), ...centres.map((target) => readOutcomes(database, run.id, { kind: 'direct', target }))])
    const [whole, parts] = [outcomes.flat().filter(({ key }) => !divided.has(key)), outcomes.flat().filter(({ key }) => divided.has(key))]
    const of = { month, bills: bills.map(({ id }) => id), cost: COSTS[basis] }
    if (whole.length > 0) rows.push(...await wholeRows(database, of, whole.map(({ key }) => key)))
    if (parts.length > 0) rows.push(...await partRows(database, of, parts, basis))
  }
  return rows
}

interface Month { month: string; bills: number[]; cost: string }

const wholeRows = (database: Database, { month, bills, cost }: Month, keys: readonly number[]): Promise<SeriesRow[]> => database.rows<SeriesRow>(
  `SELECT DATE(p.starts_at) AS day, ? AS month, k.provider, k.service, k.currency, SUM(c.${cost}) AS amount
   FROM charges c JOIN charge_keys k ON k.id = c.key_id JOIN charge_periods p ON p.id = c.period_id
   WHERE c.bill_id IN (?) AND c.key_id IN (?) GROUP BY DATE(p.starts_at), k.provider, k.service, k.currency`, [month, bills, keys])

/** What is own of charges that others share, over the days of the whole charge: the parts of a month add up to what the run made of it. */
async function partRows(database: Database, { month, bills, cost }: Month, parts: readonly OutcomeRow[], basis: Basis): Promise<SeriesRow[]> {
  const days = new Map<number, { day: string; cost: bigint }[]>()
  const found = await database.rows<{ keyId: number; day: string; cost: string }>(
    `SELECT c.key_id AS keyId, DATE(p.starts_at) AS day, SUM(c.${cost}) AS cost FROM charges c JOIN charge_periods p ON p.id = c.period_id
     WHERE c.bill_id IN (?) AND c.key_id IN (?) GROUP BY c.key_id, DATE(p.starts_at) ORDER BY day`, [bills, parts.map(({ key }) => key)])
  for (const { keyId, day, cost: text } of found) days.set(keyId, [...(days.get(keyId) ?? []), { day, cost: amountOf(text) }])
  return parts.flatMap(({ key, provider, service, currency, amounts }) => {
    const of = days.get(key) ?? []
    const shares = apportion(amounts[basis], of.map(({ cost: own }) => (own < 0n ? -own : own))) ?? apportion(amounts[basis], of.map(() => 1n))
    return of.map(({ day }, index) => ({ day, month, provider, service, currency, amount: formatAmount(shares![index]!) }))
  })
}

/** Days that belong to their billing month; corrections of earlier months are kept apart. */
export const inOwnMonth = ({ day, month }: DayAmount): boolean => monthOfDay(day) === month
