import { describe, expect, test } from '@jest/globals'
import fc from 'fast-check'
import { ExactSums } from '../charges/exactSums.ts'
import { OutcomeSums } from './outcomeSums.ts'
import { AmountColumns } from './packedTable.ts'

const amount = fc.bigInt({ min: -(10n ** 20n), max: 10n ** 20n })

describe('sums in pairs of floats', () => {
  test('are those of integers, in whatever order and mixture rows and parts come', () => {
    fc.assert(fc.property(fc.array(fc.record({ slot: fc.nat(5), billed: amount, effective: amount, isPart: fc.boolean() }), { maxLength: 200 }), (all) => {
      const sums = new OutcomeSums()
      const columns = { billed: AmountColumns.of(all.map(({ billed }) => billed)), effective: AmountColumns.of(all.map(({ effective }) => effective)) }
      all.forEach(({ slot, isPart, billed, effective }, row) => (isPart ? sums.addPart(slot, { billed, effective }) : sums.addRow(slot, columns, row)))
      for (let slot = 0; slot <= 5; slot++) {
        const own = all.filter((one) => one.slot === slot)
        expect(sums.amounts(slot)).toEqual({ billed: own.reduce((sum, { billed }) => sum + billed, 0n), effective: own.reduce((sum, { effective }) => sum + effective, 0n) })
      }
    }))
  })
  test('hold beyond what a single float counts: a million units of the smallest and the largest amount', () => {
    const sums = new ExactSums()
    for (let times = 0; times < 1_000_000; times++) sums.add(0, 900_000_000, 9_999_999_999)
    expect(sums.units(0)).toBe(1_000_000n * (900_000_000n * 10_000_000_000n + 9_999_999_999n))
  })
  test('refuse to go on where a float would begin to round', () => {
    const sums = new ExactSums()
    sums.add(0, Number.MAX_SAFE_INTEGER, 0)
    sums.add(0, 2, 0)
    expect(() => sums.units(0)).toThrow(RangeError)
    expect(() => AmountColumns.of([10n ** 26n])).toThrow('amount too large')
  })
  test('print with ten decimals and one sign, as a bigint would', () => {
    fc.assert(fc.property(fc.array(amount, { minLength: 1, maxLength: 20 }), (all) => {
      const sums = new ExactSums()
      const { wholes, fractions } = AmountColumns.of(all)
      all.forEach((_, row) => sums.add(0, wholes[row]!, fractions[row]!))
      const total = all.reduce((sum, one) => sum + one, 0n)
      const [whole, fraction] = [(total < 0n ? -total : total) / 10n ** 10n, (total < 0n ? -total : total) % 10n ** 10n]
      expect(sums.text(0)).toBe(`${total < 0n ? '-' : ''}${whole}${fraction === 0n ? '' : `.${String(fraction).padStart(10, '0')}`}`)
    }))
  })
})
