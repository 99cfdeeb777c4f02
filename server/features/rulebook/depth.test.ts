import { afterAll, beforeAll, describe, expect, test } from '@jest/globals'
import { Answers } from '../../../demo/answers.ts'
import { demoRulebook } from '../../../demo/rulebook.ts'
import { RATES } from '../../../demo/scenario.ts'
import type { CleanAct, CleanStep, Rule, Rulebook } from '../../../core/types.ts'
import { addDecimals } from '../../../web/decimals.ts'
import { demoBill } from '../../../tests/support/bills.ts'
import { openServer, type TestServer } from '../../../tests/support/server.ts'
import type { Matrix, ValueSeries } from './classes.ts'
import type { CleanView, CoverageRow, FoundResource } from './cleaning.ts'
import type { Effect } from './effect.ts'
import type { Health } from './health.ts'
import type { ChargeTest, FoundCharge } from './testCharge.ts'

let server: TestServer
const answers = new Answers()
const MONTH = '2026-10'
beforeAll(async () => {
  server = await openServer()
  for (const provider of ['nimbrel', 'tarnhost']) await server.accountant.load(`${provider}.csv`, demoBill(provider, MONTH, answers))
  await server.accountant.load('nimbrel-september.csv', demoBill('nimbrel', '2026-09', answers))
  await server.accountant.ask('PUT', '/api/rulebook/draft', { revision: 0, rulebook: demoRulebook() })
  await server.accountant.ask('POST', '/api/rulebook/publish', { revision: 1, note: 'first' })
})
afterAll(() => server.close())

const rateOf = (provider: string, month = MONTH): number => (provider === 'Nimbrel' ? Number(RATES[month]!.USD) : 1)
const story = (name: string, provider: string): number => Number(answers.toJson()[`storyMonths/${MONTH}/${name}/${provider}`]!.effective) * rateOf(provider)
/** What a bill charges for resources; the demo's cells before the tags have no commas. */
function resourceCost(bill: string): number {
  const [head, ...lines] = bill.trim().split('\n').map((line) => line.split(','))
  const [resource, correction, cost] = ['ResourceId', 'ChargeClass', 'EffectiveCost'].map((name) => head!.indexOf(name))
  return lines.reduce((sum, cells) => sum + (cells[resource!] && !cells[correction!] ? Number(cells[cost!]) : 0), 0)
}
const step = (act: CleanAct): CleanStep => ({ id: act.kind, enabled: true, from: null, to: null, act })
const ask = async <T>(what: string, body: object): Promise<T> => {
  const { status, body: answer } = await server.accountant.ask<T>('POST', `/api/rulebook/${what}`, { month: MONTH, ...body })
  expect([what, status]).toEqual([what, 200])
  return answer
}
const spellings = step({ kind: 'key', key: 'team', spellings: ['TEAM', 'Team', 'owner_team', 'te-am'] })
const forward = step({ kind: 'inherit', key: 'team', from: 'ResourceId', monthsBack: 1 })
const cleaned = (...steps: CleanStep[]): Rulebook => ({ ...demoRulebook(), cleanUp: steps })

describe('tag clean-up over the demo', () => {
  test('the five spellings are proposed as one key; accepted, their money goes to Radar Ingest and to nobody else', async () => {
    const { proposals } = await ask<CleanView>('clean', { rulebook: demoRulebook() })
    const found = proposals.find(({ act }) => act.kind === 'key')!
    expect(found.act).toEqual(spellings.act)
    expect(Number(found.money.amount)).toBeCloseTo(story('misspelled', 'Nimbrel'), 1)
    const { effects: [effect] } = await ask<{ effects: Effect[] }>('effect', { months: [MONTH], rulebook: cleaned(step(found.act)) })
    expect(effect!.moves.map(({ from, to }) => [from, to])).toEqual([['unassigned', 'cc:1020']])
    expect(effect!.moves[0]!.amount).toBe(found.money.amount)
    expect(effect!.moves[0]!.keys[0]!.name).toContain('radar-compute')
  })
  test('the nine days without tags are carried forward within their resources, and the view says from what to what', async () => {
    const view = await ask<CleanView>('clean', { rulebook: cleaned(forward) })
    const change = view.steps[0]!.changes.find(({ after }) => after === 'app')!
    expect([change.key, change.before]).toEqual(['team', null])
    expect(Number(change.money.amount)).toBeCloseTo(story('tagsLost', 'Nimbrel'), 1)
    const { effects: [effect] } = await ask<{ effects: Effect[] }>('effect', { months: [MONTH], rulebook: cleaned(forward) })
    expect(effect!.moves.map(({ from, to, amount }) => [from, to, amount])).toEqual([['unassigned', 'cc:2010', change.money.amount]])
  })
  test('coverage shows the fall in the month in which the tags were lost, and none after the clean-up', async () => {
    const { rows } = await ask<{ rows: CoverageRow[] }>('coverage', { rulebook: cleaned(forward) })
    const of = (month: string): CoverageRow => rows.find((row) => row.month === month && row.key === 'team' && row.provider === 'Nimbrel')!
    expect(of('2026-09').billed! - of(MONTH).billed!).toBeGreaterThan(0.004)
    expect(of(MONTH).cleaned! - of(MONTH).billed!).toBeCloseTo(story('tagsLost', 'Nimbrel') / (resourceCost(demoBill('nimbrel', MONTH)) * rateOf('Nimbrel')), 3)
  })
  test('tags of found resources are set for the months that are wanted', async () => {
    const { resources, count } = await ask<{ resources: FoundResource[]; count: number }>('resources', { rulebook: demoRulebook(), conditions: [{ field: 'tag:environment', operator: 'absent', values: [] }, { field: 'SubAccountId', operator: 'is', values: ['nb-public'] }], text: 'public-compute' })
    expect(count).toBe(6)
    const set = { ...step({ kind: 'set', key: 'team', value: 'app', resources: resources.map(({ id }) => id) }), from: MONTH, to: MONTH }
    const { effects } = await ask<{ effects: Effect[] }>('effect', { months: ['2026-09', MONTH], rulebook: cleaned(set) })
    expect(effects.map(({ month, moves }) => [month, moves.length])).toEqual([['2026-09', 0], [MONTH, 1]])
    expect(Number(effects[1]!.moves[0]!.amount)).toBeCloseTo(story('unowned', 'Nimbrel'), 1)
  })
  test('the charge of a run shows its tags as billed and as they count, and can be grouped by both kinds of fields', async () => {
    const { draft } = await server.accountant.get<{ draft: { revision: number } }>('/api/rulebook')
    const { body } = await server.accountant.ask<{ revision: number }>('PUT', '/api/rulebook/draft', { revision: draft.revision, rulebook: cleaned(spellings, forward) })
    await server.accountant.ask('POST', '/api/rulebook/publish', { revision: body.revision, note: 'clean tags' })
    expect((await server.accountant.ask('POST', `/api/allocation/${MONTH}`)).status).toBe(200)
    const figure = `keys~${MONTH}~effective~kind=direct~target=1020`
    const path = [{ field: 'ResourceName', value: 'radar-compute-1' }, { field: 'class:product', value: 'Forecasts/Radar' }]
    const { body: groups } = await server.accountant.ask<{ groups: { value: string; lines: number }[] }>('POST', '/api/charges/groups', { figure, path, by: 'tag:team' })
    expect(groups.groups).toMatchObject([{ value: 'radar' }])
    const { body: page } = await server.accountant.ask<{ lines: { keyId: number; billId: number; line: number }[] }>('POST', '/api/charges/lines', { figure, path, limit: 500 })
    const details = await Promise.all(page.lines.filter((line, index, all) => all.findIndex(({ keyId }) => keyId === line.keyId) === index)
      .map(({ keyId, billId, line }) => server.accountant.ask<{ attributes: Record<string, string>; counted: Record<string, string>[] }>('POST', '/api/charges/line', { figure, line: `${keyId}.${billId}.${line}` })))
    const misspelled = details.find(({ body: { attributes } }) => !('tag:team' in attributes))!.body
    expect(misspelled.counted).toHaveLength(1)
    expect(misspelled.counted[0]).toMatchObject({ 'tag:team': 'radar', 'class:product': 'Forecasts/Radar', 'class:environment': 'production' })
  })
  test('a run that looked back is replayed to the same figures, and is out of date when the month before changes', async () => {
    const { runs } = await server.accountant.get<{ runs: { id: number }[] }>(`/api/allocation?month=${MONTH}&basis=effective`)
    for (const { id } of runs) expect((await server.accountant.ask('POST', `/api/allocation/runs/${id}/replay`)).body).toMatchObject({ runId: id, isSame: true, hasOwnCentres: true })
    const september = demoBill('nimbrel', '2026-09').split('\n')
    const restated = await server.accountant.load('september-again.csv', september.slice(0, -40).join('\n') + '\n')
    await server.accountant.ask('POST', `/api/loads/${restated.id}/confirm`)
    expect(await server.accountant.get(`/api/allocation?month=${MONTH}&basis=effective`)).toMatchObject({ standing: 'outOfDate' })
    expect((await server.accountant.ask('POST', `/api/allocation/runs/${runs[0]!.id}/replay`)).body).toMatchObject({ isSame: true })
  })
})

describe('classifications', () => {
  test('all values side by side add up to what was billed, with the rest', async () => {
    const { values, totals, months } = await ask<{ values: ValueSeries[]; totals: string[]; months: string[] }>('class-values', { rulebook: demoRulebook(), classification: 'product' })
    expect(months).toEqual(['2026-09', MONTH])
    expect(addDecimals(values.map(({ amount }) => amount))).toBe(totals[1])
    expect(Number(values.find(({ value }) => value === 'Forecasts/Models')!.amount)).toBeCloseTo(Number(answers.toJson()[`targets/${MONTH}/1010/Nimbrel`]!.effective) * rateOf('Nimbrel'), 1)
    expect(values.at(-1)!.value).toBeNull()
  })
  test('crossed with the cost centre, the misassigned machines stand where they should not', async () => {
    const matrix = await ask<Matrix>('matrix', { rulebook: demoRulebook(), down: 'product', across: '' })
    const cell = matrix.cells[matrix.rows.indexOf('Briefings/Airfield')]![matrix.columns.indexOf('cc:2020')]!
    expect(Number(cell)).toBeCloseTo(story('misassigned', 'Tarnhost'), 1)
    expect(addDecimals(matrix.rowTotals)).toBe(matrix.total)
    expect(addDecimals(matrix.columnTotals)).toBe(matrix.total)
    expect(addDecimals(matrix.cells.flat().filter(Boolean))).toBe(matrix.total)
  })
  test('the overlap is told in money, and letting the rule go first puts it right', async () => {
    const book = demoRulebook()
    const at = (name: string): number => book.rules.findIndex((rule) => rule.name === name)
    const [airfield, portal] = [at('Airfield Briefings by team tag'), at('Open Data Portal, whole sub account')]
    const { overlaps } = await ask<Health>('health', { rulebook: book })
    const overlap = overlaps.find(({ rule, by }) => rule === airfield && by === portal)!
    expect(Number(overlap.money.amount)).toBeCloseTo(story('misassigned', 'Tarnhost'), 1)
    const rules = [...book.rules]
    rules.splice(portal, 0, ...rules.splice(airfield, 1))
    const { effects: [effect] } = await ask<{ effects: Effect[] }>('effect', { months: [MONTH], rulebook: { ...book, rules }, against: 1 })
    expect(effect!.moves.map(({ from, to, amount }) => [from, to, amount])).toEqual([['cc:2020', 'cc:3020', overlap.money.amount]])
  })
  test('rules that do not work are named: shadowed, contrary, contradictory, never used', async () => {
    const book = demoRulebook()
    const extra = (id: string, conditions: Rule['conditions'], code = '1010'): Rule => ({ id, name: id, enabled: true, from: null, to: null, conditions, outcome: { kind: 'costCentre', code } })
    const radar = { field: 'tag:team', operator: 'is' as const, values: ['radar'] }
    const rules = [...book.rules, extra('shadowed', [radar, { field: 'tag:environment', operator: 'is', values: ['prod'] }]), extra('contrary', [radar]), extra('impossible', [radar, { field: 'tag:team', operator: 'is', values: ['app'] }]), extra('unused', [{ field: 'tag:team', operator: 'is', values: ['nobody'] }])]
    const { ailments } = await ask<Health>('health', { rulebook: { ...book, rules } })
    const kinds = (name: string): string[] => ailments.filter(({ rule }) => rules[rule]!.name === name).map(({ kind }) => kind)
    expect([kinds('shadowed'), kinds('contrary'), kinds('impossible'), kinds('unused')]).toEqual([['shadowed', 'neverUsed'], ['contrary'], ['contradictory'], ['neverUsed']])
  })
  test('one resource has several payers, to the last digit, and its line says how much of it is theirs', async () => {
    const { draft } = await server.accountant.get<{ draft: { revision: number } }>('/api/rulebook')
    const split: Rule = { id: 'split', name: 'Radar mosaic, shared', enabled: true, from: null, to: null, conditions: [{ field: 'ResourceId', operator: 'is', values: ['nb-db-mosaic'] }], outcome: { kind: 'split', percents: { '1010': '50', '1020': '30', '5020': '20' } } }
    const { body } = await server.accountant.ask<{ revision: number }>('PUT', '/api/rulebook/draft', { revision: draft.revision, rulebook: { ...demoRulebook(), rules: [split, ...demoRulebook().rules] } })
    await server.accountant.ask('POST', '/api/rulebook/publish', { revision: body.revision, note: 'split' })
    await server.accountant.ask('POST', `/api/allocation/${MONTH}`)
    const figure = `keys~${MONTH}~effective~kind=direct~target=1020~rule=0`
    const { body: workings } = await server.accountant.ask<{ amount: string; terms: { sign: string; amount: string }[] }>('GET', `/api/workings?figure=${encodeURIComponent(figure)}`)
    expect(Number(workings.amount)).toBeCloseTo(story('sharedByThree', 'Nimbrel') * 0.3, 4)
    expect(workings.terms.map(({ sign, amount }) => [sign, amount]).slice(1, 2)).toEqual([['×', '30']])
    const { body: page } = await server.accountant.ask<{ lines: { percent: number; ruleName: string }[] }>('POST', '/api/charges/lines', { figure, path: [], limit: 10 })
    expect(page.lines[0]).toMatchObject({ percent: 30, ruleName: 'Radar mosaic, shared' })
  })
})

test('money that is set aside is held with its reason, opens to its lines, and a mapping sends many values by one rule', async () => {
  const { draft } = await server.accountant.get<{ draft: { revision: number } }>('/api/rulebook')
  const aside: Rule = { id: 'aside', name: 'Gift of the observatory', enabled: true, from: null, to: null, conditions: [{ field: 'ResourceId', operator: 'is', values: ['nb-db-mosaic'] }], outcome: { kind: 'aside', reason: 'paid by the observatory' } }
  const byTeam: Rule = { id: 'map', name: 'By team', enabled: true, from: null, to: null, conditions: [], outcome: { kind: 'mapped', field: 'tag:team', mapping: { models: '1010', radar: '1020', app: '2010', nowcast: '5020', archive: '5010' }, elseItself: false } }
  const rules = [aside, byTeam, ...demoRulebook().rules.filter(({ name }) => !/by team tag$/.test(name))]
  const { body } = await server.accountant.ask<{ revision: number }>('PUT', '/api/rulebook/draft', { revision: draft.revision, rulebook: { ...demoRulebook(), rules } })
  expect((await server.accountant.ask('POST', '/api/rulebook/publish', { revision: body.revision, note: 'aside' })).status).toBe(200)
  await server.accountant.ask('POST', `/api/allocation/${MONTH}`)
  const way = await server.accountant.get<{ asides: { reason: string; amount: string }[]; held: string; centres: { code: string; direct: string }[] }>(`/api/allocation?month=${MONTH}&basis=effective`)
  expect(way.asides.map(({ reason }) => reason)).toEqual(['paid by the observatory'])
  expect(Number(way.asides[0]!.amount)).toBeCloseTo(story('sharedByThree', 'Nimbrel'), 1)
  expect(await server.accountant.get(`/api/balance?month=${MONTH}&basis=effective`)).toMatchObject({ difference: '0.00', held: way.held })
  expect(Number(way.centres.find(({ code }) => code === '1010')!.direct)).toBeCloseTo(Number(answers.toJson()[`targets/${MONTH}/1010/Nimbrel`]!.effective) * rateOf('Nimbrel'), 1)
  const figure = `keys~${MONTH}~effective~kind=aside~target=paid by the observatory`
  const { body: workings } = await server.accountant.ask<{ title: string; rules: { name: string }[] }>('GET', `/api/workings?figure=${encodeURIComponent(figure)}`)
  expect([workings.title, workings.rules[0]!.name]).toEqual(['Set aside: paid by the observatory', '1 “Gift of the observatory”'])
  const { body: groups } = await server.accountant.ask<{ total: string; lines: number }>('POST', '/api/charges/groups', { figure, path: [], by: 'ServiceName' })
  expect(groups.lines).toBe(31)
})

describe('a charge is tested', () => {
  test('found by a part of its name; the rule that takes it, and what the others fail at', async () => {
    const { charges } = await server.accountant.get<{ charges: FoundCharge[] }>(`/api/rulebook/charges?month=${MONTH}&text=airfield-display-1`)
    const tested = await ask<ChargeTest>('test', { rulebook: demoRulebook(), charge: { key: charges[0]!.key } })
    const { verdicts } = tested.classifications.at(-1)!
    const of = (name: string) => verdicts[demoRulebook().rules.findIndex((rule) => rule.name === name)]
    expect([of('Open Data Portal, whole sub account'), of('Airfield Briefings by team tag')]).toEqual([{ kind: 'takes' }, { kind: 'wouldTake' }])
    expect(of('Taxes and levies')).toMatchObject({ kind: 'fails', condition: { field: 'ChargeCategory' } })
  })
  test('one that is pasted is cleaned and tested as well; unknown fields are refused', async () => {
    const tested = await ask<ChargeTest>('test', { rulebook: cleaned(spellings), charge: { attributes: { ProviderName: 'Nimbrel', 'tag:TEAM': 'radar' } } })
    expect(tested.cleaned).toMatchObject({ 'tag:team': 'radar', 'class:product': 'Forecasts/Radar' })
    expect((await server.accountant.ask('POST', '/api/rulebook/test', { month: MONTH, rulebook: demoRulebook(), charge: { attributes: { Nonsense: 'x' } } })).status).toBe(422)
  })
})

describe('the file of rules and organisation', () => {
  interface File { format: string; organisation: { units: unknown[]; centres: { unit: string }[] }; rulebook: Rulebook }
  const take = async (change: (file: File) => void): Promise<{ status: number; body: { message: string } }> => {
    const file = await server.accountant.get<File>('/api/rulebook.json')
    const { draft } = await server.accountant.get<{ draft: { revision: number } }>('/api/rulebook')
    change(file)
    return server.accountant.ask<{ message: string }>('POST', '/api/rulebook/file', { revision: draft.revision, file })
  }
  test('comes back as it went out', async () => {
    const before = await server.accountant.get<File>('/api/rulebook.json')
    expect((await take(() => {})).status).toBe(200)
    expect(await server.accountant.get('/api/rulebook.json')).toEqual(before)
  })
  test('a wrong one changes nothing and names the place', async () => {
    const before = await server.accountant.get<File>('/api/rulebook.json')
    const wrong = await take((file) => { file.rulebook.rules[3]!.outcome = { kind: 'split', percents: 5 as unknown as Record<string, string> } })
    expect([wrong.status, wrong.body.message]).toEqual([422, expect.stringContaining('rulebook › rules › 3 › outcome › percents')])
    expect((await take((file) => { file.rulebook.rules[0]!.from = 'May' })).body.message).toContain('rulebook › rules › 0 › from')
    expect((await take((file) => { (file as unknown as Record<string, unknown>).more = 1 })).body.message).toContain('more')
    const homeless = await take((file) => { file.organisation.centres[0]!.unit = 'nowhere' })
    expect([homeless.status, homeless.body.message]).toEqual([422, expect.stringContaining('business unit nowhere')])
    expect(await server.accountant.get('/api/rulebook.json')).toEqual(before)
  })
  test('its schema is published, and an owner gets neither', async () => {
    expect((await server.accountant.get<{ title: string; properties: object }>('/api/rulebook.schema.json'))).toHaveProperty('properties.rulebook.properties.cleanUp')
    const owner = await server.client().signIn('okoro')
    for (const address of ['/api/rulebook.json', '/api/rulebook.schema.json']) expect((await owner.ask('GET', address)).status).toBe(403)
    expect((await owner.ask('POST', '/api/rulebook/matrix', { month: MONTH, rulebook: demoRulebook(), down: '', across: 'product' })).status).toBe(403)
  })
})
