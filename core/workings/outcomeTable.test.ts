import { describe, expect, test } from '@jest/globals'
import fc from 'fast-check'
import { allocatePeriod } from '../allocatePeriod.ts'
import { KeyTable } from '../classify/keyTable.ts'
import { packTable, unpackTable } from '../packed/packedTable.ts'
import { emptyRulebook, type KeyFigures, type Rule } from '../types.ts'
import { filterOutcomes, outcomeTable, type OutcomeTable } from './outcomeTable.ts'

const amount = fc.bigInt({ min: -(10n ** 21n), max: 10n ** 21n })
const keys = fc.array(fc.record({ provider: fc.constantFrom('A', 'B'), service: fc.constantFrom('m', 'n', undefined), team: fc.constantFrom('x', 'y', 'z'), billed: amount, effective: amount, lines: fc.nat(9) }), { maxLength: 30 })
  .map((all) => all.map(({ provider, service, team, billed, effective, lines }, index): KeyFigures => ({
    id: 3 * index + 1, lines, amounts: { billed, effective }, attributes: { ProviderName: provider, BillingCurrency: provider === 'A' ? 'USD' : 'EUR', ...(service ? { ServiceName: service } : {}), 'tag:team': team },
  })))
const rule = (team: string, outcome: Rule['outcome']): Rule => ({ id: team, name: team, enabled: true, from: null, to: null, conditions: [{ field: 'tag:team', operator: 'is', values: [team] }], outcome })
const rulebook = { ...emptyRulebook(), rules: [rule('x', { kind: 'costCentre', code: '10' }), rule('y', { kind: 'pool', code: 'P' })], pools: [{ code: 'P', name: 'P', base: { kind: 'even' as const }, recipients: [] }] }
const centres = [{ code: '10', name: '', unit: 'U', owner: '', ledgerAccount: '', validFrom: null, validTo: null }]
const run = (all: KeyFigures[]): OutcomeTable => {
  const { result } = allocatePeriod({ month: '2026-05', table: new KeyTable(all), rulebook, centres, rates: new Map([['USD', 10n ** 10n], ['EUR', 10n ** 10n]]), drivers: new Map() })
  return unpackTable(packTable(outcomeTable(result)))
}

describe('the outcomes of a run as columns', () => {
  test('hold every key with its exact sums, and the way it went', () => {
    fc.assert(fc.property(keys, (all) => {
      expect(filterOutcomes(run(all), {})).toEqual(all.map(({ id, attributes, lines, amounts }) => {
        const rest = { key: id, part: 0, percent: 10 ** 12, lines, amounts, provider: attributes.ProviderName, currency: attributes.BillingCurrency, service: attributes.ServiceName ?? '' }
        const ways = { x: { rule: 0, kind: 'direct', target: '10' }, y: { rule: 1, kind: 'pool', target: 'P' }, z: { rule: -1, kind: 'unassigned', target: '' } }
        return { ...rest, ...ways[attributes['tag:team'] as 'x'] }
      }))
    }))
  })
  test('a filter leaves what it names and nothing else', () => {
    fc.assert(fc.property(keys, fc.record({ kind: fc.constantFrom('direct', 'pool', 'unassigned'), provider: fc.constantFrom('A', 'B'), service: fc.constantFrom('m', '', 'none'), rule: fc.constantFrom('0', '-1'), key: fc.constantFrom('1', '4', '5'), target: fc.constantFrom('10', '') }, { requiredKeys: [] }), (all, filter) => {
      const rows = filterOutcomes(run(all), {})
      const wanted = rows.filter((row) => Object.entries(filter).every(([name, value]) => String(row[name as 'key']) === value))
      expect(filterOutcomes(run(all), filter)).toEqual(wanted)
    }))
  })
})
