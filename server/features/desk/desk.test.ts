import { afterAll, beforeAll, describe, expect, test } from '@jest/globals'
import { Answers } from '../../../demo/answers.ts'
import { demoRulebook } from '../../../demo/rulebook.ts'
import { RATES } from '../../../demo/scenario.ts'
import { demoBill } from '../../../tests/support/bills.ts'
import { openServer, type TestServer } from '../../../tests/support/server.ts'
import type { Workings } from '../../../core/workings/workings.ts'
import type { DeskFigure } from './figures.ts'
import type { Movement } from './movements.ts'
import type { DeskTask } from './tasks.ts'

let server: TestServer
const answers = new Answers()
interface Desk { figures: { figures: DeskFigure[] }; tasks: DeskTask[] }
const desk = (month: string): Promise<Desk> => server.accountant.get<Desk>(`/api/desk?month=${month}&basis=effective`)
const cost = (month: string, currency: string): number => Number(answers.toJson()[`bills/${month}/Loomlog`]!.effective) * Number(RATES[month]![currency])

beforeAll(async () => {
  server = await openServer()
  for (const month of ['2026-09', '2026-10', '2026-11']) await server.accountant.load(`${month}.csv`, demoBill('loomlog', month, answers))
  await server.accountant.ask('PUT', '/api/rulebook/draft', { revision: 0, rulebook: demoRulebook() })
  await server.accountant.ask('POST', '/api/rulebook/publish', { revision: 1, note: 'first' })
  await server.accountant.ask('POST', '/api/allocation/2026-09')
  await server.accountant.ask('POST', '/api/allocation/2026-10')
})
afterAll(() => server.close())

describe('the desk', () => {
  test('month to date, last month and year to date are the sums of the bills', async () => {
    const { figures } = (await desk('2026-11')).figures
    expect(figures.map(({ name }) => name)).toEqual(['Month to date', 'Last month', 'Projected month end', 'Year to date'])
    expect(Number(figures[0]!.amount)).toBeCloseTo(cost('2026-11', 'USD'), 1)
    expect(Number(figures[1]!.amount)).toBeCloseTo(cost('2026-10', 'USD'), 1)
    expect(Number(figures[3]!.amount)).toBeCloseTo(['2026-09', '2026-10', '2026-11'].reduce((sum, month) => sum + cost(month, 'USD'), 0), 1)
    expect(figures.map(({ before }) => before)).toEqual([null, null, null, null])
  })
  test('the projection of a steady feed is near a whole month, and a complete month is its own', async () => {
    const { figures } = (await desk('2026-11')).figures
    const whole = cost('2026-10', 'USD') * (30 / 31)
    // the correction of November belongs to August and is not projected
    expect(Math.abs(Number(figures[2]!.amount) - whole) / whole).toBeLessThan(0.06)
    const october = (await desk('2026-10')).figures.figures
    expect([october[2]!.amount, october[2]!.note]).toEqual([october[0]!.amount, 'the month is complete'])
  })
  test('what waits is told with where to do it', async () => {
    expect((await desk('2026-11')).tasks.map(({ kind, link }) => [kind, link])).toEqual([['run', '/allocation']])
    await server.database.run("DELETE FROM exchange_rates WHERE month = '2026-11' AND currency = 'USD'")
    const lacking = await server.accountant.get<{ figures: null; problem: string; tasks: DeskTask[] }>('/api/desk?month=2026-11&basis=effective')
    expect([lacking.figures, lacking.problem, lacking.tasks[0]!.kind]).toEqual([null, expect.stringContaining('USD in 2026-11'), 'rate'])
    await server.accountant.ask('POST', '/api/rates', { csv: 'month,currency,rate\n2026-11,USD,0.8743' })
    expect((await desk('2026-11')).tasks.some(({ kind }) => kind === 'rate')).toBe(false)
  })
  test('bad rates are refused whole, by line', async () => {
    const { status, body } = await server.accountant.ask<{ problems: string[] }>('POST', '/api/rates', { csv: 'month,currency,rate\n2026-12,USD,0.9\n2026-13,usd,-1' })
    expect([status, body.problems]).toEqual([422, ['line 3: the month 2026-13 is not written YYYY-MM', 'line 3: usd is not a currency code', 'line 3: the rate -1 is not a positive decimal of at most ten places']])
    expect((await server.accountant.get<{ rates: { month: string }[] }>('/api/rates')).rates.some(({ month }) => month === '2026-12')).toBe(false)
  })
  test('movements compare the last complete week with the one before', async () => {
    const { from, to, movements } = await server.accountant.get<{ from: string; to: string; movements: Movement[] }>('/api/desk/movements?month=2026-11&basis=effective')
    expect([from, to]).toEqual(['2026-11-11', '2026-11-17'])
    expect(movements.map(({ provider, service }) => `${provider} ${service}`)).toEqual(['Loomlog Log Keeping'])
    expect(Number(movements[0]!.after) - Number(movements[0]!.before)).toBeCloseTo(Number(movements[0]!.change), 1)
  })
  test('a change opens to this month less the month before', async () => {
    const figure = 'change~2026-10~effective~statement~cc:2010'
    const change = await server.accountant.get<Workings>(`/api/workings?figure=${encodeURIComponent(figure)}`)
    const [now, before, difference] = change.terms.map(({ amount }) => Number(amount))
    expect(now! - before!).toBeCloseTo(difference!, 6)
    expect(change.terms[1]!.opens).toBe('statement~2026-09~effective~cc:2010')
    const charged = await server.accountant.get<Workings>(`/api/workings?figure=${encodeURIComponent('charged~2026-10~effective')}`)
    expect(charged.terms.slice(0, -1).reduce((sum, { amount }) => sum + Math.round(Number(amount) * 100), 0)).toBe(Math.round(Number(charged.amount) * 100))
  })
  test('the largest spenders can be told by any attribute', async () => {
    const { values } = await server.accountant.get<{ values: { value: string; amount: string }[] }>(`/api/desk/top?month=2026-10&basis=effective&by=${encodeURIComponent('tag:team')}`)
    expect(values.map(({ value }) => value)).toEqual(['app', 'warnings', 'platform', 'shared'])
    expect((await server.accountant.ask('GET', '/api/desk/top?month=2026-10&basis=effective&by=password_hash')).status).toBe(422)
  })
})
