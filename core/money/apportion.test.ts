import { readFileSync } from 'node:fs'
import { describe, expect, test } from '@jest/globals'
import fc from 'fast-check'
import { apportion, roundList, roundTogether } from './apportion.ts'
import { amountOf } from './amount.ts'
import { minorDigits } from './currency.ts'

interface RoundingCase { id: string; kind: string; input: { total: string; currency: string; minor_digits: number; weights: string[] }; expected: { shares?: string[] } }
// constructed cases, recomputed as exact fractions with python3 fractions.Fraction: tests/reference/rounding.json
const { cases } = JSON.parse(readFileSync('tests/reference/rounding.json', 'utf8')) as { cases: RoundingCase[] }

const minor = (text: string, digits: number): bigint => amountOf(text) / 10n ** BigInt(10 - digits)

describe('largest remainder', () => {
  test.each(cases.filter(({ expected }) => expected.shares))('$id', ({ input, expected }) => {
    expect(minorDigits(input.currency)).toBe(input.minor_digits)
    const parts = apportion(minor(input.total, input.minor_digits), input.weights.map(amountOf))
    expect(parts).toEqual(expected.shares!.map((share) => minor(share, input.minor_digits)))
  })
  test.each(cases.filter(({ expected }) => !expected.shares))('$id has no base: nothing is shared and nothing is lost', ({ input }) => {
    expect(apportion(minor(input.total, input.minor_digits), input.weights.map(amountOf))).toBeNull()
  })
  const weights = fc.array(fc.bigInt({ min: 0n, max: 10n ** 20n }), { minLength: 1, maxLength: 30 }).filter((all) => all.some((weight) => weight > 0n))
  test('parts add up, stay within one unit of their exact share, and credits mirror', () => {
    fc.assert(fc.property(fc.bigInt({ min: -(10n ** 18n), max: 10n ** 18n }), weights, (total, all) => {
      const parts = apportion(total, all)!
      const base = all.reduce((sum, weight) => sum + weight, 0n)
      expect(parts.reduce((sum, part) => sum + part, 0n)).toBe(total)
      parts.forEach((part, index) => {
        const off = part * base - total * all[index]!
        expect((off < 0n ? -off : off) < base).toBe(true)
      })
      expect(apportion(-total, all)).toEqual(parts.map((part) => -part))
    }))
  })
  test('rounded lists add up to their rounded sum, with mixed signs, each within one unit', () => {
    fc.assert(fc.property(fc.array(fc.bigInt({ min: -(10n ** 15n), max: 10n ** 15n }), { maxLength: 40 }), (parts) => {
      const { rounded, total } = roundList(parts, 2, 10)
      expect(rounded.reduce((sum, part) => sum + part, 0n)).toBe(total)
      rounded.forEach((value, index) => { const off = value * 10n ** 8n - parts[index]!; expect((off < 0n ? -off : off) < 10n ** 8n).toBe(true) })
    }))
  })
  test('which of two equal remainders gets the unit depends on rank alone, not on the order of the list', () => {
    fc.assert(fc.property(fc.shuffledSubarray([0, 1, 2, 3, 4, 5], { minLength: 6 }), (order) => {
      const rounded = roundTogether(order.map(() => 50n), 3n, 100n, (index) => order[index]!)
      expect(order.filter((_, index) => rounded[index] === 1n).sort()).toEqual([0, 1, 2])
    }))
  })
  test('a whole that is not the sum is refused', () => {
    expect(() => roundTogether([10n, 10n], 5n, 100n)).toThrow('not the rounded sum')
  })
})
