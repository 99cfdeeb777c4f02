import { readFileSync } from 'node:fs'
import { describe, expect, test } from '@jest/globals'
import fc from 'fast-check'
import { addMonths, daysOf, holdsIn, monthsBetween } from './calendar/month.ts'
import { readHead } from './charges/head.ts'
import { FOCUS_COLUMNS } from './charges/focusColumns.ts'
import { projectMonth } from './forecast/projectMonth.ts'
import { PROBLEM_CODES } from './problems.ts'
import { readFilter, writeFilter } from './workings/keyFilter.ts'
import { readRef, workingsText, writeRef } from './workings/workings.ts'

describe('months', () => {
  test('go forward and back over years', () => {
    expect([addMonths('2025-11', 3), addMonths('2026-01', -1), addMonths('2024-02', 12)]).toEqual(['2026-02', '2025-12', '2025-02'])
    expect(monthsBetween('2025-11', '2026-02')).toEqual(['2025-11', '2025-12', '2026-01', '2026-02'])
    expect([daysOf('2024-02').length, daysOf('2026-02').length]).toEqual([29, 28])
    expect([holdsIn('2026-05', '2026-05', '2026-05'), holdsIn('2026-05', '2026-06', null), holdsIn('2026-05', null, '2026-04')]).toEqual([true, false, false])
  })
})

describe('the head of a file', () => {
  test('the columns of FOCUS 1.2, in any order, with more that begin with x_', () => {
    fc.assert(fc.property(fc.shuffledSubarray(Object.keys(FOCUS_COLUMNS), { minLength: 57 }), (names) => expect(readHead([...names, 'x_own']).problems).toEqual([])))
    // counts of the standard's versions, from memory
    const upTo = (version: string): number => Object.values(FOCUS_COLUMNS).filter(({ since }) => since <= version).length
    expect([upTo('1.0'), upTo('1.1'), upTo('1.2')]).toEqual([43, 50, 57])
  })
  test('needed columns that are missing are named with what a draft called them, doubled ones are refused', () => {
    const names = Object.keys(FOCUS_COLUMNS).filter((name) => name !== 'ProviderName')
    const head = readHead([...names, 'Provider', 'BilledCost'])
    expect(head.problems.map(({ code, subject }) => [code, subject])).toEqual([['COLUMN_DOUBLED', 'BilledCost'], ['COLUMN_MISSING', 'ProviderName']])
    expect(head.proposals).toEqual({ ProviderName: 'Provider' })
    expect(readHead([...names, 'Provider'], { Provider: 'ProviderName' }).problems).toEqual([])
  })
})

describe('figure addresses', () => {
  test('are read back whatever they name', () => {
    const part = fc.string({ unit: 'grapheme', maxLength: 12 })
    fc.assert(fc.property(fc.array(part, { maxLength: 4 }), (parts) => {
      const ref = { kind: 'line', month: '2026-10', basis: 'billed' as const, parts }
      expect(readRef(writeRef(ref))).toEqual(ref)
    }))
    expect([readRef(''), readRef('keys~2026-13~billed'), readRef('keys~2026-10~list')]).toEqual([null, null, null])
  })
  test('filters are read back, and nothing else is a filter', () => {
    const filter = { kind: 'direct', target: '10=1', provider: 'A & B', rule: '-1' }
    expect(readFilter(writeFilter(filter))).toEqual(filter)
    expect([readFilter(['kind']), readFilter(['sql=1'])]).toEqual([null, null])
  })
  test('workings copy as text', () => {
    const text = workingsText({ title: 'Pool', subtitle: 'share', amount: '1.5', currency: 'EUR', terms: [{ sign: '×', label: 'rate', note: 'of May', amount: '0.9', unit: 'EUR', opens: null }], rules: [{ name: 'R', version: 2, author: 'A', published: '2026-01-01' }], charges: null })
    expect(text).toBe('Pool: share\n1.5 EUR\n\n× 0.9 EUR  rate (of May)\n\nrule R, rulebook 2, A, 2026-01-01')
  })
})

describe('the projection of a month', () => {
  const days = [...daysOf('2026-04'), ...daysOf('2026-05').slice(0, 15)]
  test('known days and the median of each weekday; a charge of one day does not spread', () => {
    const costs = days.map((day) => ({ day, cost: day === '2026-05-01' ? 1_000 : 10 }))
    expect(projectMonth(costs, daysOf('2026-05'), '2026-05-15')).toEqual({ known: 1_140, rest: 160, knownDays: 15, restDays: 16 })
  })
  test('with fewer than 28 complete days there is none', () => {
    expect(projectMonth(days.slice(-27).map((day) => ({ day, cost: 1 })), daysOf('2026-05'), '2026-05-15')).toBeNull()
  })
})

test('every problem code has its line in docs/problems.md, and no other', () => {
  const documented = [...readFileSync('docs/problems.md', 'utf8').matchAll(/^\| `([A-Z_]+)` \|/gm)].map(([, code]) => code)
  expect(documented.sort()).toEqual(Object.keys(PROBLEM_CODES).sort())
})
