import { SCALE } from './amount.ts'

/** Scale of a converted amount: amount (10^-10) times rate (10^-10), kept whole so that conversion never rounds. */
export const CONVERTED_SCALE = SCALE * 2

/** Reporting currency per unit of a billing currency, in 10^-10, by billing currency. The reporting currency itself is 1. */
export type RateTable = ReadonlyMap<string, bigint>

/** amount x rate, exactly, in 10^-20 of the reporting currency. Throws MissingRate where the table has none: nothing is taken at 1. */
export function convert(amount: bigint, currency: string, rates: RateTable): bigint {
  const rate = rates.get(currency)
  if (rate === undefined) throw new MissingRate(currency)
  return amount * rate
}

export class MissingRate extends Error {
  constructor(readonly currency: string) {
    super(`no exchange rate for ${currency}`)
  }
}
