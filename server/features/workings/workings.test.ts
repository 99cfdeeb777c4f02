import { afterAll, beforeAll, describe, expect, test } from '@jest/globals'
import type { Workings } from '../../../core/workings/workings.ts'
import { allResources } from '../../../demo/generator.ts'
import { demoNodes } from '../../../demo/clusters.ts'
import { meterFile } from '../../../demo/metering.ts'
import { flowFile } from '../../../demo/network.ts'
import { demoRulebook } from '../../../demo/rulebook.ts'
import { PROVIDERS } from '../../../demo/scenario.ts'
import { demoBill } from '../../../tests/support/bills.ts'
import { contradictions } from '../../../tests/support/recompute.ts'
import type { DeskFigure } from '../desk/figures.ts'
import type { StatementView } from '../statements/view.ts'
import { openServer, type Client, type TestServer } from '../../../tests/support/server.ts'

const [BEFORE, MONTH] = ['2026-09', '2026-10']
/** figures opened of each kind: every way that they come about is among them many times */
const MOST_OF_A_KIND = 40

let server: TestServer
let accountant: Client

beforeAll(async () => {
  server = await openServer()
  accountant = server.accountant
  expect((await accountant.ask('PUT', '/api/rulebook/draft', { revision: 0, rulebook: demoRulebook() })).status).toBe(200)
  expect((await accountant.ask('POST', '/api/rulebook/publish', { revision: 1, note: 'first' })).status).toBe(200)
  for (const month of [BEFORE, MONTH]) {
    for (const provider of Object.keys(PROVIDERS)) expect((await accountant.load(`${provider}-${month}.csv`, demoBill(provider, month))).state).toBe('taken')
    expect((await accountant.load(`flows-${month}.csv`, [...flowFile(month)].join(''))).state).toBe('taken')
  }
  expect((await accountant.load('metering.csv', [...meterFile(demoNodes(allResources()), MONTH)].join(''))).state).toBe('taken')
  for (const month of [BEFORE, MONTH]) expect((await accountant.ask('POST', `/api/allocation/${month}`)).status).toBe(200)
}, 180_000)
afterAll(() => server.close())

/** Opens figures and all that their terms open, some of each kind; `told`: what does not follow. */
async function walk(client: Client, starts: readonly string[], currency?: string): Promise<{ opened: Map<string, number>; told: string[] }> {
  const [opened, told, seen] = [new Map<string, number>(), [] as string[], new Set(starts)]
  const waiting: { figure: string; shown: { amount: string; unit: string } | null }[] = starts.map((figure) => ({ figure, shown: null }))
  for (let next = waiting.shift(); next; next = waiting.shift()) {
    const { figure, shown } = next
    const kind = `${figure.split('~')[0]} ${figure.split('~').slice(3).map((part) => part.split(/[=:]/)[0]).join(' ').slice(0, 40)}`
    if ((opened.get(kind) ?? 0) >= MOST_OF_A_KIND) continue
    opened.set(kind, (opened.get(kind) ?? 0) + 1)
    const { status, body } = await client.ask<Workings>('GET', `/api/workings?figure=${encodeURIComponent(figure)}${currency ? `&currency=${currency}` : ''}`)
    if (status !== 200) { told.push(`${figure}: ${status}`); continue }
    told.push(...contradictions(body).map((text) => `${figure}: ${text}`))
    // what a term shows is what it opens to: the figure itself, or the sum before conversion
    const says = [{ amount: body.amount, unit: body.currency }, ...body.terms.map(({ amount, unit }) => ({ amount, unit }))]
    const isSaid = says.some(({ amount, unit }) => Number(amount) === Number(shown?.amount) && unit === shown?.unit)
    if (shown && Number(shown.amount) !== 0 && !isSaid && (!currency || shown.unit === currency)) told.push(`${figure}: the term shows ${shown.amount} ${shown.unit}, it opens to ${body.amount} ${body.currency}`)
    for (const { opens, amount, unit } of body.terms) {
      if (!opens || seen.has(opens)) continue
      seen.add(opens)
      waiting.push({ figure: opens, shown: { amount, unit } })
    }
  }
  return { opened, told }
}

const statementsOf = (month: string, basis: string, ...codes: string[]): string[] => codes.map((code) => `statement~${month}~${basis}~cc:${code}`)

describe('every figure opens to terms from which it follows', () => {
  test('statements of all cost centres, down to the charge keys, on both costs', async () => {
    const { centres } = await accountant.get<{ centres: { code: string }[] }>(`/api/statements?month=${MONTH}&basis=effective`)
    for (const basis of ['effective', 'billed']) {
      const { opened, told } = await walk(accountant, [`charged~${MONTH}~${basis}`, ...statementsOf(MONTH, basis, ...centres.map(({ code }) => code)), `statement~${MONTH}~${basis}~unit:10`, ...demoRulebook().pools.map(({ code }) => `pool~${MONTH}~${basis}~${code}`)])
      expect(told).toEqual([])
      // lines, shares of pools, pools with their equations and sums of keys are all among them
      const kinds = ['line', 'share', 'pool', 'weights', 'keys'].filter((kind) => [...opened].filter(([name]) => name.startsWith(kind)).reduce((sum, [, count]) => sum + count, 0) > 5)
      expect(kinds).toEqual(['line', 'share', 'pool', 'weights', 'keys'])
    }
  }, 120_000)
  test('changes against the month before, and what exchange rates made of them', async () => {
    const { told, opened } = await walk(accountant, ['1010', '2010', '5010'].flatMap((code) => [`change~${MONTH}~effective~statement~cc:${code}`, `rates~${MONTH}~effective~cc:${code}`]))
    expect(told).toEqual([])
    expect(opened.size).toBeGreaterThan(4)
  }, 60_000)
  test('unassigned money, and what is billed in all', async () => {
    const { told, opened } = await walk(accountant, [`keys~${MONTH}~effective`, `keys~${MONTH}~effective~kind=unassigned`])
    expect(told).toEqual([])
    expect(opened.size).toBeGreaterThan(4)
  }, 60_000)
  test('the same in another currency', async () => {
    const { told } = await walk(accountant, [...statementsOf(MONTH, 'effective', '1010', '2030'), `rates~${MONTH}~effective~cc:1010`], 'USD')
    expect(told).toEqual([])
  }, 60_000)
})

describe('an owner', () => {
  test('can open every term that he is shown, and no figure of another cost centre', async () => {
    const owner = await server.client().signIn('okoro')
    const { told, opened } = await walk(owner, statementsOf(MONTH, 'effective', '2010'))
    expect(told).toEqual([])
    expect(opened.size).toBeGreaterThan(4)
    for (const figure of [...statementsOf(MONTH, 'effective', '1010'), `line~${MONTH}~effective~cc:1010~direct~Nimbrel~Machines`, `share~${MONTH}~effective~1010~MOSAIC~Nimbrel~USD`, `pool~${MONTH}~effective~MOSAIC`, `keys~${MONTH}~effective~kind=direct~target=1010`, `keys~${MONTH}~effective`, `change~${MONTH}~effective~statement~cc:1010`, `rates~${MONTH}~effective~cc:1010`]) {
      expect([figure, (await owner.ask('GET', `/api/workings?figure=${encodeURIComponent(figure)}`)).status]).toEqual([figure, 403])
    }
  }, 60_000)
  test('sees on the desk what the own statement has as direct cost: of shared charges and metered nodes the own part alone', async () => {
    const owner = await server.client().signIn('okoro')
    for (const basis of ['effective', 'billed']) {
      const desk = (await owner.ask<{ figures: { isDirectOnly: boolean; figures: DeskFigure[] } }>('GET', `/api/desk?month=${MONTH}&basis=${basis}`)).body.figures
      const { groups } = (await owner.ask<StatementView>('GET', `/api/statement?scope=cc:2010&month=${MONTH}&basis=${basis}`)).body
      const direct = groups.find(({ kind }) => kind === 'direct')!
      expect(direct.lines.some(({ line }) => line.startsWith('Cluster '))).toBe(true)
      expect([desk.isDirectOnly, Number(desk.figures[0]!.amount)]).toEqual([true, expect.closeTo(Number(direct.figures.amount), 1)])
      expect(Number(desk.figures[1]!.amount)).toBeCloseTo(Number(direct.figures.previous), 1)
    }
  }, 60_000)
  test('is told of charged cost as that of his own alone', async () => {
    const owner = await server.client().signIn('okoro')
    const own = (await owner.ask<Workings>('GET', `/api/workings?figure=charged~${MONTH}~effective`)).body
    const statement = (await owner.ask<Workings>('GET', `/api/workings?figure=${statementsOf(MONTH, 'effective', '2010')[0]}`)).body
    expect(own.amount).toBe(statement.amount)
  })
})

test('an address that is none is refused, and one of a month without a run is not found', async () => {
  for (const [figure, status] of [['nonsense', 422], [`none~${MONTH}~effective`, 422], [`change~${MONTH}~effective~keys`, 422], ['keys~2020-01~effective', 404], [`share~${MONTH}~effective~1010~NONE~Nimbrel~USD`, 404], [`statement~${MONTH}~effective~cc:none`, 404]] as const) {
    expect([figure, (await accountant.ask('GET', `/api/workings?figure=${encodeURIComponent(figure)}`)).status]).toEqual([figure, status])
  }
})
