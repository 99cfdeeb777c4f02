import { describe, expect, test } from '@jest/globals'
import { readFileSync } from 'node:fs'
import { kubernetesCase } from '../../bin/reference/kubernetes.ts'
import { commonCostCase, rateCase } from '../../bin/reference/rates.ts'
import { supportCase } from '../../bin/reference/support.ts'
import type { ReferenceCase } from '../../bin/reference/main.ts'

// worked examples of cost-accounting text books and one constructed case, recomputed as exact fractions; the source stands in each case
const casesOf = (name: string): ReferenceCase[] => (JSON.parse(readFileSync(`tests/reference/${name}.json`, 'utf8')) as { cases: ReferenceCase[] }).cases
const cases = casesOf('support')

describe('support departments that serve each other', () => {
  test.each(cases.map((one) => [one.id, one] as const))('%s: every total, flow and reciprocated cost under direct, step-down and reciprocal', (_id, one) => {
    expect(supportCase(one)).toEqual({ id: one.id, state: 'pass', expected: [], got: [] })
  })
  test('a figure that is not the book’s fails, and is named', () => {
    const wrong = structuredClone(cases[0]!) as ReferenceCase & { expected: { reciprocal: { totals: Record<string, { frac: string }> } } }
    wrong.expected.reciprocal.totals.Machining!.frac = '8187026'
    expect(supportCase(wrong)).toMatchObject({ state: 'fail', expected: ['reciprocal total Machining 8187026'], got: ['reciprocal total Machining 8187025'] })
  })
})

describe('pools at one rate and at two, and common costs', () => {
  test.each(casesOf('rates').map((one) => [one.id, one] as const))('%s: every rate and charge', (id, one) => {
    expect(one.kind === 'common_cost' ? commonCostCase(one) : rateCase(one)).toEqual({ id, state: 'pass', expected: [], got: [] })
  })
})

// constructed cases, recomputed as exact fractions under the conventions that docs/computation.md states (common practice)
describe('nodes of a cluster', () => {
  const nodes = casesOf('kubernetes')
  test.each(nodes.map((one) => [one.id, one] as const))('%s: pods, idle, namespaces, labels, shared idle and shared overhead', (id, one) => {
    expect(kubernetesCase(one)).toEqual({ id, state: 'pass', expected: [], got: [] })
  })
  test('a wrong figure fails, and is named', () => {
    const wrong = structuredClone(nodes[0]!) as ReferenceCase & { expected: { by_namespace: Record<string, { frac: string }> } }
    wrong.expected.by_namespace['c1/shop']!.frac = '60/260'
    expect(kubernetesCase(wrong)).toMatchObject({ state: 'fail', expected: ['by_namespace c1/shop 60/260'] })
  })
})
