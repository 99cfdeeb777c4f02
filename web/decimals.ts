import { amountOf, formatAmount } from '../core/money/amount.ts'

/** Exact sum of decimals, with as many decimals as the longest of them. */
export function addDecimals(decimals: readonly string[]): string {
  const digits = Math.max(0, ...decimals.map((text) => text.split('.')[1]?.length ?? 0))
  return formatAmount(decimals.reduce((sum, text) => sum + amountOf(text), 0n), digits)
}
