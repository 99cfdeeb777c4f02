import { afterAll, beforeAll, describe, expect, test } from '@jest/globals'
import type { CostCentre } from '../../../core/types.ts'
import { demoRulebook } from '../../../demo/rulebook.ts'
import { openServer, type Client, type Reply, type TestServer } from '../../../tests/support/server.ts'
import type { BusinessUnit } from './store.ts'

let server: TestServer
let accountant: Client
interface Organisation { units: BusinessUnit[]; centres: CostCentre[] }
interface Refusal { message: string; problems?: string[] }
const read = (): Promise<Organisation> => accountant.get<Organisation>('/api/organisation')
const centre = (more: Partial<CostCentre>): CostCentre => ({ code: '7010', name: 'Tide Tables', unit: '20', owner: '', ledgerAccount: '', validFrom: null, validTo: null, ...more })
const put = (of: CostCentre, code = of.code): Promise<Reply<Refusal>> => accountant.ask<Refusal>('PUT', `/api/organisation/centres/${encodeURIComponent(code)}`, of)
const take = (csv: string): Promise<Reply<Refusal & { centres: number }>> => accountant.ask('POST', '/api/organisation/csv', { csv })
const draftOf = async (): Promise<{ revision: number }> => (await accountant.get<{ draft: { revision: number } }>('/api/rulebook')).draft
const HEAD = 'unit,unit_name,unit_owner,cost_centre,name,owner,ledger_account,valid_from,valid_to\n'

beforeAll(async () => {
  server = await openServer()
  accountant = server.accountant
})
afterAll(() => server.close())

describe('a cost centre', () => {
  test('is added, changed and kept with odd names as they are', async () => {
    for (const name of ['Tide Tables', 'Größe & “Übung” <b>', "'=cmd|x", '=1+1', '  zwei  ', '日本語', 'x'.repeat(200)]) {
      expect([name, (await put(centre({ name }))).status]).toEqual([name, 200])
      expect((await read()).centres.find(({ code }) => code === '7010')!.name).toBe(name)
    }
  })
  test('needs a unit that exists, months in order and a code like the one in the address', async () => {
    expect((await put(centre({ unit: 'none' }))).body.message).toBe('There is no business unit none.')
    expect((await put(centre({ validFrom: '2026-05', validTo: '2026-04' }))).body.message).toBe('A cost centre cannot end before it begins.')
    expect((await put(centre({}), '7011')).status).toBe(422)
    for (const bad of [{ validFrom: '2026-13' }, { name: '' }, { code: ' 7010' }, { code: 'x'.repeat(33) }] as Partial<CostCentre>[]) expect([bad, (await put(centre(bad), '7010')).status]).toEqual([bad, 400])
    expect((await accountant.ask('PUT', '/api/organisation/units/20', { code: '30', name: 'Other', owner: '' })).status).toBe(422)
    expect((await read()).units.find(({ code }) => code === '30')?.name).not.toBe('Other')
  })
  test('that the draft or the published rulebook names is not deleted, wherever it is named; one that nobody names is', async () => {
    const rulebook = demoRulebook()
    rulebook.rules.push({ id: 'split', name: 'Shared by two', enabled: false, from: null, to: null, conditions: [{ field: 'ServiceName', operator: 'is', values: ['none'] }], outcome: { kind: 'split', percents: { 7010: '50', 1010: '50' } } })
    await accountant.ask('PUT', '/api/rulebook/draft', { revision: 0, rulebook })
    const remove = (code: string): Promise<Reply<Refusal>> => accountant.ask<Refusal>('DELETE', `/api/organisation/centres/${code}`)
    expect(await remove('7010')).toMatchObject({ status: 409, body: { message: 'Cost centre 7010 is named in the draft: rule “Shared by two”. Take it out there first, or retire the cost centre from a month.' } })
    await accountant.ask('POST', '/api/rulebook/publish', { revision: 1, note: 'split' })
    const { revision } = await draftOf()
    await accountant.ask('PUT', '/api/rulebook/draft', { revision, rulebook: demoRulebook() })
    expect((await remove('7010')).body.message).toContain('in the published rulebook: rule “Shared by two”')
    await put(centre({ code: '7099' }))
    expect((await remove('7099')).status).toBe(200)
    expect((await remove('7099')).status).toBe(404)
  })
  test('is seen by its owner alone, and changed by accountants and administrators alone', async () => {
    const owner = await server.client().signIn('okoro')
    expect(((await owner.ask<Organisation>('GET', '/api/organisation')).body).centres.map(({ code }) => code)).toEqual(['2010'])
    expect((await owner.ask('PUT', '/api/organisation/centres/2010', centre({ code: '2010' }))).status).toBe(403)
    expect((await owner.ask('GET', '/api/organisation.csv')).status).toBe(403)
  })
})

describe('an organisation from a file', () => {
  test('what is written is read back the same, formulas made harmless on the way', async () => {
    await put(centre({ name: '=HYPERLINK("x")', owner: '@somebody', validFrom: '2026-01' }))
    const before = await read()
    const { text } = await accountant.ask('GET', '/api/organisation.csv')
    expect(text).toContain(`"'=HYPERLINK(""x"")"`)
    expect(text).toContain("'@somebody")
    expect((await take(text)).body).toMatchObject({ centres: before.centres.length })
    expect(await read()).toEqual(before)
  })
  test('is refused whole, each flaw with its line', async () => {
    const before = await read()
    const { status, body } = await take(`${HEAD}20,Products,,8010,New One,,,,\n20,Wares,,8020,Other unit name,,,,\n,,,,,,,,\n20,Products,,8010,Again,,,2026-1,\n20,Products,,${'8'.repeat(33)},Long,,,2026-05,2026-04\n20,Products,,8030,${'x'.repeat(201)},,,,`)
    expect(status).toBe(422)
    expect(body.problems).toEqual([
      'line 3: business unit 20 has another name or owner than in a line before', 'line 4: unit is empty', 'line 4: unit_name is empty', 'line 4: cost_centre is empty', 'line 4: name is empty',
      'line 5: valid_from is not written YYYY-MM', 'line 5: cost centre 8010 is there twice', 'line 6: cost_centre is longer than 32 characters', 'line 6: valid_from is after valid_to', 'line 7: name is longer than 200 characters',
    ])
    expect(await read()).toEqual(before)
    expect((await take('unit,name\n1,2')).body.message).toContain('line 1: the column unit_name, unit_owner, cost_centre')
    expect((await take('"unit')).status).toBe(422)
    expect((await take(HEAD + '20,Products')).body.message).toContain('line 2: 2 cells instead of 9')
  })
})
