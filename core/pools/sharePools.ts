import { Fraction, wholeParts } from '../money/fraction.ts'
import type { Problem } from '../problems.ts'
import { BASES, type Amounts, type Pool, type PoolMethod } from '../types.ts'
import { distribute, problemOf, strayQuantities, weightsOf, type PoolShare, type Weights, type WeightSources } from './distribute.ts'
import { serve, throughput, type ServingPool } from './serve.ts'

/** What one provider billed in one currency to a pool. Streams are never added without a rate. */
export interface PoolStream { provider: string; currency: string; code: string; amounts: Amounts }
export interface StreamShare extends PoolShare { provider: string; currency: string }
export interface StreamHeld { provider: string; currency: string; pool: string; amounts: Amounts; reason: string }
/** What a pool gives to another, for the workings. */
export interface PoolLink { pool: string; to: string; weight: bigint; base: bigint }
export interface SharedPools { shares: StreamShare[]; held: StreamHeld[]; links: PoolLink[]; problems: Problem[] }

/** Shares the pools of a month: each stream by itself, pools that serve each other together under the method. */
export function sharePools(streams: readonly PoolStream[], pools: readonly Pool[], method: PoolMethod, sources: WeightSources): SharedPools {
  const weights = new Map(pools.map((pool) => [pool.code, weightsOf(pool, sources)]))
  const network = networkOf(pools, weights, method)
  const result: SharedPools = { shares: [], held: [], links: [], problems: [] }
  const problems = new Map<string, Problem>()
  for (const { provider, currency, code, amounts } of streams.filter((stream) => !network.has(stream.code))) {
    const { shares, held, problem } = distribute(pools.find((pool) => pool.code === code)!, amounts, weights.get(code)!)
    result.shares.push(...shares.map((share) => ({ ...share, provider, currency })))
    if (!problem) continue
    result.held.push({ provider, currency, pool: code, amounts: held, reason: problem.message })
    problems.set(code, problem)
  }
  if (network.size > 0) shareNetwork(streams, pools.filter(({ code }) => network.has(code)), weights, method, result, problems)
  const used = new Set(streams.map(({ code }) => code))
  result.problems.push(...problems.values(), ...pools.filter(({ code }) => used.has(code) || network.has(code)).flatMap((pool) => strayQuantities(pool, sources)))
  return result
}

/** Pools that give to another under the method, or receive from one. */
function networkOf(pools: readonly Pool[], weights: ReadonlyMap<string, Weights>, method: PoolMethod): Set<string> {
  const { parts } = serve(pools.map((pool) => servingPool(pool, weights.get(pool.code)!)), method)
  const givers = [...parts].filter(([, { pools: others }]) => others.size > 0)
  return new Set(givers.flatMap(([code, { pools: others }]) => [code, ...others.keys()]))
}

/** A pool whose weights cannot be used gives nothing: what it has and receives is held. */
function servingPool(pool: Pool, weights: Weights): ServingPool {
  const problem = problemOf(pool, weights)
  // a pool that serves only other pools needs no cost centre of its own
  const isUsable = !problem || (problem.code === 'POOL_BASE_ZERO' && [...weights.centres.values(), ...weights.pools.values()].every((weight) => weight >= 0n) && [...weights.pools.values()].some((weight) => weight > 0n))
  return { code: pool.code, centres: isUsable ? weights.centres : new Map(), pools: isUsable ? weights.pools : new Map() }
}

function shareNetwork(streams: readonly PoolStream[], pools: readonly Pool[], weights: ReadonlyMap<string, Weights>, method: PoolMethod, result: SharedPools, problems: Map<string, Problem>): void {
  const { parts, passes, withoutOutlet } = serve(pools.map((pool) => servingPool(pool, weights.get(pool.code)!)), method)
  const baseOf = (code: string): bigint => {
    const { centres, pools: others } = weights.get(code)!
    return [...[...centres].filter(([to]) => parts.get(code)!.centres.has(to)), ...[...others].filter(([to]) => parts.get(code)!.pools.has(to))].reduce((sum, [, weight]) => sum + weight, 0n)
  }
  for (const code of withoutOutlet) problems.set(code, noOutlet(pools.find((pool) => pool.code === code)!, pools.filter((pool) => withoutOutlet.includes(pool.code)), weights))
  for (const [pool, { pools: others }] of parts) for (const to of others.keys()) result.links.push({ pool, to, weight: weights.get(pool)!.pools.get(to)!, base: baseOf(pool) })
  const names = [...new Map(streams.filter(({ code }) => parts.has(code)).map((stream) => [`${stream.provider}\u0000${stream.currency}`, stream])).values()]
  for (const { provider, currency } of names) {
    const own = streams.filter((stream) => stream.provider === provider && stream.currency === currency && parts.has(stream.code))
    const ways = [...parts].flatMap(([pool, { centres }]) => [...centres].map(([costCentre, part]) => ({ pool, costCentre: costCentre as string | null, part })))
    const all = [...ways, ...withoutOutlet.map((pool) => ({ pool, costCentre: null, part: Fraction.ONE }))]
    const [billed, effective] = BASES.map((basis) => {
      const through = throughput(passes, new Map(own.map(({ code, amounts }) => [code, amounts[basis]])))
      return wholeParts(all.map(({ pool, part }) => through.get(pool)!.times(part)))
    })
    all.forEach(({ pool, costCentre }, index) => {
      const amounts = { billed: billed![index]!, effective: effective![index]! }
      if (amounts.billed === 0n && amounts.effective === 0n) return
      if (costCentre === null) result.held.push({ provider, currency, pool, amounts, reason: problems.get(pool)!.message })
      else result.shares.push({ provider, currency, pool, costCentre, weight: weights.get(pool)!.centres.get(costCentre)!, base: baseOf(pool), amounts })
    })
  }
}

function noOutlet(pool: Pool, closed: readonly Pool[], weights: ReadonlyMap<string, Weights>): Problem {
  const own = problemOf(pool, weights.get(pool.code)!)
  const gives = [...weights.get(pool.code)!.pools.values()].some((weight) => weight > 0n)
  if (own && !gives) return own
  return { code: 'POOL_NO_OUTLET', subject: pool.code, message: `${closed.map(({ name }) => name).join(', ')}: these pools give only to each other, so that nothing of them reaches a cost centre. Their money is held.` }
}
