import { expect, test } from '@jest/globals'
import fc from 'fast-check'
import { formatAmount } from '../core/money/amount.ts'
import { addDecimals, evenDecimals, evenRows } from './decimals.ts'

test('decimals are added exactly, with the decimals of the longest', () => {
  expect([addDecimals([]), addDecimals(['0.1', '0.2']), addDecimals(['1', '-1.00']), addDecimals(['999999999999.99', '0.01'])]).toEqual(['0', '0.3', '0.00', '1000000000000.00'])
  fc.assert(fc.property(fc.array(fc.bigInt({ min: -(10n ** 20n), max: 10n ** 20n })), (all) => addDecimals(all.map((units) => formatAmount(units))) === formatAmount(all.reduce((sum, units) => sum + units, 0n), Math.max(0, ...all.map((units) => formatAmount(units).split('.')[1]?.length ?? 0)))))
})

test('decimals of a column get as many digits as the longest, and keep their value', () => {
  expect(evenDecimals(['28.365', '-97.5407838097', '2'])).toEqual(['28.3650000000', '-97.5407838097', '2.0000000000'])
  expect(evenDecimals([])).toEqual([])
  expect(evenRows([{ name: 'a', in: '1.5', out: '-3' }, { name: 'b', in: '0', out: '0.25' }], 'in', 'out')).toEqual([{ name: 'a', in: '1.50', out: '-3.00' }, { name: 'b', in: '0.00', out: '0.25' }])
})
