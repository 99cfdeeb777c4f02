import { describe, expect, test } from '@jest/globals'
import fc from 'fast-check'
import { amountOf, formatAmount, parseAmount, roundTo, storedAmount } from './amount.ts'

describe('amounts', () => {
  test.each([['1', 10_000_000_000n], ['-0.0000000001', -1n], ['2.4e+0', 24_000_000_000n], ['3E0', 30_000_000_000n], ['.5', 5_000_000_000n], ['1e-10', 1n], ['+7.', 70_000_000_000n]])('%s is read exactly', (text, units) => {
    expect(parseAmount(text)).toEqual({ units, exact: true })
  })
  test.each(['1,000', '€5', ' 1', '1 ', '', '.', '0x10', 'Infinity', 'NaN', '1e', '--1', '1_000'])('%j is no plain decimal', (text) => {
    expect(parseAmount(text)).toBeNull()
  })
  test('digits beyond the tenth are rounded half to even and said so', () => {
    expect(parseAmount('0.00000000005')).toEqual({ units: 0n, exact: false })
    expect(parseAmount('0.00000000015')).toEqual({ units: 2n, exact: false })
    expect(parseAmount('-0.00000000015')).toEqual({ units: -2n, exact: false })
  })
  test('stored decimals are read as the general way reads them', () => {
    fc.assert(fc.property(fc.bigInt({ min: -(10n ** 22n), max: 10n ** 22n }), (units) => storedAmount(formatAmount(units, 10)) === units))
    expect([storedAmount('0'), storedAmount('-0.0000000001'), storedAmount('12')]).toEqual([0n, -1n, 120_000_000_000n])
  })
  test('writing and reading give the same amount', () => {
    fc.assert(fc.property(fc.bigInt({ min: -(10n ** 24n), max: 10n ** 24n }), (units) => amountOf(formatAmount(units)) === units))
  })
  test('rounding mirrors negatives and takes ties to even', () => {
    expect([roundTo(amountOf('0.125'), 2), roundTo(amountOf('0.135'), 2), roundTo(amountOf('-0.125'), 2)]).toEqual([12n, 14n, -12n])
    fc.assert(fc.property(fc.bigInt(), (units) => roundTo(-units, 2) === -roundTo(units, 2)))
  })
})
