import { afterAll, beforeAll, describe, expect, test } from '@jest/globals'
import fc from 'fast-check'
import { demoRulebook } from '../../../demo/rulebook.ts'
import { RATES } from '../../../demo/scenario.ts'
import { demoBill } from '../../../tests/support/bills.ts'
import { openServer, type Client, type Reply, type TestServer } from '../../../tests/support/server.ts'
import type { StatementView } from '../statements/view.ts'
import { parseRates } from './routes.ts'
import type { RateKind, RateRow } from './store.ts'

const MONTH = '2026-10'
let server: TestServer
let accountant: Client
interface Refusal { message: string; problems: string[] }
const enter = (csv: string, client = accountant): Promise<Reply<Refusal>> => client.ask<Refusal>('POST', '/api/rates', { csv })
const choose = (kind: string): Promise<Reply<Refusal>> => accountant.ask<Refusal>('PUT', `/api/rates/${MONTH}`, { kind })
const run = async (): Promise<void> => { expect((await accountant.ask('POST', `/api/allocation/${MONTH}`)).status).toBe(200) }
const statement = (code: string, more = ''): Promise<StatementView> => accountant.get<StatementView>(`/api/statement?scope=cc:${code}&month=${MONTH}&basis=effective${more}`)
/** Direct cost of a provider on a statement, as shown. */
const directOf = (of: StatementView, provider: string): number => of.groups.flatMap(({ kind, lines }) => (kind === 'direct' ? lines : [])).filter((line) => line.provider === provider).reduce((sum, { amount }) => sum + Number(amount), 0)

beforeAll(async () => {
  server = await openServer()
  accountant = server.accountant
  for (const provider of ['nimbrel', 'orvane', 'tarnhost']) expect((await accountant.load(`${provider}.csv`, demoBill(provider, MONTH))).state).toBe('taken')
  await accountant.ask('PUT', '/api/rulebook/draft', { revision: 0, rulebook: demoRulebook() })
  await accountant.ask('POST', '/api/rulebook/publish', { revision: 1, note: 'first' })
  await run()
}, 120_000)
afterAll(() => server.close())

describe('rates are entered', () => {
  test('each flaw of a file is named with its line, and nothing is taken', async () => {
    const before = await accountant.get('/api/rates')
    const { status, body } = await enter(['month,currency,rate,kind,provider', '2026-13,USD,1,,', `${MONTH},usd,1,,`, `${MONTH},USD,-1,,`, `${MONTH},USD,1,weekly,`, `${MONTH},GBP,0.00000000001,,`, `${MONTH},CHF,1,invoice,`, `${MONTH},CHF,1,average,Nimbrel`, `${MONTH},SEK,12345678901,,`, `${MONTH},NOK,1,,`, `${MONTH},NOK,2,,`, `${MONTH},DKK,one,,`].join('\n'))
    expect(status).toBe(422)
    expect(body.problems.map((problem) => problem.split(':')[0])).toEqual(['line 2', 'line 3', 'line 4', 'line 5', 'line 6', 'line 7', 'line 8', 'line 9', 'line 11', 'line 12'])
    expect(await accountant.get('/api/rates')).toEqual(before)
  })
  test('what is right is read as it stands, whatever the decimal', () => {
    fc.assert(fc.property(fc.bigInt({ min: 1n, max: 10n ** 20n - 1n }), fc.constantFrom('average', 'monthEnd', 'invoice'), (units, kind) => {
      const text = `${units / 10n ** 10n}.${String(units % 10n ** 10n).padStart(10, '0')}`
      expect(parseRates(`month,currency,rate,kind,provider\n2026-01,USD,${text},${kind},${kind === 'invoice' ? '"A, B"' : ''}`)).toEqual([{ month: '2026-01', currency: 'USD', rate: text, kind, provider: kind === 'invoice' ? 'A, B' : '' }])
    }))
  })
  test('a rate entered again replaces the one before it, and only accountants and administrators enter any', async () => {
    expect((await enter(`month,currency,rate\n2026-01,CHF,1.05`)).status).toBe(200)
    await enter(`month,currency,rate\n2026-01,CHF,1.06`)
    const { rates } = await accountant.get<{ rates: RateRow[] }>('/api/rates')
    expect(rates.filter(({ currency }) => currency === 'CHF').map(({ rate }) => Number(rate))).toEqual([1.06])
    for (const login of ['okoro', 'brandt']) expect([login, (await enter('month,currency,rate\n2026-01,CHF,9', await server.client().signIn(login))).status]).toEqual([login, 403])
  })
})

describe('a month is converted at one kind of rate', () => {
  test('at the month end where that is chosen: another figure by just that proportion, and the run before it is out of date', async () => {
    const average = await statement('2030')
    expect((await choose('monthEnd')).status).toBe(200)
    expect((await statement('2030')).isCurrent).toBe(false)
    expect((await accountant.ask<Refusal>('POST', `/api/allocation/${MONTH}`)).body.message).toContain('There is no exchange rate for GBP, USD')
    await enter(`month,currency,rate,kind\n${MONTH},USD,0.9,monthEnd\n${MONTH},GBP,1.2,monthEnd`)
    await run()
    const monthEnd = await statement('2030')
    expect(directOf(monthEnd, 'Orvane') / directOf(average, 'Orvane')).toBeCloseTo(1.2 / Number(RATES[MONTH]!.GBP), 4)
    expect(directOf(monthEnd, 'Tarnhost')).toBe(directOf(average, 'Tarnhost'))
  })
  test('per invoice: a provider’s own rate, and none for a provider is named', async () => {
    await choose('invoice')
    await enter(`month,currency,rate,kind,provider\n${MONTH},GBP,1.3,invoice,Orvane\n${MONTH},USD,0.8,invoice,Somebody Else`)
    expect((await accountant.ask<Refusal>('POST', `/api/allocation/${MONTH}`)).body.message).toContain('There is no exchange rate for USD')
    await enter(`month,currency,rate,kind,provider\n${MONTH},USD,0.8,invoice,Nimbrel`)
    await run()
    const [invoice, { kind }] = [await statement('2030'), await accountant.get<{ kind: RateKind }>(`/api/rates?month=${MONTH}`)]
    expect([kind, directOf(invoice, 'Orvane') > 0]).toEqual(['invoice', true])
    const { rows } = { rows: await server.database.rows<{ provider: string; currency: string; rate: string }>('SELECT provider, currency, rate FROM run_rates WHERE run_id = (SELECT MAX(id) FROM runs) AND provider <> ? ORDER BY provider', ['']) }
    expect(rows.map(({ provider, currency, rate }) => [provider, currency, Number(rate)])).toEqual([['Nimbrel', 'USD', 0.8], ['Orvane', 'GBP', 1.3], ['Somebody Else', 'USD', 0.8]])
    await choose('average')
    await run()
  })
  test('what was frozen by a run stays, whatever is entered afterwards', async () => {
    const before = await statement('2030')
    await enter(`month,currency,rate\n${MONTH},GBP,2`)
    const after = await statement('2030')
    expect([after.isCurrent, after.total.amount]).toEqual([false, before.total.amount])
    await enter(`month,currency,rate\n${MONTH},GBP,${RATES[MONTH]!.GBP}`)
    expect((await statement('2030')).isCurrent).toBe(true)
  })
})

describe('amounts are read in another currency', () => {
  test('every line by the rate, the statement adding up in itself', async () => {
    const [euro, dollar] = [await statement('1010'), await statement('1010', '&currency=USD')]
    expect(dollar.currency).toBe('USD')
    const cents = (text: string): bigint => BigInt(text.replace('.', ''))
    for (const { lines, figures } of dollar.groups) expect(lines.reduce((sum, { amount }) => sum + cents(amount), 0n)).toBe(cents(figures.amount))
    expect(Number(dollar.total.amount)).toBeCloseTo(Number(euro.total.amount) / Number(RATES[MONTH]!.USD), 0)
    // what was billed in dollars is what it was, but for the rounding with the month
    const own = await server.database.first<{ cost: string }>("SELECT SUM(effective_cost) AS cost FROM run_cells WHERE run_id = (SELECT MAX(id) FROM runs) AND cost_centre = '1010' AND kind = 'direct' AND provider = 'Nimbrel'")
    expect(directOf(dollar, 'Nimbrel')).toBeCloseTo(Number(own!.cost), 1)
  })
  test('one without a rate is named, and what is no currency is refused', async () => {
    expect(await accountant.ask<Refusal>('GET', `/api/statement?scope=cc:1010&month=${MONTH}&basis=effective&currency=JPY`)).toMatchObject({ status: 422, body: { message: expect.stringContaining('no exchange rate for JPY') as unknown } })
    expect((await accountant.ask('GET', `/api/statement?scope=cc:1010&month=${MONTH}&basis=effective`, undefined, { 'abacus-currency': 'dollars' })).status).toBe(422)
  })
})

describe('a closed month', () => {
  test('takes no rate and no other kind, and is opened again only with a reason', async () => {
    const controller = await server.client().signIn('brandt')
    const period = (state: string, reason = ''): Promise<Reply<Refusal>> => controller.ask<Refusal>('PUT', `/api/periods/${MONTH}`, { state, reason })
    expect((await accountant.ask('PUT', `/api/periods/${MONTH}`, { state: 'closed', reason: '' })).status).toBe(403)
    expect((await period('closed')).status).toBe(200)
    expect((await enter(`month,currency,rate\n${MONTH},GBP,2\n2026-11,GBP,2`)).body.message).toBe(`The rates of ${MONTH} are frozen: the period is closed.`)
    expect((await choose('monthEnd')).status).toBe(409)
    expect((await period('open')).status).toBe(409)
    expect((await period('open', 'a late credit')).status).toBe(200)
    const [entry] = await server.database.rows<{ detail: string }>('SELECT action, subject, detail FROM audit ORDER BY id DESC LIMIT 1')
    expect(JSON.stringify(entry)).toContain('a late credit')
    expect((await controller.ask('PUT', '/api/periods/2031-01', { state: 'closed', reason: '' })).status).toBe(404)
  })
})
