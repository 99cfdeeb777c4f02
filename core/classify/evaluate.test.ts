import { describe, expect, test } from '@jest/globals'
import fc from 'fast-check'
import { emptyRulebook, OPERATORS, type KeyFigures, type Rule } from '../types.ts'
import { conditionTest, isPattern } from './conditions.ts'
import { checkRulebook } from './checkRulebook.ts'
import { classify, firstFailing, NO_RULE } from './evaluate.ts'
import { KeyTable } from './keyTable.ts'
import { groupUnassigned } from './unassigned.ts'

const value = fc.constantFrom('a', 'ab', 'b', 'abc', 'é')
const field = fc.constantFrom('ServiceName', 'SubAccountId', 'tag:team')
const condition = fc.record({ field, operator: fc.constantFrom(...OPERATORS), values: fc.array(value, { minLength: 1, maxLength: 3 }) })
const rule = fc.record({ conditions: fc.array(condition, { minLength: 1, maxLength: 3 }), enabled: fc.boolean(), from: fc.constantFrom(null, '2026-01', '2026-06'), to: fc.constantFrom(null, '2026-02', '2026-09') })
  .map((parts): Rule => ({ id: 'r', name: 'r', outcome: { kind: 'costCentre', code: '1' }, ...parts }))
const key = fc.dictionary(field, value, { maxKeys: 3 }).map((attributes): KeyFigures => ({ id: 1, attributes, lines: 1, amounts: { billed: 1n, effective: 1n } }))

describe('ordered rules', () => {
  test('the table gives each key to the first active rule that takes it, as the plain definition does', () => {
    fc.assert(fc.property(fc.array(rule, { maxLength: 8 }), fc.array(key, { maxLength: 12 }), fc.constantFrom('2025-12', '2026-02', '2026-07'), (rules, keys, month) => {
      const { ruleOf, wouldTake } = classify(rules, new KeyTable(keys), month)
      keys.forEach((each, index) => {
        const holds = ({ enabled, from, to }: Rule): boolean => enabled && (!from || from <= month) && (!to || month <= to)
        expect(ruleOf[index]).toBe(rules.findIndex((candidate) => holds(candidate) && firstFailing(candidate, each.attributes) === null))
        rules.forEach((candidate, at) => expect(wouldTake[at]?.includes(index) ?? null).toBe(holds(candidate) ? firstFailing(candidate, each.attributes) === null : null))
      })
    }))
  })
  test('every operator and its negation are opposites, also for a missing field', () => {
    fc.assert(fc.property(fc.constantFrom(['is', 'isNot'], ['contains', 'notContains'], ['beginsWith', 'notBeginsWith'], ['matches', 'notMatches'], ['present', 'absent']), fc.array(value, { minLength: 1 }), fc.option(value, { nil: undefined }), ([plain, negated], values, given) => {
      const holds = (operator: string): boolean => conditionTest({ field: 'x', operator: operator as Rule['conditions'][0]['operator'], values })(given)
      expect(holds(plain!)).toBe(!holds(negated!))
    }))
  })
  test('a missing value only satisfies absence and negations', () => {
    const holding = OPERATORS.filter((operator) => conditionTest({ field: 'x', operator, values: ['a'] })(undefined))
    expect(holding).toEqual(['isNot', 'notContains', 'notBeginsWith', 'notMatches', 'absent'])
  })
  test('patterns that are none, or too long, are not used', () => {
    expect([isPattern('^a.b$'), isPattern('('), isPattern('a'.repeat(201))]).toEqual([true, false, false])
  })
  test('no rule, no taker', () => {
    expect([...classify([], new KeyTable([{ id: 1, attributes: {}, lines: 1, amounts: { billed: 0n, effective: 0n } }]), '2026-01').ruleOf]).toEqual([NO_RULE])
  })
})

test('unassigned keys are gathered with exactly what they have in common', () => {
  const of = (id: number, attributes: Record<string, string>): KeyFigures => ({ id, attributes, lines: 1, amounts: { billed: 1n, effective: 1n } })
  const place = { ProviderName: 'P', SubAccountId: 's', ServiceName: 'M' }
  const groups = groupUnassigned(new KeyTable([of(1, { ...place, 'tag:Team': 'radar', 'tag:env': 'prod' }), of(2, { ...place, 'tag:Team': 'radar', 'tag:env': 'test' }), of(3, place)]), [0, 1, 2])
  expect(groups.map(({ rows, conditions }) => [rows, conditions.map(({ field: name, values }) => `${name}=${values[0]}`)])).toEqual([
    [[0, 1], ['ProviderName=P', 'SubAccountId=s', 'ServiceName=M', 'tag:Team=radar']], [[2], ['ProviderName=P', 'SubAccountId=s', 'ServiceName=M']],
  ])
})

test('a rulebook that cannot work is told by rule and pool', () => {
  const problems = checkRulebook({
    ...emptyRulebook(),
    rules: [{ id: 'x', name: 'X', enabled: true, from: null, to: null, conditions: [{ field: 'Nonsense', operator: 'is', values: ['a'] }, { field: 'tag:a', operator: 'matches', values: ['('] }], outcome: { kind: 'costCentre', code: '9' } }],
    pools: [{ code: 'P', name: 'P', base: { kind: 'fixed', percents: { '1': '33.3333333333', '2': '66.6666666666' } }, recipients: [] }],
  }, [{ code: '1', name: '', unit: '', owner: '', ledgerAccount: '', validFrom: null, validTo: null }])
  expect(problems.map(({ code, subject }) => [code, subject])).toEqual([['RULE_TARGET_UNKNOWN', 'x'], ['RULE_CONDITION', 'x'], ['RULE_CONDITION', 'x'], ['POOL_PERCENT', 'P'], ['RULE_TARGET_UNKNOWN', 'P']])
})
