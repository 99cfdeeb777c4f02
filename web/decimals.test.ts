import { expect, test } from '@jest/globals'
import fc from 'fast-check'
import { formatAmount } from '../core/money/amount.ts'
import { addDecimals } from './decimals.ts'

test('decimals are added exactly, with the decimals of the longest', () => {
  expect([addDecimals([]), addDecimals(['0.1', '0.2']), addDecimals(['1', '-1.00']), addDecimals(['999999999999.99', '0.01'])]).toEqual(['0', '0.3', '0.00', '1000000000000.00'])
  fc.assert(fc.property(fc.array(fc.bigInt({ min: -(10n ** 20n), max: 10n ** 20n })), (all) => addDecimals(all.map((units) => formatAmount(units))) === formatAmount(all.reduce((sum, units) => sum + units, 0n), Math.max(0, ...all.map((units) => formatAmount(units).split('.')[1]?.length ?? 0)))))
})
