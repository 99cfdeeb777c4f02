import { holdsIn, type Month } from '../calendar/month.ts'
import { parseAmount } from '../money/amount.ts'
import { apportion } from '../money/apportion.ts'
import { HUNDRED } from '../money/percents.ts'
import { BASES, type Amounts, type CostCentre, type Drivers, type Pool } from '../types.ts'
import type { Problem } from '../problems.ts'

/** What shares a pool, by weight in one unit (see `baseLabel`): cost centres and other pools, each in the order of their codes. */
export interface Weights {
  centres: ReadonlyMap<string, bigint>
  pools: ReadonlyMap<string, bigint>
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

export const POOL_TARGET = 'pool:'
export const poolTarget = (code: string): string => POOL_TARGET + code

/** What the weights of a month come from. */
export interface WeightSources { centres: readonly CostCentre[]; directCost: ReadonlyMap<string, bigint>; drivers: Drivers; month: Month; pools: readonly Pool[] }

/**
 * The weights by which a pool is shared in the month. Direct cost is taken in the reporting currency (10^-20), so that
 * centres billed in different currencies compare; a centre whose direct cost is negative counts as zero and is named
 * by the zero share it gets. Percentages are in 10^-10 per cent, drivers in 10^-10 of their unit; even is one each.
 */
export function weightsOf(pool: Pool, { centres, directCost, drivers, month, pools }: WeightSources): Weights {
  const { base } = pool
  const valid = centres.filter((centre) => holdsIn(month, centre.validFrom, centre.validTo)).map(({ code }) => code).sort()
  const isPool = (code: string): boolean => code !== pool.code && pools.some((other) => other.code === code)
  if (base.kind === 'fixed' || base.kind === 'driver') {
    const named = base.kind === 'fixed' ? Object.entries(base.percents).map(([code, text]) => [code, parseAmount(text)?.units ?? 0n] as const) : [...(drivers.get(base.driver) ?? [])]
    const sorted = [...named].sort(([a], [b]) => (a < b ? -1 : 1))
    const plain = sorted.filter(([code]) => !code.startsWith(POOL_TARGET))
    return {
      centres: new Map(base.kind === 'fixed' ? plain.map(([code, weight]) => [code, valid.includes(code) ? weight : 0n]) : plain.filter(([code]) => valid.includes(code))),
      pools: new Map(sorted.flatMap(([code, weight]) => (code.startsWith(POOL_TARGET) && isPool(code.slice(POOL_TARGET.length)) ? [[code.slice(POOL_TARGET.length), weight]] : []))),
    }
  }
  const codes = pool.recipients.length > 0 ? valid.filter((code) => pool.recipients.includes(code)) : valid
  if (base.kind === 'even') return { centres: new Map(codes.map((code) => [code, 1n])), pools: new Map([...(pool.serves ?? [])].sort().filter(isPool).map((code) => [code, 1n])) }
  return { centres: new Map(codes.map((code) => { const cost = directCost.get(code) ?? 0n; return [code, cost > 0n ? cost : 0n] })), pools: new Map() }
}

const sum = (weights: Iterable<bigint>): bigint => [...weights].reduce((total, weight) => total + weight, 0n)

/**
 * Shares one stream of a pool (one provider and currency) among cost centres by the weights, each basis by itself, to the
 * last 10^-10. Without a usable base the whole stream is held.
 */
export function distribute(pool: Pool, amounts: Amounts, weights: Weights): PoolResult {
  const problem = problemOf(pool, weights)
  if (problem) return { shares: [], held: amounts, problem }
  const [codes, values] = [[...weights.centres.keys()], [...weights.centres.values()]]
  const base = sum(values)
  const [billed, effective] = BASES.map((basis) => apportion(amounts[basis], values)!)
  const shares = codes.map((costCentre, index) => ({
    pool: pool.code, costCentre, weight: values[index]!, base, amounts: { billed: billed![index]!, effective: effective![index]! },
  }))
  return { shares: shares.filter(({ weight }) => weight > 0n), held: { billed: 0n, effective: 0n }, problem: null }
}

/** Why a pool cannot be shared among cost centres by its weights, or null. */
export function problemOf(pool: Pool, { centres, pools }: Weights): Problem | null {
  if (pool.base.kind === 'fixed' && sum(centres.values()) + sum(pools.values()) !== HUNDRED) {
    return { code: 'POOL_PERCENT', subject: pool.code, message: `The percentages of pool ${pool.name} for cost centres that hold in this month do not add up to 100.` }
  }
  if ([...centres.values()].some((weight) => weight < 0n)) {
    return { code: 'POOL_BASE_ZERO', subject: pool.code, message: `The base of pool ${pool.name} has a negative quantity in this month.` }
  }
  if (sum(centres.values()) <= 0n) {
    const driver = pool.base.kind === 'driver' ? `: the driver ${pool.base.driver} has no quantity for a cost centre` : ''
    return { code: 'POOL_BASE_ZERO', subject: pool.code, message: `The base of pool ${pool.name} is zero in this month${driver}.` }
  }
  return null
}

/** What a share of the pool is in proportion to, as people read it. */
export function baseLabel(pool: Pool): string {
  if (pool.base.kind === 'driver') return `by the driver ${pool.base.driver}`
  return { even: 'evenly', direct: 'in proportion to direct cost', fixed: 'by fixed percentages' }[pool.base.kind]
}
