import { afterAll, beforeAll, describe, expect, test } from '@jest/globals'
import { Answers } from '../../../demo/answers.ts'
import { demoRulebook } from '../../../demo/rulebook.ts'
import { RATES } from '../../../demo/scenario.ts'
import type { Rulebook } from '../../../core/types.ts'
import { demoBill } from '../../../tests/support/bills.ts'
import { openServer, type TestServer } from '../../../tests/support/server.ts'
import type { Effect } from './effect.ts'
import type { RuleFigures, UnassignedGroup } from './figures.ts'

let server: TestServer
const answers = new Answers()
const MONTH = '2026-10'
beforeAll(async () => {
  server = await openServer()
  await server.accountant.load('nimbrel.csv', demoBill('nimbrel', MONTH, answers))
  await server.accountant.ask('PUT', '/api/rulebook/draft', { revision: 0, rulebook: demoRulebook() })
  await server.accountant.ask('POST', '/api/rulebook/publish', { revision: 1, note: 'first' })
})
afterAll(() => server.close())
const rate = Number(RATES[MONTH]!.USD)
const truth = (path: string): number => Number(answers.toJson()[path]?.effective ?? 0) * rate

describe('the draft', () => {
  test('beside each rule stands what it takes and what it would take first; a dead rule takes nothing', async () => {
    const { body } = await server.accountant.ask<RuleFigures>('POST', '/api/rulebook/figures', { month: MONTH, rulebook: demoRulebook() })
    const at = (name: string): number => demoRulebook().rules.findIndex((rule) => rule.name === name)
    expect(Number(body.rules[at('Model Runs by team tag')]!.takes.amount)).toBeCloseTo(truth(`targets/${MONTH}/1010/Nimbrel`), 1)
    expect(body.rules[at('Balloon soundings')]!.takes).toEqual({ amount: '0.00', lines: 0, keys: 0 })
    expect(Number(body.unassigned.amount)).toBeCloseTo(truth(`targets/${MONTH}/unassigned/Nimbrel`), 1)
  })
  test('the misspelled tags stand among the unassigned with their money, ready to become a rule', async () => {
    const { body } = await server.accountant.ask<{ groups: UnassignedGroup[] }>('POST', '/api/rulebook/unassigned', { month: MONTH, rulebook: demoRulebook() })
    const misspelled = body.groups.filter(({ conditions }) => conditions.some(({ values }) => values[0] === 'radar'))
    expect(misspelled.map(({ conditions }) => conditions.find(({ values }) => values[0] === 'radar')!.field).sort()).toEqual(['tag:TEAM', 'tag:Team', 'tag:owner_team', 'tag:te-am'])
    const [first] = misspelled
    const rulebook = demoRulebook()
    const added: Rulebook = { ...rulebook, rules: [...rulebook.rules, { id: 'new', name: 'Radar, other spelling', enabled: true, from: null, to: null, conditions: first!.conditions, outcome: { kind: 'costCentre', code: '1020' } }] }
    const { body: effect } = await server.accountant.ask<{ effects: Effect[] }>('POST', '/api/rulebook/effect', { months: [MONTH], rulebook: added })
    const moved = Object.fromEntries(effect.effects[0]!.centres.map(({ code, change }) => [code, change]))
    expect(moved.unassigned).toBe('-' + first!.amount)
    // 1020 also bears more of the pools that follow direct cost
    expect(Number(moved['1020'])).toBeGreaterThan(Number(first!.amount))
    expect(Object.values(moved).reduce((sum, change) => sum + Math.round(Number(change) * 100), 0)).toBeGreaterThanOrEqual(-5)
  })
  test('two people editing at once do not overwrite each other silently', async () => {
    const other = await server.client().signIn('vane')
    const { draft } = await other.get<{ draft: { revision: number; rulebook: Rulebook } }>('/api/rulebook')
    const mine = await server.accountant.ask<{ revision: number }>('PUT', '/api/rulebook/draft', { revision: draft.revision, rulebook: { ...draft.rulebook, chargedBasis: 'billed' } })
    expect(mine.status).toBe(200)
    const theirs = await other.ask<{ message: string }>('PUT', '/api/rulebook/draft', { revision: draft.revision, rulebook: draft.rulebook })
    expect([theirs.status, theirs.body.message]).toEqual([409, expect.stringContaining('M. Aldous saved the draft')])
    expect((await other.ask('POST', '/api/rulebook/publish', { revision: draft.revision, note: 'late' })).status).toBe(409)
    expect((await server.accountant.get<{ draft: { rulebook: Rulebook } }>('/api/rulebook')).draft.rulebook.chargedBasis).toBe('billed')
    await server.accountant.ask('PUT', '/api/rulebook/draft', { revision: mine.body.revision, rulebook: draft.rulebook })
  })
  test('a rulebook that cannot work is not published, and says where', async () => {
    const { draft } = await server.accountant.get<{ draft: { revision: number; rulebook: Rulebook } }>('/api/rulebook')
    const broken = { ...draft.rulebook, pools: draft.rulebook.pools.map((pool) => (pool.code === 'MOSAIC' ? { ...pool, base: { kind: 'fixed', percents: { '1010': '50', '1020': '49.9999999999' } } } : pool)) }
    const { body } = await server.accountant.ask<{ revision: number }>('PUT', '/api/rulebook/draft', { revision: draft.revision, rulebook: broken })
    const refused = await server.accountant.ask<{ message: string }>('POST', '/api/rulebook/publish', { revision: body.revision, note: 'x' })
    expect([refused.status, refused.body.message]).toEqual([422, expect.stringContaining('Radar mosaic database do not add up to 100')])
    await server.accountant.ask('PUT', '/api/rulebook/draft', { revision: body.revision, rulebook: draft.rulebook })
  })
  test('unknown fields and rules of the wrong shape are refused at the door', async () => {
    const reply = await server.accountant.ask('PUT', '/api/rulebook/draft', { revision: 9, rulebook: { ...demoRulebook(), extra: 1 } })
    expect(reply.status).toBe(400)
  })
  test('values that really occur are offered with their money', async () => {
    const { values } = await server.accountant.get<{ values: { value: string; amount: string }[] }>(`/api/rulebook/values?month=${MONTH}&field=${encodeURIComponent('tag:team')}&text=no`)
    expect(values.map(({ value }) => value)).toEqual(['nowcast'])
  })
})

describe('the organisation', () => {
  test('goes out as CSV and comes back the same', async () => {
    const { text } = await server.accountant.ask('GET', '/api/organisation.csv')
    const before = await server.accountant.get('/api/organisation')
    expect((await server.accountant.ask('POST', '/api/organisation/csv', { csv: text })).body).toEqual({ units: 6, centres: 14 })
    expect(await server.accountant.get('/api/organisation')).toEqual(before)
  })
  test('a bad file changes nothing and names every bad line', async () => {
    const { text } = await server.accountant.ask('GET', '/api/organisation.csv')
    const bad = text.replace('1010,Model Runs', ',Model Runs').replace(/9020,Finance and People(.*),,/, '9020,Finance and People$1,2026-13,')
    const { status, body } = await server.accountant.ask<{ problems: string[] }>('POST', '/api/organisation/csv', { csv: bad })
    expect([status, body.problems]).toEqual([422, ['line 2: cost_centre is empty', 'line 15: valid_from is not written YYYY-MM']])
  })
  test('a cost centre with money cannot be deleted, one without can', async () => {
    await server.accountant.ask('POST', `/api/allocation/${MONTH}`)
    const refused = await server.accountant.ask<{ message: string }>('DELETE', '/api/organisation/centres/1010')
    expect([refused.status, refused.body.message]).toEqual([409, expect.stringContaining('Retire it')])
    await server.accountant.ask('PUT', '/api/organisation/centres/7777', { code: '7777', name: 'New =1+1', unit: '90', owner: '@x', ledgerAccount: '', validFrom: null, validTo: null })
    expect((await server.accountant.ask('GET', '/api/organisation.csv')).text).toContain("New =1+1,'@x")
    expect((await server.accountant.ask('DELETE', '/api/organisation/centres/7777')).status).toBe(200)
  })
})
