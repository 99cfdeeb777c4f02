import { rateOf, type RateTable } from '../money/convert.ts'
import type { RoundedCell } from './cells.ts'

/** What a change of rate makes of the cost billed in one currency: amount × (rate now − rate before), in 10^-20 of the currency that is read in. */
export interface CurrencyEffect { provider: string; currency: string; amount: bigint; before: bigint; now: bigint; effect: bigint }

/**
 * How much of the change against the month before the rates alone have made: this month's cost at this month's rates less the same cost at
 * the rates of the month before (convention: docs/computation.md). A currency that had no rate then has no effect.
 */
export function effectOfRates(cells: readonly RoundedCell[], now: RateTable, before: RateTable): CurrencyEffect[] {
  const streams = new Map<string, CurrencyEffect>()
  for (const { provider, currency, amount } of cells) {
    const [rate, former] = [rateOf(now, currency, provider), rateOf(before, currency, provider)]
    if (rate === undefined || former === undefined || rate === former) continue
    const name = `${provider}\u0000${currency}`
    const stream = streams.get(name) ?? { provider, currency, amount: 0n, before: former, now: rate, effect: 0n }
    stream.amount += amount
    stream.effect += amount * (rate - former)
    streams.set(name, stream)
  }
  return [...streams].sort(([a], [b]) => (a < b ? -1 : 1)).map(([, stream]) => stream)
}
