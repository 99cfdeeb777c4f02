import { afterAll, beforeAll, describe, expect, test } from '@jest/globals'
import { formatAmount } from '../../../core/money/amount.ts'
import { costOf, readBillSums } from './billSums.ts'
import { gzipSync } from 'node:zlib'
import { Answers } from '../../../demo/answers.ts'
import { changeCell, demoBill, firstLines } from '../../../tests/support/bills.ts'
import { openServer, type TestServer } from '../../../tests/support/server.ts'
import type { CalendarProvider } from './calendar.ts'
import type { FindingRow } from './store.ts'

let server: TestServer
beforeAll(async () => { server = await openServer() })
afterAll(() => server.close())

const answers = new Answers()
const october = demoBill('orvane', '2026-10', answers)
const truth = answers.toJson()['bills/2026-10/Orvane']!
const sums = async (): Promise<{ lines: number; billed: string; effective: string }> => {
  const row = await server.database.first<{ lines: string; billed: string; effective: string }>("SELECT COUNT(*) AS `lines`, SUM(billed_cost) AS billed, SUM(effective_cost) AS effective FROM charges c JOIN bills b ON b.id = c.bill_id WHERE b.state = 'current' AND b.month = '2026-10'")
  return { lines: Number(row!.lines), billed: row!.billed.replace(/0+$/, ''), effective: row!.effective.replace(/0+$/, '') }
}

describe('taking bills in', () => {
  test('a bad file is refused whole, with every bad line told by line, column, value and reason', async () => {
    const bad = changeCell(changeCell(changeCell(october, 7, 'BilledCost', 'twelve'), 9, 'ChargeCategory', 'Fee'), 9, 'BillingCurrency', 'pounds')
    const load = await server.accountant.load('orvane-bad.csv', bad)
    expect([load.state, load.refusedLines]).toEqual(['refused', 2])
    const { findings } = await server.accountant.get<{ findings: FindingRow[] }>(`/api/loads/${load.id}/findings`)
    expect(findings.map(({ line, column, value }) => [line, column, value])).toEqual([[7, 'BilledCost', 'twelve'], [9, 'ChargeCategory', 'Fee'], [9, 'BillingCurrency', 'pounds']])
    const csv = await server.accountant.ask('GET', `/api/loads/${load.id}/findings.csv`)
    expect(csv.text.split('\n')[1]).toBe('7,F09,BilledCost,twelve,numbers are plain decimals')
    expect(await server.database.rows('SELECT 1 FROM charges LIMIT 1')).toEqual([])
    expect(await server.database.rows('SELECT 1 FROM bills LIMIT 1')).toEqual([])
  })
  test('a good file, compressed, is taken with every line and every 10^-10', async () => {
    const load = await server.accountant.load('orvane.csv.gz', gzipSync(october))
    expect(load).toMatchObject({ state: 'taken', readLines: truth.lines, message: null })
    expect(await sums()).toEqual(truth)
    const bills = await server.database.rows<{ id: number }>("SELECT id FROM bills WHERE state = 'current'")
    const parts = await readBillSums(server.database, bills.map(({ id }) => id))
    const billed = parts.flatMap((part) => Array.from(part.columns.key, (_, row) => costOf(part, 'billed').at(row))).reduce((sum, one) => sum + one, 0n)
    expect([formatAmount(billed), parts.flatMap(({ columns }) => Array.from(columns.lines)).reduce((sum, lines) => sum + lines, 0)]).toEqual([truth.billed, truth.lines])
  })
  test('the same lines again, compressed or not, change nothing and say so', async () => {
    expect(await server.accountant.load('again.csv.gz', gzipSync(october))).toMatchObject({ state: 'unchanged', message: expect.stringContaining('same file') })
    expect(await server.accountant.load('plain.csv', october)).toMatchObject({ state: 'unchanged', message: expect.stringContaining('Every line') })
    expect(await sums()).toEqual(truth)
  })
  test('a restatement waits with its difference by service, and replaces only when it is confirmed', async () => {
    const line = october.split('\n')[1]!.split(',')
    const head = october.split('\n')[0]!.split(',')
    const [billed, service] = [line[head.indexOf('BilledCost')]!, line[head.indexOf('ServiceName')]!]
    const restated = changeCell(october, 2, 'BilledCost', '1000')
    const load = await server.accountant.load('restated.csv', restated)
    expect(load.state).toBe('confirming')
    const change = load.report!.bills[0]!
    expect(change.kind).toBe('restates')
    expect(change.services.map(({ service: name, difference }) => [name, Number(difference)])).toEqual([[service, Number((1000 - Number(billed)).toFixed(10))]])
    expect(await sums()).toEqual(truth)
    const second = await server.accountant.ask('POST', `/api/loads/${load.id}/confirm`)
    expect(second.status).toBe(200)
    expect(Number((await sums()).billed)).toBeCloseTo(Number(truth.billed) + 1000 - Number(billed), 8)
    expect((await server.accountant.ask('POST', `/api/loads/${load.id}/confirm`)).status).toBe(409)
    const { providers } = await server.accountant.get<{ providers: CalendarProvider[] }>('/api/intake/calendar/2026-10')
    expect(providers[0]!.days.filter(({ state }) => state === 'restated').map(({ day }) => day)).toEqual(['2026-10-01'])
    const back = await server.accountant.load('orvane.csv', october)
    expect((await server.accountant.ask('POST', `/api/loads/${back.id}/discard`)).status).toBe(200)
    expect((await server.accountant.get<{ load: { state: string } }>(`/api/loads/${back.id}`)).load.state).toBe('cancelled')
  })
  test('a file that only adds days is taken without asking', async () => {
    const november = demoBill('loomlog', '2026-11').split('\n').filter((line) => !line.includes('Correction')).join('\n')
    expect((await server.accountant.load('part.csv', firstLines(november, 36 * 5))).report!.bills[0]!.kind).toBe('new')
    const more = await server.accountant.load('more.csv', firstLines(november, 36 * 9))
    expect([more.state, more.report!.bills[0]!.kind]).toEqual(['taken', 'extends'])
    const { providers } = await server.accountant.get<{ providers: CalendarProvider[] }>('/api/intake/calendar/2026-11')
    const states = providers.find(({ provider }) => provider === 'Loomlog')!.days.map(({ state }) => state)
    expect([states[8], states[9], states[16], states[17], states[19]]).toEqual(['arrived', 'missing', 'missing', 'due', 'future'])
  })
  test('names of older drafts are mapped by hand once and remembered for the provider', async () => {
    const old = demoBill('quarry', '2026-10').replace('ProviderName', 'Provider')
    const load = await server.accountant.load('old-names.csv', old)
    expect(load).toMatchObject({ state: 'refused', report: { mapping: { missing: { ProviderName: 'Provider' }, provider: 'Quarry Hall' } } })
    expect((await server.accountant.ask('POST', `/api/loads/${load.id}/map`, { provider: 'Quarry Hall', columns: { Provider: 'ProviderName' } })).status).toBe(200)
    expect(await server.accountant.settled(load.id)).toMatchObject({ state: 'taken' })
    const next = await server.accountant.load('old-names-september.csv', demoBill('quarry', '2026-09').replace('ProviderName', 'Provider'))
    expect(next.state).toBe('taken')
  })
  test.each([
    ['no CSV at all', Buffer.from([0x25, 0x50, 0x44, 0x46, 1, 2, 3]), 'refused', /is missing/], ['an empty file', Buffer.from(''), 'refused', /empty/],
    ['a head without lines', Buffer.from(october.split('\n')[0]! + '\n'), 'refused', /no charge lines/], ['gzip cut short', gzipSync(october).subarray(0, 5000), 'refused', /damaged or cut short/],
  ])('%s is refused in words', async (_name, content, state, message) => {
    const load = await server.accountant.load('odd.csv', content)
    expect([load.state, message.test(load.message ?? '')]).toEqual([state, true])
  })
  test('the shortest lines there are, many to a piece of the file, all arrive', async () => {
    const head = 'ProviderName,BillingAccountId,BillingCurrency,BillingPeriodStart,BillingPeriodEnd,ChargePeriodStart,ChargePeriodEnd,ChargeCategory,BilledCost,EffectiveCost,ListCost,ContractedCost'
    const line = 'P,a,EUR,2026-07-01,2026-08-01,2026-07-02,2026-07-03,Usage,1,1,1,1'
    const load = await server.accountant.load('short.csv', [head, ...Array<string>(90_000).fill(line)].join('\n'))
    expect([load.state, load.readLines, load.report!.bills[0]!.after.billed]).toEqual(['taken', 90_000, '90000.0000000000'])
    const row = await server.database.first<{ count: string; sum: string; lines: string }>("SELECT COUNT(*) AS count, SUM(c.billed_cost) AS sum, COUNT(DISTINCT c.line) AS `lines` FROM charges c JOIN bills b ON b.id = c.bill_id WHERE b.provider = 'P'")
    expect([Number(row!.count), Number(row!.sum), Number(row!.lines)]).toEqual([90_000, 90_000, 90_000])
    expect(load.report!.warnings.some(({ rule }) => rule === 'F11')).toBe(true)
  })
  test('a load can be cancelled on its way, and nothing of it stays', async () => {
    const bill = demoBill('nimbrel', '2026-07')
    const { loads } = await server.accountant.get<{ loads: { id: number }[] }>('/api/loads?limit=1')
    const sent = server.accountant.load('long.csv', bill + bill.split('\n').slice(1).join('\n').repeat(8))
    const id = loads[0]!.id + 1
    let seen = 404
    while (seen !== 200) seen = (await server.accountant.ask('GET', `/api/loads/${id}`)).status
    await server.accountant.ask('POST', `/api/loads/${id}/cancel`)
    expect(await sent).toMatchObject({ state: 'cancelled', message: expect.stringContaining('nothing was taken') })
    expect(await server.database.rows("SELECT 1 FROM bills WHERE load_id = ?", [id])).toEqual([])
  })
  test('a closed period takes nothing', async () => {
    await server.database.run("REPLACE INTO periods (month, state) VALUES ('2025-09', 'closed')")
    expect(await server.accountant.load('late.csv', demoBill('orvane', '2025-09'))).toMatchObject({ state: 'refused', message: expect.stringContaining('2025-09, which is closed') })
  })
  test('two restatements at once: the one confirmed second is told, and nothing is lost', async () => {
    const [first, second] = [await server.accountant.load('one.csv', changeCell(october, 3, 'BilledCost', '11')), await server.accountant.load('two.csv', changeCell(october, 4, 'BilledCost', '12'))]
    expect([first.state, second.state]).toEqual(['confirming', 'confirming'])
    expect((await server.accountant.ask('POST', `/api/loads/${first.id}/confirm`)).status).toBe(200)
    const late = await server.accountant.ask<{ message: string }>('POST', `/api/loads/${second.id}/confirm`)
    expect([late.status, late.body.message]).toEqual([409, expect.stringContaining('in the meantime')])
  })
})
