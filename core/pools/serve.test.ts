import { describe, expect, test } from '@jest/globals'
import fc from 'fast-check'
import { readFileSync } from 'node:fs'
import { amountOf } from '../money/amount.ts'
import { Fraction, sumOf } from '../money/fraction.ts'
import { POOL_METHODS } from '../types.ts'
import { serve, throughput, type ServingPool } from './serve.ts'

type Printed = Record<string, { frac: string }>
interface Expected { totals: Printed; flows: Record<string, Printed>; order?: string[]; reciprocated_support_costs?: Printed }
interface Case { id: string; source: string; input: { support: string[]; operating: string[]; own_cost: Record<string, string>; service_units_given: Record<string, Record<string, string>> }; expected: { direct: Expected; step_down: Expected[]; reciprocal: Expected } }
// worked examples of cost-accounting text books and one constructed case, recomputed as exact fractions; the source stands in each case
const cases = (JSON.parse(readFileSync('tests/reference/support.json', 'utf8')) as { cases: Case[] }).cases

function poolsOf({ input: { support, operating, service_units_given: units } }: Case, order = support): ServingPool[] {
  const weights = (code: string, of: string[]): Map<string, bigint> => new Map(of.flatMap((to) => (units[code]![to] ? [[to, amountOf(units[code]![to])]] : [])))
  return order.map((code) => ({ code, centres: weights(code, operating), pools: weights(code, support) }))
}

/** In whole units of the case. */
const whole = (fraction: Fraction): string => String(fraction.dividedBy(Fraction.of(10n ** 10n)))

function check(one: Case, method: (typeof POOL_METHODS)[number], expected: Expected): void {
  const { parts, passes } = serve(poolsOf(one, expected.order), method)
  const own = new Map(one.input.support.map((code) => [code, amountOf(one.input.own_cost[code]!)]))
  const through = throughput(passes, own)
  for (const [pool, flows] of Object.entries(expected.flows)) {
    for (const [to, { frac }] of Object.entries(flows)) {
      if (to === 'pool') { expect(whole(through.get(pool)!)).toBe(frac); continue }
      const part = parts.get(pool)!.centres.get(to) ?? parts.get(pool)!.pools.get(to) ?? Fraction.ZERO
      expect([pool, to, whole(through.get(pool)!.times(part))]).toEqual([pool, to, frac])
    }
  }
  for (const [centre, { frac }] of Object.entries(expected.totals)) {
    const received = sumOf([...parts].map(([pool, { centres }]) => through.get(pool)!.times(centres.get(centre) ?? Fraction.ZERO)))
    expect(whole(received.plus(Fraction.of(amountOf(one.input.own_cost[centre]!))))).toBe(frac)
  }
  for (const [pool, { frac }] of Object.entries(expected.reciprocated_support_costs ?? {})) expect(whole(through.get(pool)!)).toBe(frac)
}

describe.each(cases.map((one) => [one.id, one] as const))('%s', (_id, one) => {
  test('direct', () => check(one, 'direct', one.expected.direct))
  test('step-down, in every order that the case gives', () => one.expected.step_down.forEach((expected) => check(one, 'stepDown', expected)))
  test('reciprocal', () => check(one, 'reciprocal', one.expected.reciprocal))
})

describe('pools that serve each other', () => {
  const CODES = ['P', 'Q', 'R', 'S']
  const weight = fc.bigInt({ min: 0n, max: 9n })
  const network = fc.array(fc.record({ centres: fc.tuple(weight, weight), pools: fc.tuple(weight, weight, weight, weight) }), { minLength: 1, maxLength: 4 })
    .map((all) => all.map(({ centres, pools }, index): ServingPool => ({ code: CODES[index]!, centres: new Map([['a', centres[0]], ['b', centres[1]]]), pools: new Map(CODES.slice(0, all.length).map((code, at) => [code, pools[at]!])) })))
  test('every bit of their own cost reaches a cost centre or is held in a pool without outlet', () => {
    fc.assert(fc.property(network, fc.constantFrom(...POOL_METHODS), (pools, method) => {
      const { parts, passes, withoutOutlet } = serve(pools, method)
      const own = new Map(pools.map(({ code }, index) => [code, BigInt(1000 + 17 * index)]))
      const through = throughput(passes, own)
      const charged = sumOf([...parts].flatMap(([pool, { centres }]) => [...centres.values()].map((part) => part.times(through.get(pool)!))))
      const held = sumOf(withoutOutlet.map((code) => through.get(code)!))
      expect(String(charged.plus(held))).toBe(String([...own.values()].reduce((sum, one) => sum + one, 0n)))
    }), { numRuns: 300 })
  })
  test('the equations hold: what passes through a pool is its own and what the others give it', () => {
    fc.assert(fc.property(network, (pools) => {
      const { parts, passes } = serve(pools, 'reciprocal')
      const own = new Map(pools.map(({ code }, index) => [code, BigInt(5 + index)]))
      const through = throughput(passes, own)
      for (const [code, total] of through) {
        const received = sumOf([...parts].map(([from, { pools: others }]) => (others.get(code) ?? Fraction.ZERO).times(through.get(from)!)))
        expect(String(total)).toBe(String(received.plus(Fraction.of(own.get(code)!))))
      }
    }))
  })
  test('pools that give only to each other have no outlet, and those that give to them keep the rest of their way', () => {
    const to = (...names: string[]): Map<string, bigint> => new Map(names.map((name) => [name, 1n]))
    const { withoutOutlet, parts } = serve([{ code: 'P', centres: to('a'), pools: to('Q') }, { code: 'Q', centres: to(), pools: to('R') }, { code: 'R', centres: to(), pools: to('Q') }], 'reciprocal')
    expect(withoutOutlet).toEqual(['Q', 'R'])
    expect(String(parts.get('P')!.centres.get('a'))).toBe('1/2')
  })
})

test('fractions are kept in lowest terms with the sign above', () => {
  expect([Fraction.of(6n, -4n), Fraction.of(0n, -5n), Fraction.of(8n, 4n)].map(String)).toEqual(['-3/2', '0', '2'])
  expect(() => Fraction.of(1n, 0n)).toThrow(RangeError)
  fc.assert(fc.property(fc.bigInt(), fc.bigInt({ min: 1n }), fc.bigInt(), fc.bigInt({ min: 1n }), (a, b, c, d) => {
    const [x, y] = [Fraction.of(a, b), Fraction.of(c, d)]
    expect(String(x.plus(y).minus(y))).toBe(String(x))
    if (c !== 0n) expect(String(x.times(y).dividedBy(y))).toBe(String(x))
  }))
})
