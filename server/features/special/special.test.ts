import { afterAll, beforeAll, describe, expect, test } from '@jest/globals'
import { Answers } from '../../../demo/answers.ts'
import { COMMITMENT } from '../../../demo/generator.ts'
import { flowFile } from '../../../demo/network.ts'
import { demoRulebook } from '../../../demo/rulebook.ts'
import { INVOICE_RATES, MONTH_END, RATES } from '../../../demo/scenario.ts'
import type { Rulebook, SpecialKind, SpecialWay } from '../../../core/types.ts'
import { demoBill } from '../../../tests/support/bills.ts'
import { openServer, type Client, type TestServer } from '../../../tests/support/server.ts'
import type { Balance } from '../allocation/balance.ts'
import { publish, saveDraft } from '../rulebook/store.ts'
import type { StatementView } from '../statements/view.ts'
import type { SpecialView } from './view.ts'

const MONTH = '2026-11'
let server: TestServer
let accountant: Client
const answers = new Answers()

beforeAll(async () => {
  server = await openServer()
  accountant = server.accountant
  for (const month of ['2026-08', '2026-10', MONTH]) await accountant.load(`nimbrel-${month}.csv`, demoBill('nimbrel', month, answers))
  for (const month of ['2026-10', MONTH]) for (const provider of ['orvane', 'tarnhost']) await accountant.load(`${provider}-${month}.csv`, demoBill(provider, month, answers))
  for (const month of ['2026-10', MONTH]) await accountant.load('flows.csv', [...flowFile(month)].join(''))
  await saveDraft(server.database, demoRulebook(), 0, 'M. Aldous')
  await publish(server.database, demoRulebook(), 'M. Aldous', 'demo')
}, 120_000)
afterAll(() => server.close())

const under = async (special: Partial<Record<SpecialKind, SpecialWay>>, month = '2026-10'): Promise<SpecialView> =>
  (await accountant.ask<SpecialView>('POST', '/api/rulebook/special', { month, basis: 'effective', rulebook: { ...demoRulebook(), special } satisfies Rulebook })).body
const kind = (view: SpecialView, name: SpecialKind): SpecialView['kinds'][number] => view.kinds.find((one) => one.kind === name)!
const euro = (text: string): number => Number(text)

describe('special charges', () => {
  test('each kind is found, with where the rules send it', async () => {
    const view = await under({})
    expect(view.kinds.map(({ kind: name }) => name)).toEqual(['tax', 'credit', 'commitmentUnused', 'support'])
    expect(kind(view, 'credit')).toMatchObject({ billed: '-600.00', places: [{ place: 'cc:1030', by: 'rule “Duty Desk, whole sub account”' }] })
    expect(kind(view, 'commitmentUnused').places).toMatchObject([{ place: 'cc:9010', amount: (930 * 0.8715).toFixed(2) }])
  })
  test('a tax that follows what it taxes goes where the account’s charges go, in proportion; nothing of it is lost', async () => {
    const view = await under({ tax: { kind: 'follow' } })
    const tax = kind(view, 'tax')
    expect(tax.places.length).toBeGreaterThan(8)
    expect(tax.places.reduce((sum, { amount }) => sum + euro(amount), 0)).toBeCloseTo(euro(tax.effective), 2)
    // the levy of Orvane is two per cent of its account: School Outreach is the only one in its sub account
    const truth = answers.toJson()
    const schools = euro(truth['targets/2026-10/2030/Orvane']!.effective)
    const all = Object.entries(truth).filter(([path]) => path.startsWith('targets/2026-10/') && path.endsWith('/Orvane') && !path.includes('/TAX/')).reduce((sum, [, { effective }]) => sum + euro(effective), 0)
    expect(euro(tax.places.find(({ place }) => place === 'cc:2030')!.amount)).toBeCloseTo((euro(truth['targets/2026-10/TAX/Orvane']!.effective) * schools * 1.1563) / all, 1)
  })
  test('the unused half of a commitment goes to its users where it is set so, or is set aside with a reason', async () => {
    expect(kind(await under({ commitmentUnused: { kind: 'follow' } }), 'commitmentUnused').places).toMatchObject([{ place: 'cc:1010', by: 'the setting for unused commitments', amount: (930 * 0.8715).toFixed(2) }])
    expect(kind(await under({ commitmentUnused: { kind: 'aside', reason: 'to be sold' } }), 'commitmentUnused').places).toMatchObject([{ place: 'aside' }])
  })
  test('with nothing to follow a kind stays unassigned, and that is told', async () => {
    const view = await under({ commitmentPurchase: { kind: 'follow' } }, '2026-08')
    expect(kind(view, 'commitmentPurchase').places).toMatchObject([{ place: 'cc:1010' }])
    const lone = await under({ support: { kind: 'costCentre', code: '7777' } })
    expect(kind(lone, 'support').places).toMatchObject([{ place: 'unassigned' }])
    expect(lone.problems.join(' ')).toContain('The setting for support fees sends charges to 7777, which does not exist')
  })
  test('billed and effective cost are tied by the prepaid schedule, to the last digit', async () => {
    const { schedule, reconciliation } = await under({})
    expect(reconciliation.every(({ difference, movement }) => difference === movement)).toBe(true)
    const [august, october] = ['2026-08', '2026-10'].map((month) => schedule.find((line) => line.month === month)!)
    expect(august).toMatchObject({ opening: '0.00', purchased: '21900.00', used: '1860.00', unused: '0.00', closing: '20040.00' })
    // September has no bill here, so its use is not there
    expect(october).toMatchObject({ opening: '20040.00', purchased: '0.00', used: '930.00', unused: '930.00', closing: '18180.00' })
    expect(COMMITMENT.upfront).toBe(219_000_000_000_000n)
  })
})

describe('currencies', () => {
  const balance = async (currency?: string): Promise<Balance> => (await accountant.ask<Balance>('GET', `/api/balance?month=${MONTH}&basis=billed${currency ? `&currency=${currency}` : ''}`)).body
  const billed = (provider: string): number => euro(answers.toJson()[`bills/${MONTH}/${provider}`]!.billed)
  test('a month is read in any currency that it has a rate for, and balances in it', async () => {
    await accountant.ask('POST', `/api/allocation/${MONTH}`)
    const [euros, dollars] = [await balance(), await balance('USD')]
    const [usd, gbp] = [Number(RATES[MONTH]!.USD), Number(RATES[MONTH]!.GBP)]
    expect(euro(euros.billed)).toBeCloseTo(billed('Nimbrel') * usd + billed('Orvane') * gbp + billed('Tarnhost'), 1)
    expect(euro(dollars.billed)).toBeCloseTo(billed('Nimbrel') + (billed('Orvane') * gbp + billed('Tarnhost')) / usd, 1)
    expect([euros.difference, dollars.difference, dollars.currency]).toEqual(['0.00', '0.00', 'USD'])
    const { status, text } = await accountant.ask('GET', `/api/balance?month=${MONTH}&basis=billed&currency=CHF`)
    expect([status, text]).toEqual([422, expect.stringContaining('no exchange rate for CHF in 2026-11')])
  })
  test('a month is converted at the rates of its kind; one that is missing is named and nothing is taken at 1', async () => {
    const invoice = INVOICE_RATES.map(({ month, currency, provider, rate }) => `${month},${currency},${rate},invoice,${provider}`)
    const end = Object.entries(MONTH_END[MONTH]!).map(([currency, rate]) => `${MONTH},${currency},${rate},monthEnd,`)
    await accountant.ask('PUT', `/api/rates/${MONTH}`, { kind: 'monthEnd' })
    expect((await accountant.ask('POST', `/api/allocation/${MONTH}`)).text).toContain('no exchange rate for GBP, USD')
    expect((await accountant.ask('POST', '/api/rates', { csv: ['month,currency,rate,kind,provider', ...end, ...invoice].join('\n') })).status).toBe(200)
    await accountant.ask('POST', `/api/allocation/${MONTH}`)
    expect(euro((await balance()).billed)).toBeCloseTo(billed('Nimbrel') * Number(MONTH_END[MONTH]!.USD) + billed('Orvane') * Number(MONTH_END[MONTH]!.GBP) + billed('Tarnhost'), 1)
    await accountant.ask('PUT', `/api/rates/${MONTH}`, { kind: 'invoice' })
    expect((await balance()).standing).toBe('outOfDate')
    await accountant.ask('POST', `/api/allocation/${MONTH}`)
    expect(await balance()).toMatchObject({ difference: '0.00', standing: 'current' })
    expect(euro((await balance()).billed)).toBeCloseTo(billed('Nimbrel') * 0.8801 + billed('Orvane') * 1.1602 + billed('Tarnhost'), 1)
  })
  test('files of rates are checked row by row', async () => {
    const { status, text } = await accountant.ask('POST', '/api/rates', { csv: 'month,currency,rate,kind,provider\n2026-11,USD,0.9,weekly,\n2026-11,USD,0.9,invoice,\n2026-11,USD,0.9,average,\n2026-11,USD,0.8,average,' })
    expect([status, text]).toEqual([422, expect.stringMatching(/line 2: the kind weekly.*line 3: a rate of the kind invoice names.*line 5: the rate for USD of 2026-11 is there twice/)])
  })
  test('what rates alone have changed is a line of its own', async () => {
    await accountant.ask('PUT', `/api/rates/${MONTH}`, { kind: 'average' })
    for (const month of ['2026-10', MONTH]) await accountant.ask('POST', `/api/allocation/${month}`)
    const statement = await accountant.get<StatementView>(`/api/statement?scope=cc:2030&month=${MONTH}&basis=effective`)
    const truth = euro(answers.toJson()[`targets/${MONTH}/2030/Orvane`]!.effective)
    // School Outreach has direct cost of Orvane, and small shares of pools in other currencies
    expect(euro(statement.currencyEffect!)).toBeGreaterThan(truth * (1.1591 - 1.1563) - 0.01)
    expect(euro(statement.currencyEffect!)).toBeLessThan(truth * (1.1591 - 1.1563) + 3)
  })
})
