import { describe, expect, test } from '@jest/globals'
import { emptyRulebook, type KeyFigures, type Rulebook } from '../types.ts'
import { checkRulebook } from './checkRulebook.ts'
import { KeyTable } from './keyTable.ts'
import { senderName, settingOfRule, settingRule, SETTINGS, settledRows, specialKinds } from './settled.ts'

const key = (attributes: Record<string, string>, effective = 1n): KeyFigures => ({ id: 1, lines: 1, amounts: { billed: effective, effective }, attributes: { ProviderName: 'P', PublisherName: 'P', ChargeCategory: 'Usage', ...attributes } })
const kindOf = (attributes: Record<string, string>, effective = 1n): string | null => specialKinds(new KeyTable([key(attributes, effective)]))[0]!

describe('special charges', () => {
  // categories, classes and status as FOCUS 1.2 names them
  test.each([
    [{ ChargeCategory: 'Tax' }, 'tax'], [{ ChargeCategory: 'Credit' }, 'credit'], [{ ChargeCategory: 'Adjustment' }, 'refund'], [{ ChargeCategory: 'Tax', ChargeClass: 'Correction' }, 'correction'],
    [{ CommitmentDiscountId: 'c', CommitmentDiscountStatus: 'Unused' }, 'commitmentUnused'], [{ CommitmentDiscountId: 'c', CommitmentDiscountStatus: 'Used' }, null], [{ ChargeCategory: 'Purchase', CommitmentDiscountId: 'c' }, 'commitmentPurchase'],
    [{ ChargeCategory: 'Purchase', ServiceSubcategory: 'Support' }, 'support'], [{ PublisherName: 'Somebody else' }, 'marketplace'], [{ ChargeCategory: 'Purchase' }, null], [{}, null],
  ])('%j is of the kind %s', (attributes, kind) => {
    expect(kindOf(attributes)).toBe(kind)
  })
  test('use with a negative amount is a discount, a free one is use', () => {
    expect([kindOf({}, -1n), kindOf({}, 0n)]).toEqual(['discount', null])
  })
  test('only kinds with a setting are taken out of the rules, and numbers of settings are no rules', () => {
    const table = new KeyTable([key({ ChargeCategory: 'Tax' }), key({ ChargeCategory: 'Credit' }), key({})])
    expect(settledRows(table, { clusters: [], special: {} })).toBeNull()
    expect([...settledRows(table, { clusters: [], special: { tax: { kind: 'follow' }, credit: { kind: 'rules' } } })!]).toEqual([settingRule('tax'), 0, 0])
    expect(SETTINGS.map(settingRule).every((number) => number < -1)).toBe(true)
    expect(SETTINGS.map(settingRule).map(settingOfRule)).toEqual([...SETTINGS])
    expect([senderName([{ name: 'first' }], 0), senderName([], settingRule('tax')), senderName([], -1)]).toEqual(['first', 'the setting for taxes', null])
  })
  test('settings that lead nowhere keep a rulebook from being published, each named', () => {
    const rulebook: Rulebook = {
      ...emptyRulebook(), special: { tax: { kind: 'pool', code: 'GONE' }, credit: { kind: 'aside', reason: ' ' } },
      clusters: [{ cluster: 'heron', weights: { cpu: '1', memory: '1', gpu: '1' }, systemNamespaces: [], overheadCharges: [], nodeCharges: [{ field: 'ResourceName', operator: 'contains', values: [] }], idle: { kind: 'costCentre', code: '99' }, overhead: { kind: 'tenants' } }],
      markUps: [{ id: 'm', name: 'Fee', costCentres: ['98'], on: 'all', fee: { kind: 'percent', percent: '1' }, recoveryAccount: '7' }],
    }
    expect(checkRulebook(rulebook, []).map(({ message }) => message)).toEqual([
      'Idle nodes of heron go to 99, which is no cost centre.', expect.stringMatching(/^Cluster heron: /), 'The taxes go to GONE, which is no pool.', 'The credits are set aside without a reason.', 'Mark-up Fee names 98, which is no cost centre.',
    ])
  })
})
