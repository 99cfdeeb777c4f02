import { describe, expect, test } from '@jest/globals'
import fc from 'fast-check'
import { KeyTable } from './classify/keyTable.ts'
import { allocatePeriod, type PeriodInput } from './allocatePeriod.ts'
import { MissingRate } from './money/convert.ts'
import { amountOf, roundTo } from './money/amount.ts'
import { cellsOf, roundCells } from './statements/cells.ts'
import { buildStatement } from './statements/statement.ts'
import { emptyRulebook, type CostCentre, type KeyFigures, type Pool, type PoolBase, type Rule } from './types.ts'

const CENTRES = ['10', '11', '12', '13']
const centre = (code: string, validTo: string | null = null): CostCentre => ({ code, name: code, unit: 'U', owner: '', ledgerAccount: '', validFrom: null, validTo })
const POOLS = ['P', 'Q']
const amount = fc.bigInt({ min: -(10n ** 14n), max: 10n ** 15n })
const key = fc.record({ provider: fc.constantFrom('A', 'B'), service: fc.constantFrom('m', 'n', 'o'), team: fc.constantFrom('x', 'y', 'z', 'w'), billed: amount, effective: amount })
const keys = fc.array(key, { maxLength: 25 }).map((all) => all.map(({ provider, service, team, billed, effective }, index): KeyFigures => ({
  id: index + 1, lines: 1, amounts: { billed, effective }, attributes: { ProviderName: provider, BillingCurrency: provider === 'A' ? 'USD' : 'EUR', ServiceName: service, 'tag:team': team },
})))
const outcome = fc.oneof(fc.record({ kind: fc.constant('costCentre' as const), code: fc.constantFrom(...CENTRES, 'gone') }), fc.record({ kind: fc.constant('pool' as const), code: fc.constantFrom(...POOLS) }))
const rules = fc.array(fc.record({ team: fc.constantFrom('x', 'y', 'z'), service: fc.option(fc.constantFrom('m', 'n')), outcome }), { maxLength: 6 }).map((all) => all.map(({ team, service, outcome: to }, index): Rule => ({
  id: String(index), name: `rule ${index}`, enabled: true, from: null, to: null, outcome: to,
  conditions: [{ field: 'tag:team', operator: 'is', values: [team] }, ...(service ? [{ field: 'ServiceName', operator: 'is' as const, values: [service] }] : [])],
})))
const base: fc.Arbitrary<PoolBase> = fc.constantFrom<PoolBase>({ kind: 'even' }, { kind: 'direct' }, { kind: 'fixed', percents: { '10': '33.3', '11': '66.7' } }, { kind: 'fixed', percents: { '10': '50' } })
const pools = fc.tuple(base, base, fc.subarray(CENTRES)).map(([first, second, recipients]): Pool[] => [{ code: 'P', name: 'Pool P', base: first, recipients }, { code: 'Q', name: 'Pool Q', base: second, recipients: [] }])
const period = fc.record({ keys, rules, pools }).map(({ keys: all, rules: ordered, pools: shared }): PeriodInput => ({
  month: '2026-05', table: new KeyTable(all), centres: [...CENTRES.slice(0, 3).map((code) => centre(code)), centre('13', '2026-01')],
  rulebook: { ...emptyRulebook(), rules: ordered, pools: shared }, rates: new Map([['USD', amountOf('0.8715')], ['EUR', amountOf('1')]]), drivers: new Map(),
}))

describe('allocating a month', () => {
  test('every 10^-10 of every stream ends with a payer, held or unassigned', () => {
    fc.assert(fc.property(period, (input) => {
      const cells = cellsOf(allocatePeriod(input).result)
      for (const provider of ['A', 'B']) {
        for (const basis of ['billed', 'effective'] as const) {
          const billed = input.table.keys.filter(({ attributes }) => attributes.ProviderName === provider).reduce((sum, { amounts }) => sum + amounts[basis], 0n)
          expect(cells.filter((cell) => cell.provider === provider).reduce((sum, { amounts }) => sum + amounts[basis], 0n)).toBe(billed)
        }
      }
    }), { numRuns: 300 })
  })
  test('the order in which keys arrive changes nothing', () => {
    fc.assert(fc.property(period, fc.integer(), (input, seed) => {
      const shuffled = [...input.table.keys].sort((a, b) => ((a.id * 7919 + seed) % 101) - ((b.id * 7919 + seed) % 101))
      expect(cellsOf(allocatePeriod({ ...input, table: new KeyTable(shuffled) }).result)).toEqual(cellsOf(allocatePeriod(input).result))
    }))
  })
  test('rounded statements of a month add up to the rounded total of each provider', () => {
    fc.assert(fc.property(period, fc.constantFrom('EUR', 'JPY', 'KWD'), (input, currency) => {
      const digits = { EUR: 2, JPY: 0, KWD: 3 }[currency]!
      const rounded = roundCells(cellsOf(allocatePeriod(input).result), 'effective', input.rates, currency)
      for (const provider of ['A', 'B']) {
        const own = rounded.filter((cell) => cell.provider === provider)
        const exact = own.reduce((sum, cell) => sum + cell.exact, 0n)
        expect(own.reduce((sum, cell) => sum + cell.rounded, 0n)).toBe(roundTo(exact, digits, 20))
      }
      const total = CENTRES.map((code) => buildStatement(rounded.filter(({ costCentre }) => costCentre === code), [], new Map()).total.amount).reduce((sum, one) => sum + one, 0n)
      expect(total).toBe(rounded.filter(({ costCentre }) => costCentre !== '').reduce((sum, cell) => sum + cell.rounded, 0n))
    }))
  })
  test('money sent to a retired or unknown cost centre stays unassigned, and the rule is named', () => {
    const charge: KeyFigures = { id: 1, lines: 1, amounts: { billed: 5n, effective: 5n }, attributes: { ProviderName: 'A', BillingCurrency: 'EUR', 'tag:team': 'x' } }
    const to = (code: string): Rule => ({ id: code, name: `to ${code}`, enabled: true, from: null, to: null, conditions: [{ field: 'tag:team', operator: 'is', values: ['x'] }], outcome: { kind: 'costCentre', code } })
    const run = (code: string) => allocatePeriod({ month: '2026-05', table: new KeyTable([charge]), centres: [centre('13', '2026-01')], rulebook: { ...emptyRulebook(), chargedBasis: 'billed', rules: [to(code)], pools: [] }, rates: new Map([['EUR', 1n]]), drivers: new Map() })
    expect(run('13').problems).toMatchObject([{ code: 'RULE_TARGET_RETIRED', subject: 'to 13' }])
    expect(run('99').problems).toMatchObject([{ code: 'RULE_TARGET_UNKNOWN', subject: 'to 99' }])
    expect(run('13').result.outcomes[0]!.way.kind).toBe('unassigned')
  })
  test('a pool without a base is held with the reason, never shared evenly', () => {
    const charge: KeyFigures = { id: 1, lines: 1, amounts: { billed: 7n, effective: 7n }, attributes: { ProviderName: 'A', BillingCurrency: 'EUR' } }
    const all: Rule = { id: 'r', name: 'r', enabled: true, from: null, to: null, conditions: [{ field: 'tag:team', operator: 'absent', values: [] }], outcome: { kind: 'pool', code: 'P' } }
    const { result, problems } = allocatePeriod({ month: '2026-05', table: new KeyTable([charge]), centres: [centre('10')], rulebook: { ...emptyRulebook(), chargedBasis: 'billed', rules: [all], pools: [{ code: 'P', name: 'P', base: { kind: 'direct' }, recipients: [] }] }, rates: new Map([['EUR', 10n ** 10n]]), drivers: new Map() })
    expect(problems).toMatchObject([{ code: 'POOL_BASE_ZERO', subject: 'P' }])
    expect(result.conservation.find(({ basis }) => basis === 'billed')).toMatchObject({ total: 7n, charged: 0n, held: 7n, unassigned: 0n })
  })
  test('a missing rate is an error by name, not a rate of 1', () => {
    const charge: KeyFigures = { id: 1, lines: 1, amounts: { billed: 7n, effective: 7n }, attributes: { ProviderName: 'A', BillingCurrency: 'GBP', 'tag:team': 'x' } }
    const direct: Rule = { id: 'r', name: 'r', enabled: true, from: null, to: null, conditions: [{ field: 'tag:team', operator: 'present', values: [] }], outcome: { kind: 'costCentre', code: '10' } }
    expect(() => allocatePeriod({ month: '2026-05', table: new KeyTable([charge]), centres: [centre('10')], rulebook: { ...emptyRulebook(), chargedBasis: 'billed', rules: [direct], pools: [{ code: 'P', name: 'P', base: { kind: 'direct' }, recipients: [] }] }, rates: new Map(), drivers: new Map() })).toThrow(new MissingRate('GBP'))
  })
})
