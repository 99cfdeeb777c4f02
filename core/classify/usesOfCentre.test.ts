import { expect, test } from '@jest/globals'
import { emptyRulebook, type Outcome, type Pool, type Rule, type Rulebook } from '../types.ts'
import { defaultSetting } from '../kubernetes/expandClusters.ts'
import { usesOfCentre } from './usesOfCentre.ts'

const rule = (name: string, outcome: Outcome): Rule => ({ id: name, name, enabled: true, from: null, to: null, conditions: [], outcome })
const pool = (name: string, more: Partial<Pool>): Pool => ({ code: name, name, base: { kind: 'even' }, recipients: [], ...more })

test('every place of a rulebook that names a cost centre is found, and nothing that does not', () => {
  const rulebook: Rulebook = {
    ...emptyRulebook(),
    rules: [
      rule('whole', { kind: 'costCentre', code: '10' }), rule('split', { kind: 'split', percents: { 10: '40', 20: '60' } }), rule('mapped', { kind: 'mapped', field: 'tag:team', mapping: { a: '20', b: '10' }, elseItself: false }),
      rule('pool of that code', { kind: 'pool', code: '10' }), rule('reason of that name', { kind: 'aside', reason: '10' }), rule('other', { kind: 'costCentre', code: '100' }),
    ],
    clusters: [{ ...defaultSetting('heron'), idle: { kind: 'costCentre', code: '10' }, overhead: { kind: 'pool', code: '10' } }, { ...defaultSetting('plover'), overhead: { kind: 'costCentre', code: '10' } }],
    special: { tax: { kind: 'costCentre', code: '10' }, support: { kind: 'pool', code: '10' }, credit: { kind: 'follow' } },
    pools: [pool('among', { recipients: ['20', '10'] }), pool('fixed', { base: { kind: 'fixed', percents: { 10: '100' } } }), pool('all', {}), pool('serving', { serves: ['10'] }), pool('10', { base: { kind: 'fixed', percents: { 'pool:10': '100' } } })],
    markUps: [{ id: 'm', name: 'fee', costCentres: ['10'], on: 'all', fee: { kind: 'percent', percent: '3' }, recoveryAccount: '' }, { id: 'n', name: 'for all', costCentres: [], on: 'all', fee: { kind: 'percent', percent: '1' }, recoveryAccount: '' }],
  }
  expect(usesOfCentre(rulebook, '10')).toEqual([
    'rule “whole”', 'rule “split”', 'rule “mapped”', 'the setting for idle cost of cluster heron', 'the setting for overhead of cluster plover', 'the setting for special charges of the kind tax', 'pool “among”', 'pool “fixed”', 'mark-up “fee”',
  ])
  expect(usesOfCentre(rulebook, '30')).toEqual([])
  // names of properties that every object has are no percentages
  expect(usesOfCentre(rulebook, 'toString')).toEqual([])
})
