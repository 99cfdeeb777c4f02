import { describe, expect, test } from '@jest/globals'
import { amountOf } from '../money/amount.ts'
import { convert } from '../money/convert.ts'
import { roundCells, type Cell } from './cells.ts'
import { buildStatement, figuresOf } from './statement.ts'

const rates = new Map([['EUR', amountOf('1')], ['USD', amountOf('0.8715')]])
const cell = (costCentre: string, amount: string, more: Partial<Cell> = {}): Cell =>
  ({ provider: 'A', currency: 'EUR', kind: 'direct', line: 'Machines', costCentre, amounts: { billed: amountOf(amount), effective: amountOf(amount) }, ...more })

describe('rounding of a month', () => {
  test('the cent that is left over goes to the largest remainder', () => {
    const rounded = roundCells([cell('10', '1.004'), cell('20', '1.003'), cell('30', '1.003')], 'billed', rates, 'EUR')
    expect(rounded.map(({ costCentre, rounded: minor }) => [costCentre, minor])).toEqual([['10', 101n], ['20', 100n], ['30', 100n]])
  })
  test('ties go by cost centre, wherever it stands in the list', () => {
    const rounded = roundCells([cell('30', '1.005'), cell('10', '1.005')], 'billed', rates, 'EUR')
    expect(Object.fromEntries(rounded.map(({ costCentre, rounded: minor }) => [costCentre, minor]))).toEqual({ '10': 101n, '30': 100n })
  })
  test('credits round by their magnitude, as charges do', () => {
    const plus = roundCells([cell('10', '1.004'), cell('20', '1.003'), cell('30', '1.003')], 'billed', rates, 'EUR')
    const minus = roundCells([cell('10', '-1.004'), cell('20', '-1.003'), cell('30', '-1.003')], 'billed', rates, 'EUR')
    expect(minus.map(({ rounded }) => rounded)).toEqual(plus.map(({ rounded }) => -rounded))
  })
  test('unassigned money takes part, so that the provider adds up', () => {
    const rounded = roundCells([cell('10', '0.004'), cell('', '0.003', { kind: 'unassigned' }), cell('', '0.003', { kind: 'held', line: 'P' })], 'billed', rates, 'EUR')
    expect(rounded.reduce((sum, each) => sum + each.rounded, 0n)).toBe(1n)
  })
  test('providers and currencies round apart; amounts convert without rounding', () => {
    const rounded = roundCells([cell('10', '100.01', { currency: 'USD' }), cell('10', '0.005', { provider: 'B' })], 'effective', rates, 'EUR')
    expect(rounded[0]!.exact).toBe(convert(amountOf('100.01'), 'USD', rates, ''))
    expect(rounded.map(({ rounded: minor }) => minor)).toEqual([8716n, 0n])
  })
})

describe('a statement', () => {
  const now = roundCells([cell('10', '10.00'), cell('10', '5.00', { line: 'Network' }), cell('10', '2.00', { kind: 'pool', line: 'P' })], 'billed', rates, 'EUR')
  const before = roundCells([cell('10', '8.00'), cell('10', '1.00', { line: 'Queues' })], 'billed', rates, 'EUR')
  const statement = buildStatement(now, before, new Map([['P', { name: 'Platform', amount: 800n, base: 'evenly', share: 25_000_000n }]]))
  test('sets lines of both months against each other', () => {
    expect(statement.groups.map(({ kind, lines }) => [kind, lines.map(({ label, amount, previous, permille }) => [label, amount, previous, permille])])).toEqual([
      ['direct', [['A · Machines', 1000n, 800n, 250n], ['A · Network', 500n, 0n, null], ['A · Queues', 0n, 100n, -1000n]]],
      ['pool', [['Platform', 200n, 0n, null]]],
    ])
    expect(statement.total).toEqual({ amount: 1700n, previous: 900n, change: 800n, permille: 889n })
  })
  test('a pool line says what it is a share of', () => {
    expect(statement.groups[1]!.lines[0]).toMatchObject({ share: 25_000_000n, poolAmount: 800n, base: 'evenly' })
  })
  test('change against a credit keeps its sign', () => {
    expect(figuresOf(-50n, -100n)).toEqual({ amount: -50n, previous: -100n, change: 50n, permille: 500n })
  })
})
