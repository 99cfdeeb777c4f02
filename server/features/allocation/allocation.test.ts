import { afterAll, beforeAll, describe, expect, test } from '@jest/globals'
import { Answers } from '../../../demo/answers.ts'
import { flowFile } from '../../../demo/network.ts'
import { demoRulebook } from '../../../demo/rulebook.ts'
import { PROVIDERS, RATES } from '../../../demo/scenario.ts'
import { changeCell, demoBill } from '../../../tests/support/bills.ts'
import { openServer, type Client, type TestServer } from '../../../tests/support/server.ts'
import { addDecimals } from '../../../web/decimals.ts'
import type { Balance } from './balance.ts'
import type { WayOfMoney } from './routes.ts'
import type { StatementView } from '../statements/view.ts'
import type { Workings } from '../../../core/workings/workings.ts'
import type { ChargeLine } from '../charges/store.ts'

let server: TestServer
let accountant: Client
const answers = new Answers()
const MONTH = '2026-10'
type Truth = Record<string, { lines: number; billed: string; effective: string }>
let truth: Truth

beforeAll(async () => {
  server = await openServer()
  accountant = server.accountant
  for (const provider of Object.keys(PROVIDERS)) expect((await accountant.load(`${provider}.csv`, demoBill(provider, MONTH, answers))).state).toBe('taken')
  expect((await accountant.load('flows.csv', [...flowFile(MONTH)].join(''))).state).toBe('taken')
  truth = answers.toJson()
  expect((await accountant.ask('PUT', '/api/rulebook/draft', { revision: 0, rulebook: demoRulebook() })).status).toBe(200)
  expect((await accountant.ask('POST', '/api/rulebook/publish', { revision: 1, note: 'first' })).status).toBe(200)
}, 120_000)
afterAll(() => server.close())

const run = async (): Promise<number> => (await accountant.ask<{ runId: number }>('POST', `/api/allocation/${MONTH}`)).body.runId
const place = `month=${MONTH}&basis=effective`
/** Money of a target by the generator, in EUR at the month's rates, approximate: checked to the cent. */
const trueMoney = (target: string, basis: 'billed' | 'effective'): number => Object.values(PROVIDERS).reduce((sum, { name, currency }) => {
  const tally = truth[`targets/${MONTH}/${target}/${name}`]
  return sum + (tally ? Number(tally[basis]) * Number(RATES[MONTH]![currency] ?? 1) : 0)
}, 0)

describe('a month allocated', () => {
  test('before the run the balance line says so, after it it balances', async () => {
    expect(await accountant.get<Balance>(`/api/balance?${place}`)).toMatchObject({ standing: 'none', charged: '0.00' })
    await run()
    for (const basis of ['billed', 'effective']) {
      const balance = await accountant.get<Balance>(`/api/balance?month=${MONTH}&basis=${basis}`)
      expect(balance).toMatchObject({ standing: 'current', difference: '0.00' })
      expect(addDecimals([balance.charged, balance.held, balance.unassigned])).toBe(balance.billed)
      expect(Number(balance.unassigned)).toBeCloseTo(trueMoney('unassigned', basis as 'billed'), 1)
    }
  })
  test('direct cost of every cost centre, every pool and the rest are what the generator says', async () => {
    const way = await accountant.get<WayOfMoney>(`/api/allocation?${place}`)
    for (const { code, direct } of way.centres) expect([code, Math.abs(Number(direct) - trueMoney(code, 'effective')) < 0.03]).toEqual([code, true])
    // two of the pools serve each other: what they give to cost centres is what both took in
    const isServing = (code: string): boolean => code === 'LOGS' || code === 'CLUSTERS'
    const given = way.pools.filter(({ code }) => isServing(code)).reduce((sum, { amount }) => sum + Number(amount), 0)
    expect(Math.abs(given - trueMoney('LOGS', 'effective') - trueMoney('CLUSTERS', 'effective'))).toBeLessThan(0.1)
    for (const { code, amount } of way.pools.filter(({ code: one }) => !isServing(one))) expect([code, Math.abs(Number(amount) - trueMoney(code, 'effective')) < 0.06]).toEqual([code, true])
    expect(addDecimals([...way.centres.map(({ amount }) => amount), way.unassigned, way.held])).toBe(addDecimals(way.providers.map(({ amount }) => amount)))
  })
  test('the shared database goes to three cost centres at 50, 30 and 20 per cent', async () => {
    const shares = await server.database.rows<{ centre: string; amount: string }>("SELECT cost_centre AS centre, effective_cost AS amount FROM run_cells WHERE kind = 'pool' AND line = 'MOSAIC' ORDER BY cost_centre")
    const whole = Number(truth[`targets/${MONTH}/MOSAIC/Nimbrel`]!.effective)
    expect(shares.map(({ centre, amount }) => [centre, Number(amount)])).toEqual([['1010', whole * 0.5], ['1020', whole * 0.3], ['5020', whole * 0.2]].map(([code, value]) => [code, Number((value as number).toFixed(10))]))
  })
  test('run again on the same inputs, the figures are the same to the last digit', async () => {
    await run()
    const hashes = await server.database.rows<{ hash: string }>("SELECT DISTINCT result_hash AS hash FROM runs WHERE state = 'done'")
    expect(hashes).toHaveLength(1)
  })
  test('statements add up line by line, to the unit, and to the rounded invoice total of each provider', async () => {
    const { centres } = await accountant.get<{ centres: { code: string; total: string }[] }>(`/api/statements?${place}`)
    const statements = await Promise.all(centres.map(({ code }) => accountant.get<StatementView>(`/api/statement?scope=cc:${code}&${place}`)))
    for (const { groups, total } of statements) expect(addDecimals(groups.flatMap(({ lines }) => lines.map(({ amount }) => amount)))).toBe(addDecimals([total.amount]))
    const unit = await accountant.get<StatementView>(`/api/statement?scope=unit:10&${place}`)
    expect(unit.total.amount).toBe(addDecimals(statements.filter(({ scope }) => scope.code.startsWith('10')).map(({ total }) => total.amount)))
    const way = await accountant.get<WayOfMoney>(`/api/allocation?${place}`)
    // Tarnhost bills in the reporting currency: its statements add up to its invoice, rounded to the cent
    const invoice = Number(truth[`bills/${MONTH}/Tarnhost`]!.effective).toFixed(2)
    expect(way.providers.find(({ name }) => name === 'Tarnhost')!.amount).toBe(invoice)
  })
  test('a figure opens term by term down to a charge line, and the terms add up', async () => {
    const open = (figure: string): Promise<Workings> => accountant.get<Workings>(`/api/workings?figure=${encodeURIComponent(figure)}`)
    const whole = await open(`statement~${MONTH}~effective~cc:1010`)
    expect(addDecimals(whole.terms.filter(({ sign }) => sign !== '=').map(({ amount }) => amount))).toBe(whole.amount)
    const machines = await open(whole.terms.find(({ label }) => label === 'Nimbrel · Machines')!.opens!)
    const [lines, rate, converted] = machines.terms
    expect(lines!.amount).toBe(Number(truth[`services/${MONTH}/1010/Nimbrel/Machines`]!.effective).toString())
    expect(Number(lines!.amount) * Number(rate!.amount)).toBeCloseTo(Number(converted!.amount), 6)
    expect(machines.rules[0]).toMatchObject({ name: '11 “Model Runs by team tag”', version: 1, author: 'M. Aldous' })
    const { body } = await accountant.ask<{ lines: (ChargeLine & { ruleName: string })[]; next: string }>('POST', '/api/charges/lines', { figure: machines.charges, path: [], limit: 500 })
    let all = body.lines
    for (let next: string | null = body.next; next;) {
      const page: { lines: typeof all; next: string | null } = (await accountant.ask<{ lines: typeof all; next: string | null }>('POST', '/api/charges/lines', { figure: machines.charges, path: [], limit: 500, after: next })).body
      all = [...all, ...page.lines]
      next = page.next
    }
    expect(all).toHaveLength(truth[`services/${MONTH}/1010/Nimbrel/Machines`]!.lines)
    expect(new Set(all.map(({ line }) => line)).size).toBe(all.length)
    expect(addDecimals(all.map(({ effective }) => effective)).replace(/0+$/, '')).toBe(lines!.amount)
    expect(all[0]).toMatchObject({ ruleName: 'Model Runs by team tag', file: 'nimbrel.csv' })
  })
  test('shares of a pool show amount, weight and base, and add up to the pool', async () => {
    const pool = await accountant.get<Workings>(`/api/workings?figure=${encodeURIComponent(`pool~${MONTH}~effective~SUPPORT`)}`)
    const given = pool.terms.slice(0, pool.terms.findIndex(({ sign }) => sign === '='))
    expect(addDecimals(given.map(({ amount }) => amount))).toBe(pool.amount)
    const line = await accountant.get<Workings>(`/api/workings?figure=${encodeURIComponent(pool.terms[0]!.opens!)}`)
    const share = await accountant.get<Workings>(`/api/workings?figure=${encodeURIComponent(line.terms[0]!.opens!)}`)
    const [amount, weight, base, result] = share.terms.map(({ amount: text }) => Number(text))
    expect((amount! * weight!) / base!).toBeCloseTo(result!, 6)
  })
  test('the path of a group narrows the lines to that group', async () => {
    const figure = `keys~${MONTH}~effective~kind=direct~target=1010`
    const { body } = await accountant.ask<{ groups: { value: string; lines: number; amount: string }[]; total: string }>('POST', '/api/charges/groups', { figure, path: [{ field: 'ProviderName', value: 'Nimbrel' }], by: 'ServiceName' })
    const volumes = body.groups.find(({ value }) => value === 'Block Volumes')!
    expect(volumes.lines).toBe(truth[`services/${MONTH}/1010/Nimbrel/Block Volumes`]!.lines)
    expect(addDecimals(body.groups.map(({ amount }) => amount))).toBe(body.total)
    const lines = await accountant.ask<{ lines: ChargeLine[] }>('POST', '/api/charges/lines', { figure, path: [{ field: 'ServiceName', value: 'Block Volumes' }, { field: 'ProviderName', value: 'Nimbrel' }], limit: 10 })
    const [{ keyId, billId, line }] = lines.body.lines as [ChargeLine]
    const one = (at: string, of = figure) => accountant.ask<{ attributes: Record<string, string>; details: Record<string, string> }>('POST', '/api/charges/line', { figure: of, line: at })
    expect((await one(`${keyId}.${billId}.${line}`)).body).toMatchObject({ attributes: { ServiceName: 'Block Volumes', 'tag:team': 'models' }, details: { InvoiceId: expect.stringContaining('202610') as unknown } })
    expect((await one(`${keyId}.${billId}.${line}`, figure.replace('1010', '1020'))).status).toBe(404)
    expect(new Set(lines.body.lines.map(({ service, provider }) => `${provider} ${service}`))).toEqual(new Set(['Nimbrel Block Volumes']))
  })
  test('PDF and CSV hold the statement', async () => {
    const pdf = await accountant.ask('GET', `/api/statement.pdf?scope=cc:1010&${place}`)
    expect([pdf.status, pdf.headers['content-type'], pdf.text.slice(0, 5)]).toEqual([200, 'application/pdf', '%PDF-'])
    const csv = await accountant.ask('GET', `/api/statement.csv?scope=cc:1010&${place}`)
    const rows = csv.text.trim().split('\n').map((line) => line.split(','))
    const at = rows[0]!.indexOf('amount')
    const [total, all] = ['Total', 'Total with mark-up'].map((name) => rows.findIndex((row) => row.includes(name)))
    expect(addDecimals(rows.slice(1, total).map((row) => row[at]!))).toBe(rows[total!]![at])
    // three per cent of shared cost, apart from the cost itself
    expect(addDecimals(rows.slice(total!, all).map((row) => row[at]!))).toBe(rows[all!]![at])
    expect(rows[total! + 1]).toContain('Administration of shared services')
  })
  test('changed data or rules mark the run as out of date, and the balance line tells the difference', async () => {
    const restated = await accountant.load('orvane-again.csv', changeCell(demoBill('orvane', MONTH), 2, 'EffectiveCost', '1000'))
    await accountant.ask('POST', `/api/loads/${restated.id}/confirm`)
    const balance = await accountant.get<Balance>(`/api/balance?${place}`)
    expect(balance.standing).toBe('outOfDate')
    expect(Number(balance.difference)).toBeGreaterThan(900)
    // the run is as it was: its figures still open to the lines it was made of
    const { body } = await accountant.ask<{ lines: ChargeLine[] }>('POST', '/api/charges/lines', { figure: `keys~${MONTH}~effective~provider=Orvane`, path: [], limit: 500 })
    expect(body.lines.every(({ file }) => file === 'orvane.csv')).toBe(true)
    await run()
    expect(await accountant.get<Balance>(`/api/balance?${place}`)).toMatchObject({ standing: 'current', difference: '0.00' })
  })
  test('a month can be closed only when its run is current, and then it takes no run', async () => {
    const controller = await server.client().signIn('brandt')
    await accountant.ask('PUT', '/api/organisation/centres/2030', { code: '2030', name: 'School Outreach', unit: '20', owner: '', ledgerAccount: '620300', validFrom: null, validTo: '2026-09' })
    expect((await controller.ask('PUT', `/api/periods/${MONTH}`, { state: 'closed', reason: '' })).status).toBe(409)
    await run()
    const way = await accountant.get<WayOfMoney>(`/api/allocation?${place}`)
    expect(way.run!.problems.map(({ message }) => message)).toEqual([expect.stringContaining('2030, which does not hold')])
    expect((await controller.ask('PUT', `/api/periods/${MONTH}`, { state: 'closed', reason: '' })).status).toBe(200)
    expect((await accountant.ask('POST', `/api/allocation/${MONTH}`)).status).toBe(409)
    expect((await controller.ask('PUT', `/api/periods/${MONTH}`, { state: 'open', reason: ' ' })).status).toBe(409)
    expect((await controller.ask('PUT', `/api/periods/${MONTH}`, { state: 'open', reason: 'a late invoice' })).status).toBe(200)
  })
  test('a missing rate is named, and nothing is converted at 1', async () => {
    await server.database.run("DELETE FROM exchange_rates WHERE month = ? AND currency = 'GBP'", [MONTH])
    expect(await accountant.get<Balance>(`/api/balance?${place}`)).toMatchObject({ missingRates: ['GBP'] })
    const refused = await accountant.ask<{ message: string }>('POST', `/api/allocation/${MONTH}`)
    expect([refused.status, refused.body.message]).toEqual([422, expect.stringContaining('GBP')])
  })
})
