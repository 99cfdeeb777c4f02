import { describe, expect, test } from '@jest/globals'
import { readFileSync } from 'node:fs'
import { supportCase } from '../../bin/reference/support.ts'
import type { ReferenceCase } from '../../bin/reference/main.ts'

// worked examples of cost-accounting text books and one constructed case, recomputed as exact fractions; the source stands in each case
const { cases } = JSON.parse(readFileSync('tests/reference/support.json', 'utf8')) as { cases: ReferenceCase[] }

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
