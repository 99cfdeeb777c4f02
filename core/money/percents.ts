import { parseAmount } from './amount.ts'
import { apportion } from './apportion.ts'
import { BASES, type Amounts, type Percents } from '../types.ts'

/** A hundred per cent in 10^-10 per cent. */
export const HUNDRED = 100n * 10n ** 10n

/** Sum of exact percentages in 10^-10 per cent; null where one is no plain decimal or is negative. */
export function percentSum(percents: Percents): bigint | null {
  const parsed = Object.values(percents).map((text) => parseAmount(text))
  if (parsed.some((percent) => !percent?.exact || percent.units < 0n)) return null
  return parsed.reduce((sum, percent) => sum + percent!.units, 0n)
}
export const addsUpToHundred = (percents: Percents): boolean => percentSum(percents) === HUNDRED

/** Parts of an amount by percentages that add up to 100, to the last 10^-10; in the order of the codes, to which ties go as well. */
export function splitAmounts(amounts: Amounts, percents: Percents): { to: string; percent: bigint; amounts: Amounts }[] {
  const codes = Object.keys(percents).sort()
  const weights = codes.map((code) => parseAmount(percents[code]!)!.units)
  const [billed, effective] = BASES.map((basis) => apportion(amounts[basis], weights)!)
  return codes.map((to, index) => ({ to, percent: weights[index]!, amounts: { billed: billed![index]!, effective: effective![index]! } })).filter(({ percent }) => percent > 0n)
}
