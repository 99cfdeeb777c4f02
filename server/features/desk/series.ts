import { amountOf } from '../../../core/money/amount.ts'
import { convert, MissingRate, type RateTable } from '../../../core/money/convert.ts'
import { monthsBetween, monthOfDay } from '../../../core/calendar/month.ts'
import type { Basis } from '../../../core/types.ts'
import type { Database } from '../../db/database.ts'
import { invalid } from '../../refusal.ts'
import type { Viewer } from '../../viewer.ts'
import { readOutcomes, readRunBills } from '../allocation/outcomes.ts'
import { latestRun } from '../allocation/store.ts'
import { readRates } from '../rates/store.ts'

export interface DayAmount { day: string; month: string; provider: string; service: string; exact: bigint }

interface SeriesRow { day: string; month: string; provider: string; service: string; currency: string; amount: string }

/**
 * Cost by day, provider and service over the bills of the months, in 10^-20 of the reporting currency. For an owner:
 * the direct cost of the own cost centres, as the latest run of each month assigns it.
 */
export async function readSeries(database: Database, first: string, last: string, basis: Basis, viewer: Viewer): Promise<DayAmount[]> {
  const cost = basis === 'billed' ? 'billed_cost' : 'effective_cost'
  const rows = viewer.centres ? await ownRows(database, first, last, cost, viewer.centres) : await allRows(database, first, last, cost)
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

async function ownRows(database: Database, first: string, last: string, cost: string, centres: readonly string[]): Promise<SeriesRow[]> {
  const rows: SeriesRow[] = []
  for (const month of monthsBetween(first, last)) {
    const run = await latestRun(database, month)
    if (!run) continue
    const [bills, ...outcomes] = await Promise.all([readRunBills(database, run.id), ...centres.map((target) => readOutcomes(database, run.id, { kind: 'direct', target }))])
    const keys = outcomes.flat().map(({ key }) => key)
    if (keys.length === 0) continue
    rows.push(...await database.rows<SeriesRow>(
      `SELECT DATE(p.starts_at) AS day, ? AS month, k.provider, k.service, k.currency, SUM(c.${cost}) AS amount
       FROM charges c JOIN charge_keys k ON k.id = c.key_id JOIN charge_periods p ON p.id = c.period_id
       WHERE c.bill_id IN (?) AND c.key_id IN (?) GROUP BY DATE(p.starts_at), k.provider, k.service, k.currency`, [month, bills.map(({ id }) => id), keys]))
  }
  return rows
}

/** Days that belong to their billing month; corrections of earlier months are kept apart. */
export const inOwnMonth = ({ day, month }: DayAmount): boolean => monthOfDay(day) === month
