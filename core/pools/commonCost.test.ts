import { describe, expect, test } from '@jest/globals'
import fc from 'fast-check'
import { Fraction, sumOf } from '../money/fraction.ts'
import { commonCost } from './commonCost.ts'
import { chargeAtRates } from './dualRate.ts'

const whole = (value: number): Fraction => Fraction.of(BigInt(value))
const texts = (of: ReadonlyMap<string, Fraction>): Record<string, string> => Object.fromEntries([...of].map(([user, value]) => [user, String(value)]))
/** A cost of each set of users, no less for a larger set. */
const game = fc.record({ own: fc.array(fc.integer({ min: 1, max: 900 }), { minLength: 1, maxLength: 5 }), joint: fc.integer({ min: 0, max: 500 }) })
const costOf = ({ own, joint }: { own: number[]; joint: number }) => (members: readonly string[]): Fraction => whole(members.length === 0 ? 0 : joint + Math.max(...members.map((name) => own[Number(name)]!)))

describe('a common cost', () => {
  test('of a runway, by the mean over all orders: each stretch is shared by those who need it', () => {
    // Littlechild and Owen, A simple expression for the Shapley value in a special case, Management Science 20 (1973): sum of (c_i - c_{i-1}) / (n - i + 1)
    const lengths = { a: 60, b: 120, c: 300, d: 420 } as Record<string, number>
    const { meanOfOrders } = commonCost(Object.keys(lengths), (members) => whole(Math.max(0, ...members.map((name) => lengths[name]!))))
    expect(texts(meanOfOrders())).toEqual({ a: '15', b: '35', c: '125', d: '245' })
  })
  test('is divided to the last part, whichever way', () => {
    fc.assert(fc.property(game, (one) => {
      const users = one.own.map((_, index) => String(index))
      const of = commonCost(users, costOf(one))
      for (const parts of [of.standAlone, of.incremental(users), of.meanOfOrders()]) expect(String(sumOf([...parts.values()]))).toBe(String(costOf(one)(users)))
    }), { numRuns: 60 })
  })
  test('is the same for users who cost the same, and nothing for one who adds nothing', () => {
    fc.assert(fc.property(game, (one) => {
      const users = [...one.own.map((_, index) => String(index)), 'idle']
      const parts = commonCost(users, (members) => costOf(one)(members.filter((name) => name !== 'idle'))).meanOfOrders()
      expect(String(parts.get('idle'))).toBe('0')
      one.own.forEach((cost, index) => { const twin = one.own.indexOf(cost); expect(String(parts.get(String(index)))).toBe(String(parts.get(String(twin)))) })
    }), { numRuns: 40 })
  })
})

describe('one rate and two', () => {
  const pool = fc.record({ fixed: fc.integer({ min: 0, max: 1_000_000 }), variable: fc.integer({ min: 0, max: 500 }), spare: fc.integer({ min: 0, max: 900 }), units: fc.array(fc.tuple(fc.integer({ min: 1, max: 900 }), fc.integer({ min: 0, max: 900 })), { minLength: 1, maxLength: 5 }) })
  const rated = ({ fixed, variable, spare, units }: { fixed: number; variable: number; spare: number; units: [number, number][] }) => ({
    fixed: whole(fixed), variableRate: whole(variable), capacity: whole(units.reduce((sum, [planned]) => sum + planned, spare)),
    budget: new Map(units.map(([planned], index) => [String(index), whole(planned)])), actual: new Map(units.map(([, used], index) => [String(index), whole(used)])),
  })
  test('what is charged and what is not add up to fixed cost and the variable cost of use', () => {
    fc.assert(fc.property(pool, fc.constantFrom('single' as const, 'dual' as const), fc.constantFrom('budget' as const, 'capacity' as const), (one, rates, level) => {
      const { charges, fixedNotAllocated } = chargeAtRates(rated(one), { rates, level, fixedBy: 'budget' })
      const used = one.units.reduce((sum, [, actual]) => sum + actual, 0)
      expect(String(sumOf([...charges.values(), fixedNotAllocated]))).toBe(String(whole(one.fixed + one.variable * used)))
    }))
  })
  test('under two rates one user’s use moves no other’s charge; under one rate nobody’s plan does', () => {
    fc.assert(fc.property(pool, fc.integer({ min: 0, max: 900 }), (one, more) => {
      const other = { ...one, units: one.units.map(([planned, used], index): [number, number] => [planned, index === 0 ? used + more : used]) }
      const chargesOf = (of: typeof one): ReadonlyMap<string, Fraction> => chargeAtRates(rated(of), { rates: 'dual', level: 'budget', fixedBy: 'budget' }).charges
      for (const [user, charge] of chargesOf(one)) if (user !== '0') expect(String(chargesOf(other).get(user))).toBe(String(charge))
    }))
  })
  test('capacity that nobody planned to use is told apart', () => {
    fc.assert(fc.property(pool, (one) => {
      const { unusedCapacity } = chargeAtRates(rated(one), { rates: 'dual', level: 'capacity', fixedBy: 'budget' })
      const capacity = one.units.reduce((sum, [planned]) => sum + planned, one.spare)
      expect(String(unusedCapacity)).toBe(String(Fraction.of(BigInt(one.fixed * one.spare), BigInt(capacity))))
    }))
  })
  test('by nothing there is no rate', () => {
    const nothing = { fixed: whole(1), variableRate: whole(0), capacity: null, budget: new Map([['a', whole(0)]]), actual: new Map([['a', whole(0)]]) }
    expect(() => chargeAtRates(nothing, { rates: 'single', level: 'budget', fixedBy: 'budget' })).toThrow(RangeError)
  })
})
