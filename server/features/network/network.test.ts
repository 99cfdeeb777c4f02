import { afterAll, beforeAll, describe, expect, test } from '@jest/globals'
import { bytesOn, flowDays, flowFile, NETWORKS } from '../../../demo/network.ts'
import { demoRulebook } from '../../../demo/rulebook.ts'
import { demoBill } from '../../../tests/support/bills.ts'
import { openServer, type Client, type TestServer } from '../../../tests/support/server.ts'
import { publish, saveDraft } from '../rulebook/store.ts'
import type { TrafficView } from './routes.ts'

const MONTH = '2026-10'
let server: TestServer
let accountant: Client
const view = (query: string): Promise<TrafficView> => accountant.get<TrafficView>(`/api/network?basis=effective&${query}`)
const whole = `from=${MONTH}-01&to=${MONTH}-31`
const cents = (decimal: string): number => Math.round(Number(decimal) * 100)
const sent = (index: number, side: 'internet' | 'tiles', days = flowDays(MONTH)): number => days.reduce((sum, day) => sum + bytesOn(index, side, day), 0)
const at = (name: string): number => NETWORKS.findIndex((one) => one.name === name)

beforeAll(async () => {
  server = await openServer()
  accountant = server.accountant
  await accountant.load('tarnhost.csv', demoBill('tarnhost', MONTH))
  await saveDraft(server.database, demoRulebook(), 0, 'M. Aldous')
  await publish(server.database, demoRulebook(), 'M. Aldous', 'demo')
})
afterAll(() => server.close())

test('a network is given to a cost centre, and taken from it again', async () => {
  const give = async (costCentre: string | null): Promise<number> => (await accountant.ask('PUT', '/api/networks/portal-mirror', { costCentre })).status
  const owner = async (): Promise<string | undefined> => (await server.database.first<{ cost_centre: string }>("SELECT cost_centre FROM networks WHERE name = 'portal-mirror'"))?.cost_centre
  const before = (await owner())!
  expect([await give('9010'), await owner()]).toEqual([200, '9010'])
  expect([await give(null), await owner()]).toEqual([200, undefined])
  expect([await give('none'), await give(''), await owner()]).toEqual([409, 409, undefined])
  expect([await give(before), await owner()]).toEqual([200, before])
})

describe('flows', () => {
  test('rows with flaws refuse the file; the same network and service twice on a day is one', async () => {
    const load = await accountant.load('flows.csv', `Day,Source,Network,Account,Service,Bytes\n2026-10-01,T,a,x,internet,5\n2026-10-01,T,a,x,internet,6\n2026-10-40,T,a,x,internet,5\n2026-10-02,T,,x,internet,1.5\n`)
    expect([load.kind, load.state]).toEqual(['flows', 'refused'])
    const { findings } = await accountant.get<{ findings: { line: number; column: string; reason: string }[] }>(`/api/loads/${load.id}/findings`)
    expect(findings.map(({ line, column }) => `${line} ${column}`)).toEqual(['3 Network', '4 Day', '5 Network', '5 Bytes'])
  })
  test('pools shared by traffic are held before it is there, and shared by the bytes of each cost centre after it', async () => {
    await accountant.ask('POST', `/api/allocation/${MONTH}`)
    expect((await accountant.get<{ held: string }>(`/api/allocation?month=${MONTH}&basis=effective`)).held).not.toBe('0.00')
    expect((await accountant.load('flows.csv', [...flowFile(MONTH)].join(''))).state).toBe('taken')
    expect((await accountant.get<{ standing: string }>(`/api/allocation?month=${MONTH}&basis=effective`)).standing).toBe('outOfDate')
    await accountant.ask('POST', `/api/allocation/${MONTH}`)
    const { rows, pools } = await view(`${whole}&by=costCentre`)
    const owned = NETWORKS.flatMap(({ centre }, index) => (centre === null ? [] : [{ centre, bytes: sent(index, 'internet') }]))
    const total = owned.reduce((sum, { bytes }) => sum + bytes, 0)
    const pool = rows.reduce((sum, { services }) => sum + Number(services.internet?.amount ?? 0), 0)
    for (const { name, services } of rows.filter((row) => row.name !== '')) {
      const bytes = owned.filter(({ centre }) => centre === name).reduce((sum, one) => sum + one.bytes, 0)
      expect(services.internet!.bytes).toBe(bytes)
      expect(Number(services.internet!.amount)).toBeCloseTo((pool * bytes) / total, 1)
    }
    expect(pools).toEqual({ internet: ['Traffic out of Tarnhost'], 'map-tiles': ['Map tiles'] })
  })
  test('one network sends most of what leaves, and bears that part of the money; networks add up to their cost centre', async () => {
    const { rows, total } = await view(`${whole}&by=network`)
    expect(rows[0]!.name).toBe('portal-mirror')
    const out = rows.reduce((sum, { services }) => sum + (services.internet?.bytes ?? 0), 0)
    expect(rows[0]!.services.internet!.bytes / out).toBeCloseTo(sent(at('portal-mirror'), 'internet') / NETWORKS.reduce((sum, _network, index) => sum + sent(index, 'internet'), 0), 9)
    const centre = (await view(`${whole}&by=costCentre`)).rows.find(({ name }) => name === '2020')!
    expect(rows.filter(({ name }) => name.startsWith('portal')).reduce((sum, { amount }) => sum + cents(amount), 0)).toBe(cents(centre.amount))
    expect(rows.reduce((sum, { amount }) => sum + cents(amount), 0)).toBe(cents(total))
    expect(rows.find(({ name }) => name === 'guest')!.amount).toBe('0.00')
  })
  test('a part of the month has its bytes and its money; parts add up to the month', async () => {
    const [early, late, all] = await Promise.all([view(`from=${MONTH}-01&to=${MONTH}-11&by=network`), view(`from=${MONTH}-12&to=${MONTH}-31&by=network`), view(`${whole}&by=network`)])
    expect(early!.rows.find(({ name }) => name === 'harbour')!.services['map-tiles']!.bytes).toBe(sent(at('harbour'), 'tiles', flowDays(MONTH).slice(0, 11)))
    expect(cents(early!.total) + cents(late!.total)).toBe(cents(all!.total))
    expect((await accountant.ask('GET', `/api/network?basis=effective&from=${MONTH}-12&to=${MONTH}-01&by=network`)).status).toBe(422)
  })
  test('as CSV, by service and by account; a network that is given to somebody makes the month out of date', async () => {
    const csv = await accountant.ask('GET', `/api/network.csv?basis=effective&${whole}&by=account`)
    expect(csv.text.split('\n')[0]).toBe('account,bytes,amount EUR,bytes to internet,amount for internet,bytes to map-tiles,amount for map-tiles')
    expect((await view(`${whole}&by=service`)).rows.map(({ name }) => name)).toEqual(['internet', 'map-tiles'])
    await accountant.ask('PUT', '/api/networks/guest', { costCentre: '9020' })
    expect((await accountant.get<{ standing: string }>(`/api/allocation?month=${MONTH}&basis=effective`)).standing).toBe('outOfDate')
    expect((await accountant.ask('PUT', '/api/networks/guest', { costCentre: '7777' })).status).toBe(409)
  })
})
