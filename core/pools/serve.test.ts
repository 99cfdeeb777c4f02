import { describe, expect, test } from '@jest/globals'
import fc from 'fast-check'
import { amountOf, roundTo } from '../money/amount.ts'
import { Fraction, sumOf } from '../money/fraction.ts'
import { POOL_METHODS, type CostCentre, type Pool } from '../types.ts'
import { distribute, weightsOf, type WeightSources } from './distribute.ts'
import { serve, throughput, type ServingPool } from './serve.ts'

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

describe('a mix of bases', () => {
  const centre = (code: string): CostCentre => ({ code, name: code, unit: 'U', owner: '', ledgerAccount: '', validFrom: null, validTo: null })
  const sources = (drivers: Record<string, Record<string, string>>): WeightSources => ({
    centres: [centre('Microcomputer'), centre('Peripheral')], directCost: new Map(), month: '2026-05', pools: [],
    drivers: new Map(Object.entries(drivers).map(([code, values]) => [code, new Map(Object.entries(values).map(([target, text]) => [target, amountOf(text)]))])),
  })
  // from memory: Horngren, Datar, Foster, Cost Accounting, chapter 15, Sand Hill Company: fixed 3 000 000 by budgeted usage 8 000 and 4 000 hours,
  // variable 200 an hour by actual usage 9 000 and 3 000; charges of 3 800 000 and 1 600 000
  test('a dual rate gives the figures of the text book', () => {
    const pool: Pool = { code: 'COMPUTER', name: 'Central computer', recipients: [], base: { kind: 'mix', parts: [{ percent: '55.5555555556', base: { kind: 'driver', driver: 'BUDGET' } }, { percent: '44.4444444444', base: { kind: 'driver', driver: 'ACTUAL' } }] } }
    const { shares } = distribute(pool, { billed: amountOf('5400000'), effective: 0n }, weightsOf(pool, sources({ BUDGET: { Microcomputer: '8000', Peripheral: '4000' }, ACTUAL: { Microcomputer: '9000', Peripheral: '3000' } })))
    // the fixed part is 3 000 000 of 5 400 000, a ninth that percentages of ten decimals come near to
    expect(shares.map(({ costCentre, amounts }) => [costCentre, roundTo(amounts.billed, 2, 10)])).toEqual([['Microcomputer', 380_000_000n], ['Peripheral', 160_000_000n]])
  })
  test('a part whose base is zero leaves the whole pool held, and says so', () => {
    const pool: Pool = { code: 'X', name: 'X', recipients: [], base: { kind: 'mix', parts: [{ percent: '50', base: { kind: 'even' } }, { percent: '50', base: { kind: 'driver', driver: 'LATE' } }] } }
    expect(distribute(pool, { billed: 7n, effective: 7n }, weightsOf(pool, sources({})))).toMatchObject({ shares: [], held: { billed: 7n }, problem: { code: 'POOL_BASE_ZERO', message: expect.stringContaining('one of the bases') as unknown } })
  })
  test('its shares are the shares of its parts, added up', () => {
    const quantity = fc.bigInt({ min: 1n, max: 10n ** 12n })
    fc.assert(fc.property(quantity, quantity, quantity, quantity, fc.integer({ min: 1, max: 99 }), (a, b, c, d, percent) => {
      const drivers = new Map([['A', new Map([['Microcomputer', a], ['Peripheral', b]])], ['B', new Map([['Microcomputer', c], ['Peripheral', d]])]])
      const pool: Pool = { code: 'X', name: 'X', recipients: [], base: { kind: 'mix', parts: [{ percent: String(percent), base: { kind: 'driver', driver: 'A' } }, { percent: String(100 - percent), base: { kind: 'driver', driver: 'B' } }] } }
      const { centres } = weightsOf(pool, { ...sources({}), drivers })
      const total = [...centres.values()].reduce((sum, weight) => sum + weight, 0n)
      const expected = Fraction.of(BigInt(percent) * a, 100n * (a + b)).plus(Fraction.of(BigInt(100 - percent) * c, 100n * (c + d)))
      expect(String(Fraction.of(centres.get('Microcomputer')!, total))).toBe(String(expected))
    }))
  })
})
