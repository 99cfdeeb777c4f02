import { holdsIn, type Month } from '../calendar/month.ts'
import { clusterDriverName } from '../kubernetes/clusterDrivers.ts'
import { TRAFFIC } from '../network/flows.ts'
import { parseAmount } from '../money/amount.ts'
import { apportion } from '../money/apportion.ts'
import { commonDivisor } from '../money/fraction.ts'
import { HUNDRED } from '../money/percents.ts'
import { BASES, type Amounts, type CostCentre, type Drivers, type Pool, type SimpleBase } from '../types.ts'
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
export function weightsOf(pool: Pool, sources: WeightSources): Weights {
  const { base } = pool
  if (base.kind === 'mix') return mixed(base.parts.map(({ percent, base: part }) => ({ percent: parseAmount(percent)?.units ?? 0n, weights: weightsOf({ ...pool, base: part }, sources) })))
  const { centres, directCost, drivers, month, pools } = sources
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

/** Quantities of the drivers of a pool that nobody can be charged by: of cost centres that do not hold in the month, and of names that are none. */
export function strayQuantities(pool: Pool, { centres, drivers, month, pools }: WeightSources): Problem[] {
  return driversOfBase(pool).flatMap((driver) => [...(drivers.get(driver) ?? [])].flatMap(([target, quantity]): Problem[] => {
    const centre = centres.find(({ code }) => code === target)
    const isPool = target.startsWith(POOL_TARGET) && pools.some(({ code }) => code === target.slice(POOL_TARGET.length))
    if (quantity === 0n || isPool || (centre && holdsIn(month, centre.validFrom, centre.validTo))) return []
    return [{ code: 'DRIVER_TARGET', subject: driver, message: `The driver ${driver} has a quantity for ${target}, which ${centre ? 'does not hold in this month' : 'is no cost centre and no pool'}: pool ${pool.name} is shared without it.` }]
  }))
}

/**
 * The weights of several bases as one: each base's weights over their sum, times its percentage. Multiplied by the product of
 * all sums they are integers, so nothing is rounded. A base that is zero leaves no weights: a mix is not shared by the rest of it.
 */
function mixed(parts: readonly { percent: bigint; weights: Weights }[]): Weights {
  const used = parts.filter(({ percent }) => percent !== 0n)
  const sums = used.map(({ weights }) => sum(weights.centres.values()) + sum(weights.pools.values()))
  if (sums.some((one) => one <= 0n)) return { centres: new Map(), pools: new Map() }
  const product = sums.reduce((all, one) => all * one, 1n)
  const combine = (mapOf: (weights: Weights) => ReadonlyMap<string, bigint>): Map<string, bigint> => {
    const combined = new Map<string, bigint>()
    used.forEach(({ percent, weights }, index) => { for (const [code, weight] of mapOf(weights)) combined.set(code, (combined.get(code) ?? 0n) + percent * weight * (product / sums[index]!)) })
    return new Map([...combined].sort(([a], [b]) => (a < b ? -1 : 1)))
  }
  const [centres, pools] = [combine((weights) => weights.centres), combine((weights) => weights.pools)]
  // in lowest terms, so that they can be kept and read
  const divisor = [...centres.values(), ...pools.values()].reduce(commonDivisor, 0n) || 1n
  const reduce = (weights: Map<string, bigint>): Map<string, bigint> => new Map([...weights].map(([code, weight]) => [code, weight / divisor]))
  return { centres: reduce(centres), pools: reduce(pools) }
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
    const driver = pool.base.kind === 'mix' ? ': one of the bases of its mix has nothing' : pool.base.kind === 'driver' ? `: the driver ${pool.base.driver} has no quantity for a cost centre` : ''
    return { code: 'POOL_BASE_ZERO', subject: pool.code, message: `The base of pool ${pool.name} is zero in this month${driver}.` }
  }
  return null
}

/** What a share of the pool is in proportion to, as people read it. */
export function baseLabel(pool: Pool): string {
  const { base } = pool
  if (base.kind === 'mix') return base.parts.map(({ percent, base: part }) => `${percent} % ${baseText(part)}`).join(', ')
  return base.kind === 'fixed' ? 'by fixed percentages' : baseText(base)
}

export const driverName = (driver: string): string =>
  driver.startsWith(TRAFFIC) ? `measured traffic to ${driver.slice(TRAFFIC.length)}` : (clusterDriverName(driver) ?? `the driver ${driver}`)

/** Whether a run counts the driver by itself, from traffic or metering: the beginnings of its names are taken. */
export const isMeasuredDriver = (driver: string): boolean => driver.startsWith(TRAFFIC) || clusterDriverName(driver) !== null

const baseText = (base: SimpleBase): string => (base.kind === 'driver' ? `by ${driverName(base.driver)}` : { even: 'evenly', direct: 'in proportion to direct cost' }[base.kind])

/** Drivers that a pool is shared by. */
export const driversOfBase = ({ base }: Pick<Pool, 'base'>): string[] => (base.kind === 'driver' ? [base.driver] : base.kind === 'mix' ? base.parts.flatMap((part) => driversOfBase(part)) : [])
/** Whether direct cost is among the bases. */
export const needsDirectCost = ({ base }: Pick<Pool, 'base'>): boolean => base.kind === 'direct' || (base.kind === 'mix' && base.parts.some((part) => needsDirectCost(part)))
