import { describe, expect, test } from '@jest/globals'
import fc from 'fast-check'
import { amountOf, formatAmount } from './amount.ts'
import { convert, MissingRate, rateName, rateOf, ratesIn, type RateTable } from './convert.ts'
import { effectOfRates } from '../statements/currencyEffect.ts'
import { roundCells, type Cell } from '../statements/cells.ts'

const table = (rates: Record<string, string>): RateTable => new Map(Object.entries(rates).map(([name, rate]) => [name, amountOf(rate)]))

describe('exchange rates', () => {
  test('a rate between two foreign currencies is the quotient of theirs, to ten decimals, half to even (common practice: triangulation)', () => {
    const dollars = ratesIn('USD', 'EUR', table({ EUR: '1', USD: '0.8', GBP: '1.2', JPY: '0.0061' }))
    expect([...dollars].map(([code, rate]) => `${code} ${formatAmount(rate)}`)).toEqual(['EUR 1.25', 'USD 1', 'GBP 1.5', 'JPY 0.007625'])
    expect(formatAmount(ratesIn('GBP', 'EUR', table({ EUR: '1', GBP: '1.1591' })).get('EUR')!)).toBe('0.8627383315')
  })
  test('a provider’s own rate stands before that of the currency; without either nothing is converted', () => {
    const rates = table({ EUR: '1', USD: '0.87', [rateName('USD', 'Nimbrel')]: '0.88' })
    expect([rateOf(rates, 'USD', 'Nimbrel'), rateOf(rates, 'USD', 'Loomlog')].map((rate) => formatAmount(rate!))).toEqual(['0.88', '0.87'])
    expect(() => convert(1n, 'GBP', rates, 'Orvane')).toThrow(MissingRate)
    expect(() => ratesIn('GBP', 'EUR', rates)).toThrow(MissingRate)
  })
  test('in any currency the rounded cells of a provider add up to its rounded whole', () => {
    const money = fc.bigInt({ min: -(10n ** 15n), max: 10n ** 15n })
    const rate = fc.bigInt({ min: 1n, max: 3n * 10n ** 10n })
    fc.assert(fc.property(fc.array(fc.tuple(fc.constantFrom('EUR', 'USD', 'GBP'), fc.constantFrom('10', '20', '30'), money), { minLength: 1, maxLength: 30 }), rate, rate, fc.constantFrom('EUR', 'USD', 'GBP'), (list, usd, gbp, to) => {
      const rates = ratesIn(to, 'EUR', new Map([['EUR', 10n ** 10n], ['USD', usd], ['GBP', gbp]]))
      const cells = list.map(([currency, costCentre, amount], index): Cell => ({ provider: 'P', currency, costCentre, kind: 'direct', line: String(index), amounts: { billed: amount, effective: amount } }))
      const rounded = roundCells(cells, 'billed', rates, to)
      for (const currency of ['EUR', 'USD', 'GBP']) {
        const own = rounded.filter((one) => one.currency === currency)
        const exact = own.reduce((sum, one) => sum + one.exact, 0n)
        const difference = own.reduce((sum, one) => sum + one.rounded, 0n) * 10n ** 18n - exact
        expect(difference * 2n <= 10n ** 18n && difference * 2n >= -(10n ** 18n)).toBe(true)
      }
    }), { numRuns: 60 })
  })
  test('the effect of rates alone is this month’s cost at the difference of the rates', () => {
    const cells = [['USD', '100', 'Nimbrel'], ['USD', '-40', 'Nimbrel'], ['EUR', '70', 'Tarnhost'], ['GBP', '10', 'Orvane']].map(([currency, amount, provider]) => ({ provider: provider!, currency: currency!, costCentre: '10', kind: 'direct' as const, line: '', amount: amountOf(amount!), exact: 0n, rounded: 0n }))
    const effects = effectOfRates(cells, table({ EUR: '1', USD: '0.9', GBP: '1.2' }), table({ EUR: '1', USD: '0.85' }))
    expect(effects.map(({ provider, effect }) => [provider, formatAmount(effect, 0, 20)])).toEqual([['Nimbrel', '3']])
  })
})
