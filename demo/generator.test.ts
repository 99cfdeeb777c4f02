import { describe, expect, test } from '@jest/globals'
import { checkRow, rowOf } from '../core/charges/checkRow.ts'
import { amountOf, formatAmount } from '../core/money/amount.ts'
import { Answers } from './answers.ts'
import { cellOf, DEMO_COLUMNS, type Cells } from './focusLine.ts'
import { allResources, COMMITMENT, demoCharges, demoFile, demoFiles } from './generator.ts'
import { PROVIDERS, SPELLINGS } from './scenario.ts'
import { STORY_DAYS } from './stories.ts'

const resources = allResources()
const record = (cells: Cells): Record<string, string | null> => Object.fromEntries(DEMO_COLUMNS.map((column, index) => [column, cells[index] || null]))
const charges = (provider: string, month: string) => [...demoCharges(provider, month, resources)]
const sum = (amounts: bigint[]): bigint => amounts.reduce((total, amount) => total + amount, 0n)

describe('the demo', () => {
  test.each(Object.keys(PROVIDERS))('every row of %s keeps every rule of FOCUS', (provider) => {
    const findings = ['2026-08', '2026-11'].flatMap((month) => charges(provider, month).flatMap(({ cells }) => checkRow(rowOf(record(cells))).map(({ rule, column, value }) => `${rule} ${column} ${value}`)))
    expect([...new Set(findings)]).toEqual([])
  })
  test('is the same each time, to the last byte', () => {
    expect([...demoFile('loomlog', '2026-04', allResources())].join('')).toBe([...demoFile('loomlog', '2026-04', allResources())].join(''))
  })
  test('brings about 400 000 lines in 75 files', () => {
    const october = Object.keys(PROVIDERS).reduce((count, provider) => count + charges(provider, '2026-10').length, 0)
    expect(demoFiles()).toHaveLength(75)
    expect(october * 14.6).toBeGreaterThan(360_000)
    expect(october * 14.6).toBeLessThan(440_000)
  })
  test('what a line costs is what it says: answers are sums of the cells', () => {
    const answers = new Answers()
    const all = charges('tarnhost', '2026-10')
    for (const charge of all) answers.note('tarnhost', '2026-10', charge)
    const told = answers.toJson()
    expect(told['bills/2026-10/Tarnhost']!.billed).toBe(formatAmount(sum(all.map(({ cells }) => amountOf(cellOf(cells, 'BilledCost'))))))
    const targets = Object.entries(told).filter(([path]) => path.startsWith('targets/'))
    expect(formatAmount(sum(targets.map(([, { effective }]) => amountOf(effective))))).toBe(told['bills/2026-10/Tarnhost']!.effective)
    expect(targets.reduce((count, [, { lines }]) => count + lines, 0)).toBe(all.length)
  })
})

describe('the stories', () => {
  test('a deployment loses its tags for nine days', () => {
    const lost = charges('nimbrel', '2026-10').filter(({ cells, target }) => target === null && cellOf(cells, 'ResourceName').startsWith('app-compute'))
    expect(new Set(lost.map(({ day }) => day)).size).toBe(9)
    expect([lost[0]!.day, lost.at(-1)!.day]).toEqual([STORY_DAYS.tagsLost.from, STORY_DAYS.tagsLost.to])
    expect(lost.every(({ cells }) => cellOf(cells, 'Tags') === '')).toBe(true)
  })
  test('the team tag occurs in five spellings', () => {
    const keys = new Set(charges('nimbrel', '2026-10').flatMap(({ cells }) => Object.entries(JSON.parse(cellOf(cells, 'Tags') || '{}') as Record<string, string>).filter(([, value]) => value === 'radar').map(([key]) => key)))
    expect([...keys].sort()).toEqual([...SPELLINGS].sort())
  })
  test('a commitment of August is half used from October', () => {
    const of = (month: string) => charges('nimbrel', month).filter(({ cells }) => cellOf(cells, 'CommitmentDiscountId') !== '')
    const status = (month: string, name: string): string => formatAmount(sum(of(month).filter(({ cells }) => cellOf(cells, 'CommitmentDiscountStatus') === name).map(({ effective }) => effective)))
    expect([status('2026-09', 'Used'), status('2026-09', 'Unused')]).toEqual(['1800', '0'])
    expect([status('2026-10', 'Used'), status('2026-10', 'Unused')]).toEqual(['930', '930'])
    expect(of('2026-08').find(({ cells }) => cellOf(cells, 'ChargeCategory') === 'Purchase')!.billed).toBe(COMMITMENT.upfront)
  })
  test('Loomlog raises its prices by 8 per cent on the first of April', () => {
    const price = (month: string): number => Number(cellOf(charges('loomlog', month)[0]!.cells, 'ListUnitPrice'))
    expect(price('2026-04') / price('2026-03')).toBeCloseTo(1.08, 6)
  })
  test('a machine type changes, rate and count at once', () => {
    const cost = (day: string): [number, number] => {
      const machines = charges('nimbrel', '2026-06').filter(({ day: on, cells, target }) => on === day && target === '1010' && cellOf(cells, 'ServiceName') === 'Machines').slice(0, 12)
      return [machines.length, Number(cellOf(machines[0]!.cells, 'ListUnitPrice'))]
    }
    expect(cost('2026-06-09')[1]).toBe(0.384)
    expect(cost('2026-06-10')[1]).toBe(0.702)
    const count = (day: string): number => charges('nimbrel', '2026-06').filter(({ day: on, cells, target }) => on === day && target === '1010' && cellOf(cells, 'ServiceName') === 'Machines').length
    expect(count('2026-06-10') - count('2026-06-09')).toBe(4)
  })
  test('a batch runs twice at weekends from September', () => {
    const hours = (day: string): number => charges('nimbrel', day.slice(0, 7)).filter(({ day: on, target, cells }) => on === day && target === '5020' && cellOf(cells, 'ServiceName') === 'Machines').reduce((total, { cells }) => total + Number(cellOf(cells, 'PricingQuantity')), 0)
    expect(hours('2026-09-05') - hours('2026-09-04')).toBe(240)
  })
  test('throughput is left on for a month, and a free allowance ends', () => {
    const answers = new Answers()
    for (const month of ['2026-05', '2026-06']) for (const charge of charges('tarnhost', month)) answers.note('tarnhost', month, charge)
    expect(answers.toJson()['stories/throughputLeftOn/Tarnhost']!.lines).toBe(31)
    const paid = (month: string): bigint => sum(charges('tarnhost', month).filter(({ cells }) => cellOf(cells, 'ResourceId') === 'ta-fn-allowance').map(({ billed }) => billed))
    expect(paid('2026-06')).toBe(0n)
    expect(paid('2026-07')).toBeGreaterThan(0n)
  })
  test('a service is used that was not there before, and a day is missing', () => {
    const search = charges('nimbrel', '2026-11').filter(({ cells }) => cellOf(cells, 'ServiceName') === 'Text Search')
    expect(search[0]!.day).toBe('2026-11-09')
    expect(charges('nimbrel', '2026-10').some(({ cells }) => cellOf(cells, 'ServiceName') === 'Text Search')).toBe(false)
    expect(new Set(charges('orvane', '2026-03').map(({ day }) => day)).size).toBe(30)
  })
  test('a correction names the month it belongs to', () => {
    const [correction] = charges('loomlog', '2026-11').filter(({ cells }) => cellOf(cells, 'ChargeClass') === 'Correction')
    expect([correction!.day, correction!.billed]).toEqual(['2026-08-14', -12_405_000_000_000n])
  })
})
