import { amountOf } from '../../../core/money/amount.ts'
import type { RateTable } from '../../../core/money/convert.ts'
import type { Queries } from '../../db/database.ts'
import { reportingCurrency } from '../../settingsTable.ts'

export interface RateRow { month: string; currency: string; rate: string }

export const listRates = (queries: Queries): Promise<RateRow[]> => queries.rows<RateRow>('SELECT month, currency, rate FROM exchange_rates ORDER BY month DESC, currency')

/** Rates of a month, the reporting currency at 1 by definition. */
export async function readRates(queries: Queries, month: string): Promise<RateTable> {
  const rows = await queries.rows<RateRow>('SELECT month, currency, rate FROM exchange_rates WHERE month = ?', [month])
  return new Map([...rows.map(({ currency, rate }) => [currency, amountOf(rate)] as const), [await reportingCurrency(queries), amountOf('1')]])
}
