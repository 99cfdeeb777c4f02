import { Fraction } from '../../../core/money/fraction.ts'
import { POOL_TARGET } from '../../../core/pools/distribute.ts'
import { serve, throughput } from '../../../core/pools/serve.ts'
import type { Basis } from '../../../core/types.ts'
import type { Database } from '../../db/database.ts'
import { readOutcomes } from '../allocation/outcomes.ts'
import { exact, readWeights } from '../statements/read.ts'

/** What passes through a pool of a run in one stream: its own cost and what other pools give it, in 10^-10 of the currency. */
export interface Passing {
  own: bigint
  received: { from: string; through: Fraction; part: Fraction }[]
  through: Fraction
  /** what it gives to other pools, as parts of what passes through it */
  gives: { to: string; part: Fraction }[]
}

/**
 * The equations of pools that serve each other, with their solution, from the weights that the run kept: x = own + the part
 * that each giver gives × what passes through the giver. The weights kept are those that the method used.
 */
export async function readPassing(database: Database, runId: number, basis: Basis, provider: string, currency: string): Promise<Map<string, Passing>> {
  const [weights, pooled] = await Promise.all([readWeights(database, runId), readOutcomes(database, runId, { kind: 'pool', provider })])
  const isPool = (target: string): boolean => target.startsWith(POOL_TARGET)
  const codes = [...new Set(weights.flatMap(({ pool, cost_centre: target }) => (isPool(target) ? [pool, target.slice(POOL_TARGET.length)] : [pool])))]
  const { parts, passes } = serve(codes.map((code) => {
    const own = weights.filter(({ pool }) => pool === code).map(({ cost_centre: target, weight }) => [target, exact(weight)] as const)
    // a share that came to nothing is not kept: its weight is what the base has beyond the others
    const base = weights.find(({ pool }) => pool === code)?.base
    const rest = base === undefined ? 0n : exact(base) - own.reduce((sum, [, weight]) => sum + weight, 0n)
    return { code, centres: new Map([...own.filter(([target]) => !isPool(target)), ['', rest] as const]), pools: new Map(own.filter(([target]) => isPool(target)).map(([target, weight]) => [target.slice(POOL_TARGET.length), weight])) }
  }), 'reciprocal')
  const ownOf = new Map<string, bigint>()
  for (const { target, currency: billed, amounts } of pooled) if (billed === currency) ownOf.set(target, (ownOf.get(target) ?? 0n) + amounts[basis])
  const through = throughput(passes, ownOf)
  return new Map(codes.map((code) => [code, {
    own: ownOf.get(code) ?? 0n, through: through.get(code) ?? Fraction.ZERO,
    received: [...parts].flatMap(([from, { pools }]) => (pools.has(code) ? [{ from, through: through.get(from)!, part: pools.get(code)! }] : [])),
    gives: [...parts.get(code)!.pools].map(([to, part]) => ({ to, part })),
  }]))
}
