import { describe, expect, test } from '@jest/globals'
import type { RoundedCell } from '../statements/cells.ts'
import type { MarkUp } from '../types.ts'
import { markUpLines } from './markUp.ts'

const cell = (costCentre: string, kind: RoundedCell['kind'], rounded: bigint): RoundedCell => ({ provider: 'Nimbrel', currency: 'EUR', costCentre, kind, line: 'x', amount: 0n, exact: 0n, rounded })
const CELLS = [cell('10', 'direct', 100_05n), cell('10', 'pool', 50_00n), cell('20', 'direct', -20_00n), cell('', 'unassigned', 999n)]
const markUp = (more: Partial<MarkUp>): MarkUp => ({ id: 'm', name: 'Administration', costCentres: [], on: 'all', fee: { kind: 'percent', percent: '3' }, recoveryAccount: '7000', ...more })
const told = (one: MarkUp): [string, bigint, bigint][] => markUpLines([one], CELLS, 2).map(({ costCentre, base, amount }) => [costCentre, base, amount])

describe('mark-up', () => {
  test('per cent of what is charged, half a cent going to the even one; credits are marked down', () => {
    expect(told(markUp({}))).toEqual([['10', 150_05n, 4_50n], ['20', -20_00n, -60n]])
    expect(told(markUp({ on: 'direct', fee: { kind: 'percent', percent: '10' } }))).toEqual([['10', 100_05n, 10_00n], ['20', -20_00n, -2_00n]])
  })
  test('by kind of cost and cost centre; money that nobody is charged is not marked up', () => {
    expect(told(markUp({ on: 'pools' }))).toEqual([['10', 50_00n, 1_50n]])
    expect(told(markUp({ costCentres: ['20'], fee: { kind: 'amount', amount: '12.5' } }))).toEqual([['20', -20_00n, 12_50n]])
  })
})
