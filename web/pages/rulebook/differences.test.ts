import { expect, test } from '@jest/globals'
import { emptyRulebook, type Rule } from '../../../core/types.ts'
import { differencesOf } from './differences.ts'

const rule = (id: string, code = '1'): Rule => ({ id, name: id, enabled: true, from: null, to: null, conditions: [{ field: 'tag:team', operator: 'is', values: [id] }], outcome: { kind: 'costCentre', code } })
const signs = (before: Rule[], after: Rule[]): string[] => differencesOf({ ...emptyRulebook(), rules: before }, { ...emptyRulebook(), rules: after }, []).map(({ sign, text }) => `${sign}${/“(\w+)”/.exec(text)![1]}`)

test('versions differ by what was added, removed, changed and moved, and by nothing else', () => {
  const [a, b, c, d] = [rule('a'), rule('b'), rule('c'), rule('d')]
  expect(signs([a, b, c], [a, b, c])).toEqual([])
  expect(signs([a, b, c], [a, { ...b, outcome: { kind: 'costCentre', code: '2' } }, d])).toEqual(['−c', '~b', '+d'])
  // one rule carried to the front is one move, not three
  expect(signs([a, b, c, d], [d, a, b, c])).toEqual(['↕d'])
})
