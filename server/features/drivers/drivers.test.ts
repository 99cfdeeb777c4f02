import { afterAll, beforeAll, describe, expect, test } from '@jest/globals'
import { flowFile } from '../../../demo/network.ts'
import { demoRulebook } from '../../../demo/rulebook.ts'
import type { Rulebook } from '../../../core/types.ts'
import { addDecimals } from '../../../web/decimals.ts'
import { demoBill, firstLines } from '../../../tests/support/bills.ts'
import { openServer, type TestServer } from '../../../tests/support/server.ts'
import type { MethodEffect } from '../rulebook/effect.ts'
import type { DriverValue } from './store.ts'

let server: TestServer
const MONTH = '2026-10'
/** Two pools of the demo serve each other: log keeping for the clusters' nodes, and the nodes for log keeping. */
const circular = (poolMethod: Rulebook['poolMethod']): Rulebook => ({
  ...demoRulebook(), poolMethod,
  pools: demoRulebook().pools.map((pool) => (pool.code === 'LOGS' ? { ...pool, base: { kind: 'driver', driver: 'LOG-VOLUME' } } : pool.code === 'CLUSTERS' ? { ...pool, base: { kind: 'driver', driver: 'NODE-HOURS' } } : pool)),
})
const VALUES = { 'LOG-VOLUME': { '2010': '70', '4020': '20', 'pool:CLUSTERS': '10' }, 'NODE-HOURS': { '1010': '300', '2010': '150.5', 'pool:LOGS': '49.5' } }
const publish = async (rulebook: Rulebook): Promise<void> => {
  const { draft } = await server.accountant.get<{ draft: { revision: number } }>('/api/rulebook')
  const { body } = await server.accountant.ask<{ revision: number }>('PUT', '/api/rulebook/draft', { revision: draft.revision, rulebook })
  expect((await server.accountant.ask('POST', '/api/rulebook/publish', { revision: body.revision, note: 'pools' })).status).toBe(200)
}
const standing = async (): Promise<string> => (await server.accountant.get<{ standing: string }>(`/api/allocation?month=${MONTH}&basis=effective`)).standing

beforeAll(async () => {
  server = await openServer()
  await server.accountant.load('loomlog.csv', demoBill('loomlog', MONTH))
  await server.accountant.load('tarnhost.csv', firstLines(demoBill('tarnhost', MONTH), 4_000))
  await server.accountant.load('flows.csv', [...flowFile(MONTH)].join(''))
  for (const code of Object.keys(VALUES)) await server.accountant.ask('PUT', `/api/drivers/${code}`, { name: code, unit: 'units' })
})
afterAll(() => server.close())

describe('drivers', () => {
  test('quantities come back as they were typed, and replace those of the month', async () => {
    for (const [code, values] of Object.entries(VALUES)) expect((await server.accountant.ask('PUT', `/api/drivers/${code}/${MONTH}`, { values: { '1010': '1' } })).status + (await server.accountant.ask('PUT', `/api/drivers/${code}/${MONTH}`, { values })).status).toBe(400)
    const { values } = await server.accountant.get<{ values: DriverValue[] }>(`/api/drivers?month=${MONTH}`)
    expect(values.filter(({ driver }) => driver === 'NODE-HOURS').map(({ target, quantity }) => [target, quantity])).toEqual([['1010', '300'], ['2010', '150.5'], ['pool:LOGS', '49.5']])
  })
  test('what is no quantity is refused by name, and a bad file changes nothing', async () => {
    const wrong = await server.accountant.ask<{ message: string }>('PUT', `/api/drivers/LOG-VOLUME/${MONTH}`, { values: { '2010': '-1' } })
    expect([wrong.status, wrong.body.message]).toEqual([422, expect.stringContaining('2010, -1')])
    for (const quantity of ['1000000000000', '0.00000000001', '1,5', 'NaN', '1e400']) expect([quantity, (await server.accountant.ask('PUT', `/api/drivers/LOG-VOLUME/${MONTH}`, { values: { '2010': quantity } })).status]).toEqual([quantity, 422])
    const file = await server.accountant.ask<{ problems: string[] }>('POST', '/api/drivers/csv', { csv: `driver,month,target,quantity\nLOG-VOLUME,${MONTH},2010,5\nNOBODY,2026-13,9999,x` })
    expect([file.status, file.body.problems]).toEqual([422, ['line 3: there is no driver NOBODY', 'line 3: month is not written YYYY-MM', 'line 3: 9999 is no cost centre and no pool:CODE', 'line 3: x is no decimal from zero on, of at most twelve digits and ten places']])
    expect((await server.accountant.get<{ values: DriverValue[] }>(`/api/drivers?month=${MONTH}`)).values.find(({ target }) => target === '2010')!.quantity).toBe('70')
    expect((await server.accountant.ask<{ quantities: number }>('POST', '/api/drivers/csv', { csv: `driver,month,target,quantity\nLOG-VOLUME,2026-09,2010,5` })).body).toEqual({ quantities: 1, months: 1 })
  })
  test('pools that serve each other balance under every method, and the methods stand side by side', async () => {
    const { body } = await server.accountant.ask<MethodEffect>('POST', '/api/rulebook/methods', { month: MONTH, rulebook: circular('reciprocal') })
    expect(body.network.map(({ pool, to, share }) => [pool, to, share])).toEqual([['CLUSTERS', 'LOGS', 0.099], ['LOGS', 'CLUSTERS', 0.1]])
    const totals = body.methods.map((_, index) => addDecimals(body.centres.map(({ amounts }) => amounts[index]!)))
    expect(new Set(totals).size).toBe(1)
    expect(body.centres.find(({ code }) => code === '4020')!.amounts[0]).not.toBe(body.centres.find(({ code }) => code === '4020')!.amounts[2])
  })
  test('a run keeps the quantities it was shared by: other quantities make it out of date, and it is replayed as it was', async () => {
    await publish(circular('reciprocal'))
    const { body } = await server.accountant.ask<{ runId: number }>('POST', `/api/allocation/${MONTH}`)
    expect(await standing()).toBe('current')
    await server.accountant.ask('PUT', `/api/drivers/LOG-VOLUME/${MONTH}`, { values: { '2010': '1' } })
    expect(await standing()).toBe('outOfDate')
    expect((await server.accountant.ask('POST', `/api/allocation/runs/${body.runId}/replay`)).body).toMatchObject({ isSame: true, hasOwnCentres: true })
    // a driver that no pool is shared by moves no money
    await server.accountant.ask('PUT', `/api/drivers/LOG-VOLUME/${MONTH}`, { values: VALUES['LOG-VOLUME'] })
    await server.accountant.ask('PUT', '/api/drivers/SEATS', { name: 'Seats', unit: '' })
    await server.accountant.ask('PUT', `/api/drivers/SEATS/${MONTH}`, { values: { '1010': '3' } })
    expect(await standing()).toBe('current')
  })
  test('a driver that arrives after the run leaves its pool held with the reason until then', async () => {
    await server.accountant.ask('PUT', `/api/drivers/LOG-VOLUME/${MONTH}`, { values: {} })
    await server.accountant.ask('POST', `/api/allocation/${MONTH}`)
    const way = await server.accountant.get<{ run: { problems: { message: string }[] }; held: string }>(`/api/allocation?month=${MONTH}&basis=effective`)
    expect(way.run.problems.map(({ message }) => message)).toEqual([expect.stringContaining('driver LOG-VOLUME has no quantity')])
    expect(Number(way.held)).toBeGreaterThan(0)
    expect(await server.accountant.get(`/api/balance?month=${MONTH}&basis=effective`)).toMatchObject({ difference: '0.00' })
  })
  test('a driver in use cannot be deleted, one that is not can; owners see none', async () => {
    const refused = await server.accountant.ask<{ message: string }>('DELETE', '/api/drivers/LOG-VOLUME')
    expect([refused.status, refused.body.message]).toEqual([409, expect.stringContaining('Shared log keeping')])
    expect((await server.accountant.ask('DELETE', '/api/drivers/SEATS')).status).toBe(200)
    expect((await server.accountant.ask('DELETE', '/api/drivers/SEATS')).status).toBe(404)
    // the draft no longer uses it, the published rulebook still does
    const { draft } = await server.accountant.get<{ draft: { revision: number; rulebook: Rulebook } }>('/api/rulebook')
    await server.accountant.ask('PUT', '/api/rulebook/draft', { revision: draft.revision, rulebook: { ...draft.rulebook, pools: draft.rulebook.pools.map((pool) => ({ ...pool, base: { kind: 'even' } })) } })
    expect((await server.accountant.ask('DELETE', '/api/drivers/LOG-VOLUME')).status).toBe(409)
    for (const code of ['cluster:heron', 'pods:heron', 'traffic:internet']) expect([code, (await server.accountant.ask('PUT', `/api/drivers/${code}`, { name: 'Mine', unit: '' })).status]).toEqual([code, 422])
    const owner = await server.client().signIn('okoro')
    expect((await owner.ask('GET', `/api/drivers?month=${MONTH}`)).status).toBe(403)
  })
})
