import { roundTo } from './amount.ts'

const magnitudeOf = (value: bigint): bigint => (value < 0n ? -value : value)

interface Candidate {
  index: number
  remainder: bigint
}

/** Indexes by falling remainder; ties by rank, which callers derive from a stable id. */
function byRemainder(candidates: Candidate[], rankOf: (index: number) => number): number[] {
  const order = (a: Candidate, b: Candidate): number =>
    a.remainder === b.remainder ? rankOf(a.index) - rankOf(b.index) : a.remainder > b.remainder ? -1 : 1
  return candidates.sort(order).map(({ index }) => index)
}

/**
 * Divides a total in proportion to weights by largest remainder (Hamilton): the parts add up to the total, each is
 * within one unit of its exact share, a negative total is the mirror of the positive. Ties go to the lowest rank
 * (default: earliest in order). Returns null where no weight is positive or one is negative: there is no base.
 */
export function apportion(total: bigint, weights: readonly bigint[], rankOf = (index: number): number => index): bigint[] | null {
  const base = weights.reduce((sum, weight) => sum + weight, 0n)
  if (base <= 0n || weights.some((weight) => weight < 0n)) return null
  const magnitude = magnitudeOf(total)
  const parts = weights.map((weight) => (magnitude * weight) / base)
  const left = magnitude - parts.reduce((sum, part) => sum + part, 0n)
  const candidates = weights.map((weight, index) => ({ index, remainder: (magnitude * weight) % base }))
  for (const index of byRemainder(candidates, rankOf).slice(0, Number(left))) parts[index] = parts[index]! + 1n
  return total < 0n ? parts.map((part) => -part) : parts
}

/**
 * Rounds parts of 10^-scale to minor units of `digits` decimals, so that they add up to their rounded sum: for lists
 * whose foot must be the sum of its rows.
 */
export function roundList(parts: readonly bigint[], digits: number, scale: number): { rounded: bigint[]; total: bigint } {
  const total = roundTo(parts.reduce((sum, part) => sum + part, 0n), digits, scale)
  return { rounded: roundTogether(parts, total, 10n ** BigInt(scale - digits)), total }
}

/**
 * Rounds exact parts (integers of 1/divisor of a minor unit) so that they add up to the rounded total `whole`, by
 * largest remainder. Each part is first cut towards zero; what is then missing goes, one unit each, to the largest
 * remainders on the side it is missing from. `whole` must be within one half of the exact sum.
 */
export function roundTogether(parts: readonly bigint[], whole: bigint, divisor: bigint, rankOf = (index: number): number => index): bigint[] {
  const cut = parts.map((part) => part / divisor)
  const missing = whole - cut.reduce((sum, part) => sum + part, 0n)
  const direction = missing < 0n ? -1n : 1n
  const candidates = parts
    .map((part, index) => ({ index, remainder: (part % divisor) * direction }))
    .filter(({ remainder }) => remainder > 0n)
  const raised = byRemainder(candidates, rankOf).slice(0, Number(magnitudeOf(missing)))
  if (BigInt(raised.length) !== magnitudeOf(missing)) throw new Error('the rounded total is not the rounded sum of its parts')
  for (const index of raised) cut[index] = cut[index]! + direction
  return cut
}
