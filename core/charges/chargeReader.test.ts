import { readFileSync } from 'node:fs'
import { describe, expect, test } from '@jest/globals'
import { stringify } from 'csv-stringify/sync'
import fc from 'fast-check'
import { formatAmount } from '../money/amount.ts'
import { ChargeReader, CostSums, type DetailShape, type KeyShape } from './chargeReader.ts'
import { checkRow, rowOf } from './checkRow.ts'
import { CsvSplitter, rowTexts } from './csvSplitter.ts'
import { ExactSums } from './exactSums.ts'

type Row = Record<string, string | null>
const { valid_rows: valid } = JSON.parse(readFileSync('tests/reference/focus.json', 'utf8')) as { valid_rows: Record<string, Row> }

function read(rows: Row[], columns = [...new Set(rows.flatMap((row) => Object.keys(row)))]): { taken: { line: number; billed: string; key: KeyShape; detail: DetailShape; period: string }[]; findings: { line: number; rule: string; refuses: boolean }[] } {
  const text = stringify([columns, ...rows.map((row) => columns.map((column) => row[column] ?? ''))])
  const result: ReturnType<typeof read> = { taken: [], findings: [] }
  const keys: KeyShape[] = []
  const details: DetailShape[] = []
  let reader: ChargeReader | null = null
  const splitter = new CsvSplitter((cells) => {
    if (reader) return reader.read(cells)
    reader = new ChargeReader(rowTexts(cells), {
      charge: ({ line, key, detail, period, figures }) => {
        const billed = figures[2]!
        result.taken.push({ line, key: keys[key]!, detail: details[detail]!, period, billed: formatAmount(BigInt(billed.whole) * 10n ** 10n + BigInt(billed.fraction)) })
      },
      findings: (line, found) => result.findings.push(...found.map(({ rule, refuses }) => ({ line, rule, refuses }))),
      key: (shape, index) => { keys[index] = shape },
      detail: (shape, index) => { details[index] = shape },
    })
  })
  splitter.push(new TextEncoder().encode(text))
  splitter.end()
  return result
}

describe('reading charges', () => {
  test('every valid row is taken without a finding, whatever the order of the columns', () => {
    const columns = Object.keys(valid.usage!)
    fc.assert(fc.property(fc.shuffledSubarray(columns, { minLength: columns.length }), (order) => {
      const rows = ['usage', 'committed', 'unused', 'purchase', 'tax', 'correction'].map((name) => valid[name]!)
      const { taken, findings } = read(rows, order)
      expect(findings).toEqual([])
      expect(taken.map(({ billed }) => billed)).toEqual(['2.4', '0', '0', '100', '0.48', '-2.4'])
    }), { numRuns: 20 })
  })
  test('the fast reader finds what the plain check finds, row by row, also where rows share their shape', () => {
    const names = Object.keys(valid)
    const columns = [...new Set(names.flatMap((name) => Object.keys(valid[name]!)))]
    const change = fc.record({ name: fc.constantFrom(...names), column: fc.constantFrom(...columns), value: fc.constantFrom(null, '', 'x', '-1', '1,5', 'N/A', '{"a":1,"a":2}', '2025-01-05T00:00:00Z', '1e-11', '99999999999999') })
    fc.assert(fc.property(fc.array(change, { minLength: 1, maxLength: 12 }), (changes) => {
      const rows = changes.map(({ name, column, value }) => ({ ...Object.fromEntries(columns.map((each) => [each, null])), ...valid[name]!, [column]: value === '' ? null : value }))
      const { findings } = read(rows, columns)
      rows.forEach((row, index) => {
        const expected = [...new Set(checkRow(rowOf(row)).map(({ rule }) => rule))].sort()
        const own = new Set(findings.filter(({ line }) => line === index + 2).map(({ rule }) => rule).filter((rule) => rule.startsWith('F')))
        expect([...own].sort()).toEqual(expected)
      })
    }), { numRuns: 150 })
  })
  test('columns beginning with x_ and descriptions are kept beside the key', () => {
    const { taken } = read([{ ...valid.usage!, x_project: 'storm' }])
    expect(taken[0]!.detail.details).toMatchObject({ x_project: 'storm', ChargeDescription: 'vm hours', InvoiceId: 'inv-1' })
    expect(taken[0]!.key.attributes).toMatchObject({ 'tag:env': 'prod', 'tag:team': 'shop', SubAccountId: 'sa-1' })
    expect(taken[0]!.period).toBe('2025-01-01')
  })
  test('exponents, ten decimals and more, and amounts beyond the range', () => {
    const { taken, findings } = read([{ ...valid.usage!, BilledCost: '1.23e-3' }, { ...valid.usage!, BilledCost: '0.0000000001' }, { ...valid.usage!, BilledCost: '0.00000000019' }, { ...valid.usage!, BilledCost: '1e13' }])
    expect(taken.map(({ billed }) => billed)).toEqual(['0.00123', '0.0000000001', '0.0000000002'])
    expect(findings).toEqual([{ line: 4, rule: 'AMOUNT_ROUNDED', refuses: false }, { line: 5, rule: 'AMOUNT_TOO_LARGE', refuses: true }])
  })
  test('a line with too few cells is refused by its number', () => {
    const found: number[] = []
    const reader = new ChargeReader(['a', 'b'], { charge: () => {}, findings: (line) => found.push(line), key: () => {}, detail: () => {} })
    const splitter = new CsvSplitter((row) => reader.read(row))
    splitter.push(new TextEncoder().encode('1\n1,2,3\n'))
    splitter.end()
    expect(found).toEqual([1, 2])
  })
})

describe('exact sums in pairs of floats', () => {
  test('agree with bigint, in any order, as numbers and as texts', () => {
    const part = fc.tuple(fc.integer({ min: -999_999_999, max: 999_999_999 }), fc.integer({ min: 0, max: 9_999_999_999 }))
    fc.assert(fc.property(fc.array(part, { maxLength: 200 }), (parts) => {
      const sums = new ExactSums()
      let expected = 0n
      for (const [whole, fraction] of parts) {
        const signed = whole < 0 ? -fraction : fraction
        sums.add(3, whole, signed)
        expected += BigInt(whole) * 10n ** 10n + BigInt(signed)
      }
      expect(sums.units(3)).toBe(expected)
      expect(Number(sums.text(3)) === Number(formatAmount(expected)) && sums.text(3).replace(/\.?0+$/, '') === formatAmount(expected).replace(/(\..*?)0+$/, '$1').replace(/\.$/, '') || expected % 10n ** 10n === 0n).toBe(true)
    }))
  })
  test('costs are kept apart', () => {
    const sums = new CostSums()
    sums.add(0, [1, 2, 3, 4].map((whole) => ({ given: true, whole, fraction: 0, start: 0, end: 0, text: null, exact: true })))
    expect(sums.texts(0)).toEqual(['1', '2', '3', '4'])
  })
})
