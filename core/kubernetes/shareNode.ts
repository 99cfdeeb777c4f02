import { apportion } from '../money/apportion.ts'
import { parseAmount } from '../money/amount.ts'
import { GIBIBYTE, MICROCORES, quantities, RESOURCES, type Quantities } from './meterDay.ts'

/** Relative prices of a core, a gibibyte of memory and a graphics unit, as exact decimals. */
export interface PriceWeights { cpu: string; memory: string; gpu: string }

/** The weights for one microcore, one byte and one graphics unit, as integers in the same proportion. */
export function unitWeights({ cpu, memory, gpu }: PriceWeights): Quantities {
  const [core, gibibyte, unit] = [cpu, memory, gpu].map((text) => parseAmount(text)?.units ?? 0n) as [bigint, bigint, bigint]
  return { cpu: core * BigInt(GIBIBYTE), memory: gibibyte * BigInt(MICROCORES), gpu: unit * BigInt(GIBIBYTE) * BigInt(MICROCORES) }
}

export interface NodeShares {
  /** of each holder, in the order given, by resource */
  parts: Quantities[]
  /** what nobody holds, by resource */
  idle: Quantities
}

/**
 * A node's cost over its holders, to the last unit: every unit of a resource costs cost × weight / Σ(weight × capacity), so that
 * holders and idle add up to the cost whatever the weights (common practice; worked cases in tests/reference).
 * Capacity and holdings have time in them. Null where the weighted capacity is zero: there is nothing to share by.
 */
export function shareNode(cost: bigint, weights: Quantities, capacity: Quantities, held: readonly Quantities[]): NodeShares | null {
  const idleUnits = quantities((resource) => held.reduce((rest, one) => rest - one[resource], capacity[resource]))
  const all = [...held, idleUnits]
  const amounts = apportion(cost, all.flatMap((one) => RESOURCES.map((resource) => one[resource] * weights[resource])))
  if (!amounts) return null
  const shares = all.map((_, index): Quantities => ({ cpu: amounts[index * 3]!, memory: amounts[index * 3 + 1]!, gpu: amounts[index * 3 + 2]! }))
  return { parts: shares.slice(0, -1), idle: shares.at(-1)! }
}

/** What holders of a resource on a node have of it in an hour. */
export interface HourHoldings {
  /** what each holds: what it wants, scaled down where all want more than there is */
  held: bigint[]
  /** what each gets of the rest where idle goes to those who hold the resource, in proportion to it; nothing where nobody does */
  idle: bigint[]
}

/** `capacity` and `wanted` (the larger of request and use) of one resource, with time in them; ties go by `rankOf`, which callers derive from names. */
export function holdHour(capacity: bigint, wanted: readonly bigint[], rankOf: (index: number) => number): HourHoldings {
  const sum = wanted.reduce((total, one) => total + one, 0n)
  const held = sum <= capacity ? [...wanted] : apportion(capacity, wanted, rankOf)!
  const rest = sum < capacity ? capacity - sum : 0n
  return { held, idle: (rest > 0n ? apportion(rest, held, rankOf) : null) ?? wanted.map(() => 0n) }
}

export const totalOf = (amounts: Quantities): bigint => amounts.cpu + amounts.memory + amounts.gpu
