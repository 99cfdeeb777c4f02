import { roundedQuotient, SCALE } from './amount.ts'

/** Scale of a converted amount: amount (10^-10) times rate (10^-10), kept whole so that conversion never rounds. */
export const CONVERTED_SCALE = SCALE * 2
const ONE = 10n ** BigInt(SCALE)

/**
 * Reporting currency per unit of a billing currency, in 10^-10, by billing currency, or by `rateName` where the rate is that of
 * one provider's invoices. The reporting currency itself is 1.
 */
export type RateTable = ReadonlyMap<string, bigint>

const OF = '\u0000'
/** The name of a rate that holds for the invoices of one provider alone. */
export const rateName = (currency: string, provider: string): string => (provider === '' ? currency : currency + OF + provider)
export const rateParts = (name: string): { currency: string; provider: string } => { const [currency = '', provider = ''] = name.split(OF); return { currency, provider } }

/** The provider's own rate, or that of the currency; undefined where there is neither. */
export const rateOf = (rates: RateTable, currency: string, provider: string): bigint | undefined => rates.get(rateName(currency, provider)) ?? rates.get(currency)

/** amount x rate, exactly, in 10^-20 of the reporting currency. Throws MissingRate where the table has none: nothing is taken at 1. */
export function convert(amount: bigint, currency: string, rates: RateTable, provider: string): bigint {
  const rate = rateOf(rates, currency, provider)
  if (rate === undefined) throw new MissingRate(currency)
  return amount * rate
}

/**
 * The same rates for a report in another currency: each is divided by that currency's own and rounded half to even to ten decimals,
 * so that a report in it adds up in itself. `base`: the currency that the rates are to. Throws MissingRate without a rate for it.
 */
export function ratesIn(currency: string, base: string, rates: RateTable): RateTable {
  if (currency === base) return rates
  const own = rates.get(currency)
  if (own === undefined) throw new MissingRate(currency)
  return new Map([...[...rates].map(([name, rate]) => [name, roundedQuotient(rate * ONE, own)] as const), [currency, ONE]])
}

export class MissingRate extends Error {
  constructor(readonly currency: string) {
    super(`no exchange rate for ${currency}`)
  }
}
