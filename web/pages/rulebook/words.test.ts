import { describe, expect, test } from '@jest/globals'
import type { CleanAct, CostCentre, Outcome, Pool } from '../../../core/types.ts'
import { actText, conditionText, monthsText, outcomeText, placeText } from './words.ts'

const centres = [{ code: '1010', name: 'Model Runs' }, { code: '1020', name: 'Radar Ingest' }] as CostCentre[]
const pools = [{ code: 'TAX', name: 'Taxes' }] as Pool[]

describe('rules in words', () => {
  test.each<[Outcome, string]>([
    [{ kind: 'costCentre', code: '1010' }, '1010 Model Runs'], [{ kind: 'costCentre', code: '9' }, '9'], [{ kind: 'pool', code: 'TAX' }, 'pool Taxes'], [{ kind: 'value', code: 'Public/App' }, 'Public/App'],
    [{ kind: 'split', percents: { '1010': '33.3', '1020': '66.7' } }, '33.3 % 1010 Model Runs, 66.7 % 1020 Radar Ingest'], [{ kind: 'aside', reason: 'a gift' }, 'set aside: a gift'],
    [{ kind: 'mapped', field: 'tag:team', mapping: { a: '1' }, elseItself: false }, 'by tag team, 1 value mapped'], [{ kind: 'mapped', field: 'SubAccountId', mapping: {}, elseItself: true }, 'by sub account ID, else the value itself'],
  ])('%j', (outcome, text) => expect(outcomeText(outcome, centres, pools)).toBe(text))
  test('conditions name few values and count many', () => {
    expect(conditionText({ field: 'tag:team', operator: 'is', values: ['a'] })).toBe('tag team is a')
    expect(conditionText({ field: 'ServiceName', operator: 'is', values: ['a', 'b', 'c', 'd'] })).toBe('Service name is one of a, b or 2 more')
    expect(conditionText({ field: 'SkuId', operator: 'absent', values: [] })).toBe('SKU ID is absent')
    expect(conditionText({ field: 'tag:cost', operator: 'atLeast', values: ['10'] })).toBe('tag cost is at least 10')
  })
  test('places of money', () => {
    expect([null, 'unassigned', 'aside', 'cc:1020', 'pool:TAX', 'pool:GONE', 'Research/Archive'].map((place) => placeText(place, centres, pools))).toEqual(['Unassigned', 'Unassigned', 'Set aside', '1020 Radar Ingest', 'Pool Taxes', 'Pool GONE', 'Research/Archive'])
  })
})

describe('steps in words', () => {
  test.each<[CleanAct, string]>([
    [{ kind: 'key', key: 'team', spellings: ['Team'] }, 'Team is the tag team'], [{ kind: 'key', key: 'team', spellings: ['a', 'b', 'c', 'd', 'e'] }, 'a, b, c and 2 more are the tag team'],
    [{ kind: 'values', key: 'env', mapping: { Prod: 'prod', old: '' }, folded: true }, 'In env, Prod becomes prod, old becomes no tag, whatever the case and separators'],
    [{ kind: 'placeholders', keys: [], values: [''] }, 'an empty text in any tag counts as missing'], [{ kind: 'placeholders', keys: ['a'], values: ['n/a', '-'] }, 'n/a, - in a count as missing'],
    [{ kind: 'inherit', key: 'team', from: 'ResourceId', monthsBack: 0 }, 'A missing team is taken from the other charges of the same resource ID'],
    [{ kind: 'inherit', key: 'team', from: 'tag:namespace', monthsBack: 2 }, 'A missing team is taken from the other charges of the same tag namespace, up to 2 months back'],
    [{ kind: 'lookup', key: 'team', from: 'SubAccountId', mapping: { x: 'a' } }, 'A missing team is looked up by sub account ID, 1 value'],
    [{ kind: 'set', key: 'team', value: '', resources: ['r'] }, 'team is removed on r'], [{ kind: 'set', key: 'team', value: 'app', resources: ['r', 's'] }, 'team is app on 2 resources'],
  ])('%j', (act, text) => expect(actText(act)).toBe(text))
  test('months', () => {
    expect([{ from: null, to: null }, { from: '2026-01', to: null }, { from: null, to: '2026-02' }, { from: '2026-01', to: '2026-02' }].map(monthsText)).toEqual(['', 'from 2026-01', 'to 2026-02', '2026-01 to 2026-02'])
  })
})
