import { readFileSync } from 'node:fs'
import { describe, expect, test } from '@jest/globals'
import { checkRow, rowOf } from './checkRow.ts'
import { DETAIL_RULES, FIGURE_RULES, KEY_RULES } from './focusRules.ts'

type Row = Record<string, string | null>
// rows and rules of FOCUS 1.0 to 1.2, from memory of the standard: tests/reference/focus.json
const reference = JSON.parse(readFileSync('tests/reference/focus.json', 'utf8')) as { valid_rows: Record<string, Row>; row_rules: { id: string; sure: string; pass_example: string }[] }
const valid = (name: string): Row => reference.valid_rows[name]!
const rulesBroken = (row: Row): string[] => checkRow(rowOf(row)).map(({ rule }) => rule)

/** What refuses a file, from the reference's README. */
const REFUSING = ['F01', 'F05', 'F06', 'F07', 'F08', 'F09', 'F10', 'F12', 'F13', 'F14', 'F16', 'F49']

/** For each rule: a valid row and the cells that break it. */
const BREAKS: Record<string, [row: string, cells: Row]> = {
  F01: ['usage', { ChargeCategory: 'Fee' }], F02: ['usage', { ChargeClass: 'Regular' }], F03: ['usage', { ChargeFrequency: 'Monthly' }], F04: ['purchase', { ChargeFrequency: 'Usage-Based' }],
  F05: ['usage', { BilledCost: null }], F06: ['usage', { EffectiveCost: null }], F07: ['usage', { ListCost: null }], F08: ['usage', { ContractedCost: null }], F09: ['usage', { BilledCost: '1,000.00' }],
  F10: ['usage', { BillingCurrency: 'usd' }], F11: ['usage', { ChargePeriodStart: '2025-01-02 00:00:00' }], F12: ['usage', { BillingPeriodStart: '2025-02-01T00:00:00Z' }], F13: ['usage', { ChargePeriodEnd: '2025-01-02T00:00:00Z' }],
  F14: ['usage', { BillingAccountId: null }], F15: ['usage', { InvoiceIssuerName: null }], F16: ['usage', { ProviderName: null }], F17: ['usage', { PublisherName: null }], F18: ['usage', { ServiceName: null }],
  F19: ['usage', { ServiceCategory: 'Virtual' }], F20: ['usage', { ServiceSubcategory: 'Block Storage' }], F21: ['usage', { PricingCategory: 'On-Demand' }], F22: ['usage', { PricingCategory: null }], F22b: ['tax', { PricingQuantity: '1' }],
  F23: ['usage', { PricingQuantity: null, PricingUnit: null }], F24: ['usage', { ListUnitPrice: null }], F25: ['usage', { ContractedUnitPrice: null }], F26: ['usage', { SkuId: null, SkuMeter: null }], F27: ['usage', { SkuPriceId: null, SkuPriceDetails: null }],
  F28: ['usage', { PricingUnit: null }], F29: ['usage', { ListUnitPrice: '-0.125', ListCost: '-3.00' }], F30: ['usage', { ListCost: '3.02' }], F31: ['usage', { ContractedCost: '2.42' }], F32: ['unused', { ConsumedQuantity: '1', ConsumedUnit: 'Hours' }],
  F33: ['usage', { ConsumedUnit: null }], F34: ['committed', { CommitmentDiscountStatus: 'Partly' }], F35: ['usage', { CommitmentDiscountStatus: 'Used' }], F36: ['purchase', { CommitmentDiscountStatus: 'Used' }], F37: ['committed', { CommitmentDiscountCategory: 'Other' }],
  F38: ['committed', { CommitmentDiscountCategory: null }], F39: ['usage', { CommitmentDiscountType: 'plan' }], F40: ['usage', { CommitmentDiscountName: 'plan' }], F41: ['committed', { CommitmentDiscountUnit: null }], F42: ['usage', { CommitmentDiscountQuantity: '1', CommitmentDiscountUnit: 'USD' }],
  F43: ['usage', { CapacityReservationStatus: 'Used' }], F44: ['usage', { RegionName: null }], F45: ['usage', { ResourceId: null }], F46: ['usage', { ResourceType: null }], F47: ['usage', { SubAccountId: null }], F48: ['credit', { SkuMeter: 'time' }],
  F49: ['usage', { Tags: '{"a":1,"a":2}' }], F50: ['usage', { SkuPriceDetails: '{"a":{"b":1}}' }], F51: ['purchase', { EffectiveCost: '100.00' }], F52: ['committed', { PricingCategory: 'Standard' }],
  F53: ['usage', { Colour: 'red' }], F54: ['usage', { RegionId: 'N/A' }], F55: ['usage', { PricingCurrency: 'USD', PricingCurrencyEffectiveCost: null }], F56: ['usage', { SubAccountId: null, SubAccountName: null }],
}

describe('the rules of FOCUS', () => {
  test.each(Object.keys(reference.valid_rows))('the valid row %s is taken without a word', (name) => {
    expect(checkRow(rowOf(valid(name)))).toEqual([])
  })
  test.each(Object.entries(BREAKS))('%s is reported when it is broken', (rule, [name, cells]) => {
    expect(rulesBroken({ ...valid(name), ...cells })).toContain(rule)
  })
  test('every rule of the reference has a broken row here', () => {
    expect(Object.keys(BREAKS).sort()).toEqual(reference.row_rules.map(({ id }) => id).sort())
  })
  test('only what makes a row useless for accounting refuses', () => {
    const refusing = [...new Set([...KEY_RULES, ...DETAIL_RULES, ...FIGURE_RULES].filter(({ refuses }) => refuses).map(({ id }) => id))]
    expect([...refusing, 'F12', 'F13'].sort()).toEqual(REFUSING)
    const findings = Object.entries(BREAKS).flatMap(([, [name, cells]]) => checkRow(rowOf({ ...valid(name), ...cells })))
    for (const { rule, refuses } of findings) expect([rule, refuses]).toEqual([rule, REFUSING.includes(rule)])
  })
  test.each(['2025-13-01', 'yesterday', '2025-02-30T00:00:00Z', '2025-01-02T00:00:00+05:00'])('the date %s refuses the row', (text) => {
    expect(checkRow(rowOf({ ...valid('usage'), ChargePeriodStart: text })).some(({ column, refuses }) => column === 'ChargePeriodStart' && refuses)).toBe(true)
  })
  test.each(['{"a":{"b":1}}', '{"a":1,"a":2}', 'env=prod', '["a"]', '{"a":1,}', '{"a" 1}', '{a:1}', '{"a":1}x'])('the tags %s are refused', (text) => {
    expect(rulesBroken({ ...valid('usage'), Tags: text })).toContain('F49')
  })
  test.each(['{}', ' { "a" : "x" , "b":1.5,"c":true,"d":null } ', '{"__proto__":"x","ключ":"значение"}'])('the tags %s pass', (text) => {
    expect(rulesBroken({ ...valid('usage'), Tags: text })).toEqual([])
  })
})
