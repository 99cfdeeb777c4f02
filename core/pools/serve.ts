import { Fraction, sumOf } from '../money/fraction.ts'
import type { PoolMethod } from '../types.ts'

/** A pool and what it serves: weights of cost centres and of other pools, none below zero, in any one unit. */
export interface ServingPool { code: string; centres: ReadonlyMap<string, bigint>; pools: ReadonlyMap<string, bigint> }

export interface Served {
  /** the part of each pool that goes to each cost centre and pool, by pool; a pool without outlet has none */
  parts: Map<string, { centres: Map<string, Fraction>; pools: Map<string, Fraction> }>
  /** how much of the own cost of the second pool passes through the first: 1 for itself, and more where it comes back */
  passes: Map<string, Map<string, Fraction>>
  /** pools whose money never reaches a cost centre; it is held, with what others give them */
  withoutOutlet: string[]
}

/**
 * Follows shares through pools that serve each other, exactly. A pool reaches a cost centre directly or by way of the
 * pools that it may give to under the method; one that does not keeps what it has and receives.
 * Reciprocal: x = c + Sᵀx, solved as (I − Sᵀ)x = c by elimination over fractions (Cost accounting, any text book).
 */
export function serve(pools: readonly ServingPool[], method: PoolMethod): Served {
  const given = pools.map((pool, index) => ({ ...pool, pools: mayReceive(pools, index, method) }))
  const withoutOutlet = closedPools(given)
  const parts = new Map(given.map(({ code, centres, pools: others }) => {
    const base = [...centres.values(), ...others.values()].reduce((sum, weight) => sum + weight, 0n)
    const part = (weights: ReadonlyMap<string, bigint>): Map<string, Fraction> => new Map(withoutOutlet.includes(code) ? [] : [...weights].filter(([, weight]) => weight > 0n).map(([name, weight]) => [name, Fraction.of(weight, base)]))
    return [code, { centres: part(centres), pools: part(others) }]
  }))
  return { parts, passes: solve(given.map(({ code }) => code), parts), withoutOutlet }
}

/** The pools that one may give to under the method, itself never. */
function mayReceive(pools: readonly ServingPool[], index: number, method: PoolMethod): Map<string, bigint> {
  const { code, pools: weights } = pools[index]!
  if (method === 'direct') return new Map()
  const allowed = new Set((method === 'stepDown' ? pools.slice(index + 1) : pools).map((pool) => pool.code))
  return new Map([...weights].filter(([to]) => to !== code && allowed.has(to)))
}

/** Pools from which no cost centre can be reached. */
function closedPools(pools: readonly ServingPool[]): string[] {
  const open = new Set(pools.filter(({ centres }) => [...centres.values()].some((weight) => weight > 0n)).map(({ code }) => code))
  for (let grown = true; grown;) {
    const reached = pools.filter(({ code, pools: others }) => !open.has(code) && [...others].some(([to, weight]) => weight > 0n && open.has(to)))
    reached.forEach(({ code }) => open.add(code))
    grown = reached.length > 0
  }
  return pools.filter(({ code }) => !open.has(code)).map(({ code }) => code)
}

/** The inverse of I − Sᵀ: entry (p, q) is how much of q's own cost passes through p. Every pool reaches an outlet or gives nothing, so it exists. */
function solve(codes: readonly string[], parts: Served['parts']): Served['passes'] {
  const size = codes.length
  const rows = codes.map((to, row) => [
    ...codes.map((from, column) => (row === column ? Fraction.ONE : Fraction.ZERO).minus(parts.get(from)!.pools.get(to) ?? Fraction.ZERO)),
    ...codes.map((_, column) => (row === column ? Fraction.ONE : Fraction.ZERO)),
  ])
  for (let pivot = 0; pivot < size; pivot++) {
    const at = rows.findIndex((row, index) => index >= pivot && !row[pivot]!.isZero)
    ;[rows[pivot], rows[at]] = [rows[at]!, rows[pivot]!]
    const divisor = rows[pivot]![pivot]!
    rows[pivot] = rows[pivot]!.map((cell) => cell.dividedBy(divisor))
    rows.forEach((row, index) => {
      const factor = row[pivot]!
      if (index !== pivot && !factor.isZero) rows[index] = row.map((cell, column) => cell.minus(factor.times(rows[pivot]![column]!)))
    })
  }
  return new Map(codes.map((code, row) => [code, new Map(codes.flatMap((from, column) => (rows[row]![size + column]!.isZero ? [] : [[from, rows[row]![size + column]!]])))]))
}

/** What passes through each pool, its own cost and what it receives, from the own costs of all. */
export function throughput(passes: Served['passes'], own: ReadonlyMap<string, bigint>): Map<string, Fraction> {
  return new Map([...passes].map(([code, from]) => [code, sumOf([...from].map(([other, part]) => part.times(Fraction.of(own.get(other) ?? 0n))))]))
}
