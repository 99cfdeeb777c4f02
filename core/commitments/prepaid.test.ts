import { describe, expect, test } from '@jest/globals'
import fc from 'fast-check'
import { KeyTable } from '../classify/keyTable.ts'
import type { KeyFigures } from '../types.ts'
import { costsByStream, prepaidMovements, prepaidSchedule } from './prepaid.ts'

const key = (billed: bigint, effective: bigint, attributes: Record<string, string>): KeyFigures => ({ id: 1, lines: 1, amounts: { billed, effective }, attributes: { ProviderName: 'P', BillingCurrency: 'USD', ChargeCategory: 'Usage', ...attributes } })
const of = (status: string): Record<string, string> => ({ CommitmentDiscountId: 'c', CommitmentDiscountStatus: status })

describe('prepaid commitments', () => {
  test('opening + purchases − used − unused = closing, month by month (prepaid expense, common practice)', () => {
    const months = [
      { month: '2026-01', movements: prepaidMovements(new KeyTable([key(1200n, 0n, { ChargeCategory: 'Purchase', CommitmentDiscountId: 'c' }), key(0n, 100n, of('Used'))])) },
      { month: '2026-02', movements: [] },
      { month: '2026-03', movements: prepaidMovements(new KeyTable([key(0n, 70n, of('Used')), key(0n, 30n, of('Unused'))])) },
    ]
    expect(prepaidSchedule(months).map(({ month, opening, purchased, used, unused, closing }) => [month, opening, purchased, used, unused, closing])).toEqual([
      ['2026-01', 0n, 1200n, 100n, 0n, 1100n], ['2026-02', 1100n, 0n, 0n, 0n, 1100n], ['2026-03', 1100n, 0n, 70n, 30n, 1000n],
    ])
  })
  test('billed less effective is the movement of every provider and currency, whatever the charges', () => {
    const money = fc.bigInt({ min: -1000n, max: 1000n })
    const charge = fc.record({ provider: fc.constantFrom('P', 'Q'), currency: fc.constantFrom('USD', 'EUR'), category: fc.constantFrom('Purchase', 'Usage', 'Credit'), commitment: fc.constantFrom('', 'c', 'd'), status: fc.constantFrom('', 'Used', 'Unused'), billed: money, effective: money })
    fc.assert(fc.property(fc.array(charge, { maxLength: 30 }), (charges) => {
      const table = new KeyTable(charges.map(({ provider, currency, category, commitment, status, billed, effective }) => key(billed, effective, { ProviderName: provider, BillingCurrency: currency, ChargeCategory: category, ...(commitment ? { CommitmentDiscountId: commitment } : {}), ...(status ? { CommitmentDiscountStatus: status } : {}) })))
      const movements = prepaidMovements(table)
      for (const { provider, currency, amounts } of costsByStream(table)) {
        const moved = movements.filter((one) => one.provider === provider && one.currency === currency).reduce((sum, { purchased, used, unused }) => sum + purchased - used - unused, 0n)
        expect(moved).toBe(amounts.billed - amounts.effective)
      }
    }))
  })
})
