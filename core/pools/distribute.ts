import { holdsIn, type Month } from '../calendar/month.ts'
import { parseAmount } from '../money/amount.ts'
import { apportion } from '../money/apportion.ts'
import { HUNDRED } from '../money/percents.ts'
import { BASES, type Amounts, type CostCentre, type Pool } from '../types.ts'
import type { Problem } from '../problems.ts'

/** A weight of each cost centre that shares the pool, in the order of their codes. Unit: see `baseLabel`. */
export interface Weights {
  codes: string[]
  weights: bigint[]
}

export interface PoolShare {
  pool: string
  costCentre: string
  weight: bigint
  base: bigint
  amounts: Amounts
}

export interface PoolResult {
  shares: PoolShare[]
  /** what could not be distributed, with the reason */
  held: Amounts
  problem: Problem | null
}

/**
 * The weights by which a pool is shared in the month. Direct cost is taken in the reporting currency (10^-20), so that
 * centres billed in different currencies compare; a centre whose direct cost is negative counts as zero and is named
 * by the zero share it gets. Percentages are in 10^-10 per cent; even is one each.
 */
export function weightsOf(pool: Pool, centres: readonly CostCentre[], directCost: ReadonlyMap<string, bigint>, month: Month): Weights {
  const { base } = pool
  const valid = centres.filter((centre) => holdsIn(month, centre.validFrom, centre.validTo)).map(({ code }) => code).sort()
  if (base.kind === 'fixed') {
    const codes = Object.keys(base.percents).sort()
    return { codes, weights: codes.map((code) => (valid.includes(code) ? (parseAmount(base.percents[code]!)?.units ?? 0n) : 0n)) }
  }
  const codes = pool.recipients.length > 0 ? valid.filter((code) => pool.recipients.includes(code)) : valid
  if (base.kind === 'even') return { codes, weights: codes.map(() => 1n) }
  return { codes, weights: codes.map((code) => { const cost = directCost.get(code) ?? 0n; return cost > 0n ? cost : 0n }) }
}

/**
 * Shares one stream of a pool (one provider and currency) by the weights, each basis by itself, to the last 10^-10.
 * Without a usable base the whole stream is held.
 */
export function distribute(pool: Pool, amounts: Amounts, { codes, weights }: Weights): PoolResult {
  const base = weights.reduce((sum, weight) => sum + weight, 0n)
  const problem = problemOf(pool, weights, base)
  if (problem) return { shares: [], held: amounts, problem }
  const [billed, effective] = BASES.map((basis) => apportion(amounts[basis], weights)!)
  const shares = codes.map((costCentre, index) => ({
    pool: pool.code, costCentre, weight: weights[index]!, base, amounts: { billed: billed![index]!, effective: effective![index]! },
  }))
  return { shares: shares.filter(({ weight }) => weight > 0n), held: { billed: 0n, effective: 0n }, problem: null }
}

function problemOf(pool: Pool, weights: readonly bigint[], base: bigint): Problem | null {
  if (pool.base.kind === 'fixed' && base !== HUNDRED) {
    return { code: 'POOL_PERCENT', subject: pool.code, message: `The percentages of pool ${pool.name} for cost centres that hold in this month do not add up to 100.` }
  }
  if (weights.length === 0 || base <= 0n) {
    return { code: 'POOL_BASE_ZERO', subject: pool.code, message: `The base of pool ${pool.name} is zero in this month.` }
  }
  return null
}

/** What a share of the pool is in proportion to, as people read it. */
export function baseLabel(pool: Pool): string {
  const labels = { even: 'evenly', direct: 'in proportion to direct cost', fixed: 'by fixed percentages' }
  return labels[pool.base.kind]
}
