import { combinedCode, type KeyTable } from '../../../core/classify/keyTable.ts'
import { amountOf } from '../../../core/money/amount.ts'
import { MissingRate, rateName, rateOf, ratesIn, type RateTable } from '../../../core/money/convert.ts'
import type { Queries } from '../../db/database.ts'
import { invalid } from '../../refusal.ts'
import { baseCurrency, reportingCurrency } from '../../settingsTable.ts'

export const RATE_KINDS = ['average', 'monthEnd', 'invoice'] as const
export type RateKind = (typeof RATE_KINDS)[number]

export interface RateRow { month: string; kind: RateKind; currency: string; /** of whose invoices, where the kind is invoice */ provider: string; rate: string }

export const listRates = (queries: Queries): Promise<RateRow[]> => queries.rows<RateRow>('SELECT month, kind, currency, provider, rate FROM exchange_rates ORDER BY month DESC, currency, kind, provider')

/** Which kind of rate a month is converted at. */
export const rateKindOf = async (queries: Queries, month: string): Promise<RateKind> =>
  (await queries.first<{ kind: RateKind }>('SELECT rate_kind AS kind FROM periods WHERE month = ?', [month]))?.kind ?? 'average'

/** Rates of a month to the reporting currency of the organisation, of the kind that the month is converted at; that currency at 1 by definition. */
export async function baseRatesOf(queries: Queries, month: string): Promise<RateTable> {
  const kind = await rateKindOf(queries, month)
  const rows = await queries.rows<RateRow>('SELECT currency, provider, rate FROM exchange_rates WHERE month = ? AND kind = ?', [month, kind])
  return new Map([...rows.map(({ currency, provider, rate }) => [rateName(currency, provider), amountOf(rate)] as const), [await baseCurrency(queries), amountOf('1')]])
}

/** The same to the currency that is read in. */
export const readRates = async (queries: Queries, month: string): Promise<RateTable> => inViewCurrency(queries, await baseRatesOf(queries, month), month)

export async function inViewCurrency(queries: Queries, rates: RateTable, month: string): Promise<RateTable> {
  const [to, base] = await Promise.all([reportingCurrency(queries), baseCurrency(queries)])
  try {
    return ratesIn(to, base, rates)
  } catch (error) {
    if (error instanceof MissingRate) throw invalid(`There is no exchange rate for ${to} in ${month}, so the month cannot be told in it. Enter it in Intake, or read in ${base}.`)
    throw error
  }
}

/** Refuses, with the names, where charges of a month are in a currency that has no rate: nothing is taken at 1. */
export function needRates(table: KeyTable, rates: RateTable, month: string): void {
  const missing = missingRates(table, rates)
  if (missing.length > 0) throw invalid(`There is no exchange rate for ${missing.join(', ')} in ${month}. Enter it in Intake first.`)
}

function missingRates(table: KeyTable, rates: RateTable): string[] {
  const columns = [table.column('BillingCurrency'), table.column('ProviderName')]
  const seen = new Set<number | string>()
  const missing = new Set<string>()
  for (let row = 0; row < table.keys.length; row++) {
    const code = combinedCode(columns, row)
    if (seen.has(code)) continue
    seen.add(code)
    const [currency = '', provider = ''] = columns.map(({ codes, values }) => values[codes[row]!])
    if (rateOf(rates, currency, provider) === undefined) missing.add(currency)
  }
  return [...missing].filter(Boolean).sort()
}
