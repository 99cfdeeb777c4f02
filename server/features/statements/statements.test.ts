import { afterAll, beforeAll, describe, expect, test } from '@jest/globals'
import { parse } from 'csv-parse/sync'
import { demoRulebook } from '../../../demo/rulebook.ts'
import { CENTRES, PROVIDERS, RATES } from '../../../demo/scenario.ts'
import { demoBill } from '../../../tests/support/bills.ts'
import { openServer, type Client, type TestServer } from '../../../tests/support/server.ts'
import { addDecimals } from '../../../web/decimals.ts'
import type { StatementView } from './view.ts'

const [BEFORE, MONTH] = ['2026-09', '2026-10']
let server: TestServer
let accountant: Client
const statement = (scope: string, more = ''): Promise<StatementView> => accountant.get<StatementView>(`/api/statement?scope=${scope}&month=${MONTH}&basis=effective${more}`)
const lineNames = ({ groups }: StatementView): string[] => groups.flatMap(({ kind, lines }) => lines.map(({ provider, line }) => `${kind} ${provider} ${line}`))

beforeAll(async () => {
  server = await openServer()
  accountant = server.accountant
  for (const month of [BEFORE, MONTH]) for (const provider of Object.keys(PROVIDERS)) expect((await accountant.load(`${provider}-${month}.csv`, demoBill(provider, month))).state).toBe('taken')
  await accountant.ask('PUT', '/api/rulebook/draft', { revision: 0, rulebook: demoRulebook() })
  await accountant.ask('POST', '/api/rulebook/publish', { revision: 1, note: 'first' })
  for (const month of [BEFORE, MONTH]) expect((await accountant.ask('POST', `/api/allocation/${month}`)).status).toBe(200)
}, 180_000)
afterAll(() => server.close())

describe('a business unit', () => {
  test('is the sum of its cost centres, line by line, mark-ups too, in any currency', async () => {
    for (const currency of ['', '&currency=USD', '&currency=GBP']) {
      const unit = await statement('unit:20', currency)
      const centres = await Promise.all(CENTRES.filter((centre) => centre.unit === '20').map(({ code }) => statement(`cc:${code}`, currency)))
      expect(unit.total.amount).toBe(addDecimals(centres.map(({ total }) => total.amount)))
      expect(unit.total.previous).toBe(addDecimals(centres.map(({ total }) => total.previous)))
      expect(unit.withMarkUp).toBe(addDecimals(centres.map(({ withMarkUp, total }) => withMarkUp ?? total.amount)))
      expect(addDecimals([unit.total.amount, ...unit.markUps.map(({ amount }) => amount)])).toBe(unit.withMarkUp)
      for (const name of lineNames(unit)) {
        const amountIn = ({ groups }: StatementView): string[] => groups.flatMap(({ kind, lines }) => lines.filter(({ provider, line }) => `${kind} ${provider} ${line}` === name).map(({ amount }) => amount))
        expect([name, amountIn(unit)[0]]).toEqual([name, addDecimals(centres.flatMap(amountIn))])
      }
    }
  })
  test('all statements of the month add up to what is charged, at the rounded total of the providers', async () => {
    const all = await Promise.all(CENTRES.map(({ code }) => statement(`cc:${code}`)))
    const { charged } = await accountant.get<{ charged: string }>(`/api/balance?month=${MONTH}&basis=effective`)
    expect(addDecimals(all.map(({ total }) => total.amount))).toBe(charged)
  })
})

describe('the change against the month before', () => {
  test('is that of the two statements, in money and per cent, and the history ends with it', async () => {
    const [now, before] = [await statement('cc:1010'), await accountant.get<StatementView>(`/api/statement?scope=cc:1010&month=${BEFORE}&basis=effective`)]
    expect([now.total.previous, now.hasPrevious, before.hasPrevious]).toEqual([before.total.amount, true, false])
    expect(addDecimals([now.total.previous, now.total.change])).toBe(now.total.amount)
    expect(Number(now.total.percent)).toBeCloseTo((100 * Number(now.total.change)) / Number(now.total.previous), 1)
    expect(now.history).toHaveLength(12)
    expect(now.history.slice(-2)).toEqual([{ month: BEFORE, amount: before.total.amount }, { month: MONTH, amount: now.total.amount }])
    expect(now.history[0]!.amount).toBeNull()
  })
  test('what exchange rates alone made of it: each currency’s cost at both rates', async () => {
    const cells = await server.database.rows<{ currency: string; cost: string }>("SELECT currency, SUM(effective_cost) AS cost FROM run_cells WHERE run_id = (SELECT MAX(id) FROM runs WHERE month = ?) AND cost_centre = '1010' AND kind IN ('direct', 'pool') GROUP BY currency", [MONTH])
    const effect = cells.reduce((sum, { currency, cost }) => sum + Number(cost) * (Number(RATES[MONTH]![currency] ?? 1) - Number(RATES[BEFORE]![currency] ?? 1)), 0)
    expect(Math.abs(effect)).toBeGreaterThan(1)
    expect(Number((await statement('cc:1010')).currencyEffect)).toBeCloseTo(effect, 1)
  })
})

describe('taken away', () => {
  test('as CSV it has the figures of the page, and names that a spreadsheet would run are made harmless', async () => {
    await accountant.ask('PUT', '/api/organisation/centres/1010', { ...CENTRES.find(({ code }) => code === '1010')!, name: '=1+1;"Models", all\nof them' })
    const { text } = await accountant.ask('GET', `/api/statement.csv?scope=cc:1010&month=${MONTH}&basis=effective`)
    const rows = parse(text, { columns: true }) as Record<string, string>[]
    expect(new Set(rows.map(({ name }) => name))).toEqual(new Set([`'=1+1;"Models", all\nof them`]))
    const page = await statement('cc:1010')
    expect(rows.filter(({ group }) => !group!.startsWith('Total') && group !== 'Mark-up').map(({ line, amount }) => [line, amount])).toEqual(page.groups.flatMap(({ lines }) => lines.map(({ label, amount }) => [label, amount])))
    expect(rows.find(({ group }) => group === 'Total')).toMatchObject({ amount: page.total.amount, previous: page.total.previous, change: page.total.change, run: String(page.runId), rulebook_version: '1', currency: 'EUR' })
    expect(rows.find(({ group }) => group === 'Total with mark-up')!.amount).toBe(page.withMarkUp)
    // negative amounts stay numbers
    expect(rows.some(({ change }) => change!.startsWith("'"))).toBe(false)
  })
  test('as PDF it is one, in another currency and with letters that its font lacks', async () => {
    for (const more of ['', '&currency=GBP']) {
      const { status, headers, text } = await accountant.ask('GET', `/api/statement.pdf?scope=unit:20&month=${MONTH}&basis=billed${more}`)
      expect([status, headers['content-type'], text.slice(0, 5), text.trimEnd().slice(-5)]).toEqual([200, 'application/pdf', '%PDF-', '%%EOF'])
    }
    await accountant.ask('PUT', '/api/organisation/centres/1010', { ...CENTRES.find(({ code }) => code === '1010')!, name: '海岸 Prognose' })
    expect((await accountant.ask('GET', `/api/statement.pdf?scope=cc:1010&month=${MONTH}&basis=effective`)).status).toBe(200)
  })
})

describe('who may read it', () => {
  test('an owner the own cost centre, no other, no unit that has others, in no form', async () => {
    const owner = await server.client().signIn('okoro')
    const ask = async (kind: string, scope: string): Promise<number> => (await owner.ask('GET', `/api/${kind}?scope=${scope}&month=${MONTH}&basis=effective`)).status
    for (const kind of ['statement', 'statement.csv', 'statement.pdf']) expect([kind, await ask(kind, 'cc:2010'), await ask(kind, 'cc:1010'), await ask(kind, 'unit:20'), await ask(kind, 'cc:none')]).toEqual([kind, 200, 403, 403, 403])
    const { body } = await owner.ask<{ centres: { code: string }[] }>('GET', `/api/statements?month=${MONTH}&basis=effective`)
    expect(body.centres.map(({ code }) => code)).toEqual(['2010'])
  })
  test('what there is none of is not found, and what cannot be asked is refused', async () => {
    const ask = async (query: string): Promise<number> => (await accountant.ask('GET', `/api/statement?${query}`)).status
    expect([await ask(`scope=cc:9999&month=${MONTH}&basis=effective`), await ask(`scope=unit:99&month=${MONTH}&basis=effective`), await ask('scope=cc:1010&month=2020-01&basis=effective'), await ask(`scope=cc:1010&month=${MONTH}&basis=list`), await ask('scope=cc:1010&month=2026-1&basis=effective')]).toEqual([404, 404, 404, 400, 400])
  })
})
