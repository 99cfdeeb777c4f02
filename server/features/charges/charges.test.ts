import { afterAll, beforeAll, describe, expect, test } from '@jest/globals'
import { Answers } from '../../../demo/answers.ts'
import { demoRulebook } from '../../../demo/rulebook.ts'
import { demoBill } from '../../../tests/support/bills.ts'
import { openServer, type Client, type Reply, type TestServer } from '../../../tests/support/server.ts'
import { addDecimals } from '../../../web/decimals.ts'
import type { ChargeGroup } from './groups.ts'
import type { ChargeLine } from './store.ts'

const MONTH = '2026-10'
const answers = new Answers()
let server: TestServer
let accountant: Client
type Page = { lines: (ChargeLine & { ruleName: string })[]; next: string | null }
type Path = { field: string; value: string | null }[]
const figureOf = (...parts: string[]): string => [`keys~${MONTH}~effective`, ...parts].join('~')
const page = (figure: string, limit: number, after?: string, path: Path = [], client = accountant): Promise<Reply<Page & { message: string }>> => client.ask('POST', '/api/charges/lines', { figure, path, limit, ...(after && { after }) })
const groups = async (figure: string, by: string, path: Path = []): Promise<{ groups: ChargeGroup[]; total: string; lines: number }> => (await accountant.ask<{ groups: ChargeGroup[]; total: string; lines: number }>('POST', '/api/charges/groups', { figure, path, by })).body

/** All lines of a figure, read in pages of some size. */
async function allLines(figure: string, limit: number, path: Path = []): Promise<Page['lines']> {
  const lines: Page['lines'] = []
  for (let after: string | undefined, isFirst = true; isFirst || after; isFirst = false) {
    const { body } = await page(figure, limit, after, path)
    expect(body.lines.length).toBeLessThanOrEqual(limit)
    // a page that has a next one is full
    if (body.next) expect(body.lines).toHaveLength(limit)
    lines.push(...body.lines)
    after = body.next ?? undefined
  }
  return lines
}
const placeOf = ({ keyId, billId, line }: ChargeLine): string => `${keyId}.${billId}.${line}`

beforeAll(async () => {
  server = await openServer()
  accountant = server.accountant
  for (const provider of ['nimbrel', 'tarnhost', 'orvane']) expect((await accountant.load(`${provider}.csv`, demoBill(provider, MONTH, answers))).state).toBe('taken')
  const rulebook = demoRulebook()
  rulebook.rules.unshift({ id: 'thirds', name: 'Mosaic by thirds', enabled: true, from: null, to: null, conditions: [{ field: 'ResourceId', operator: 'is', values: ['nb-db-mosaic'] }], outcome: { kind: 'split', percents: { 1010: '33.3333333333', 1020: '33.3333333333', 5020: '33.3333333334' } } })
  await accountant.ask('PUT', '/api/rulebook/draft', { revision: 0, rulebook })
  await accountant.ask('POST', '/api/rulebook/publish', { revision: 1, note: 'first' })
  expect((await accountant.ask('POST', `/api/allocation/${MONTH}`)).status).toBe(200)
}, 120_000)
afterAll(() => server.close())

describe('the lines of a figure', () => {
  test('are the same whatever the size of the pages, each once and in order', async () => {
    const figure = figureOf('kind=direct', 'target=2030')
    const whole = await allLines(figure, 500)
    expect(whole.length).toBeGreaterThan(150)
    expect(new Set(whole.map(placeOf)).size).toBe(whole.length)
    for (const limit of [1, 7, 100]) expect((await allLines(figure, limit)).map(placeOf)).toEqual(whole.map(placeOf))
  })
  test('add up to what the generator billed in each currency, and are as many', async () => {
    const lines = await allLines(figureOf('provider=Orvane'), 500)
    const truth = answers.toJson()[`bills/${MONTH}/Orvane`]!
    expect([lines.length, Number(addDecimals(lines.map(({ effective }) => effective))), Number(addDecimals(lines.map(({ billed }) => billed)))]).toEqual([truth.lines, Number(truth.effective), Number(truth.billed)])
  })
  test('of a split tell how much of each is in the figure', async () => {
    const shares = await Promise.all(['1010', '1020', '5020'].map((target) => allLines(figureOf('kind=direct', `target=${target}`, 'rule=0'), 500)))
    expect(shares.map((lines) => [...new Set(lines.map(({ percent }) => percent))])).toEqual([[33.3333333333], [33.3333333333], [33.3333333334]])
    expect(new Set(shares.map((lines) => lines.map(placeOf).join())).size).toBe(1)
    expect(shares[0]!.every(({ ruleName }) => ruleName === 'Mosaic by thirds')).toBe(true)
  })
  test('a page begins where it is told, also past the end, and nonsense is refused', async () => {
    const figure = figureOf('provider=Orvane')
    expect((await page(figure, 10, '4294967295.1.1')).body).toMatchObject({ lines: [], next: null })
    for (const [bad, status] of [['1.2', 400], ['a.b.c', 400], ['-1.1.1', 400]] as const) expect([bad, (await page(figure, 10, bad)).status]).toEqual([bad, status])
    for (const limit of [0, 501, 1.5]) expect([limit, (await page(figure, limit)).status]).toEqual([limit, 400])
    expect((await page('nonsense', 10)).status).toBe(422)
    expect((await page(`statement~${MONTH}~effective~cc:1010`, 10)).status).toBe(422)
    expect((await page('keys~2020-01~effective', 10)).status).toBe(404)
  })
})

describe('groups of a figure', () => {
  test.each(['ProviderName', 'ServiceName', 'SubAccountId', 'RegionId', 'ResourceId', 'tag:team', 'class:product', 'ChargeCategory', 'SkuId'])('by %s add up to it, line by line and to the cent', async (by) => {
    const figure = figureOf()
    const grouped = await groups(figure, by)
    expect(addDecimals(grouped.groups.map(({ amount }) => amount))).toBe(grouped.total)
    expect(grouped.groups.reduce((sum, { lines }) => sum + lines, 0)).toBe(grouped.lines)
    expect(grouped.lines).toBe(['Nimbrel', 'Tarnhost', 'Orvane'].reduce((sum, name) => sum + answers.toJson()[`bills/${MONTH}/${name}`]!.lines, 0))
    const sizes = grouped.groups.map(({ amount }) => Math.abs(Number(amount)))
    expect(sizes.every((size, index) => index === 0 || size <= sizes[index - 1]! + 0.011)).toBe(true)
  })
  test('one step down from each is just that group, missing values too', async () => {
    const figure = figureOf('kind=direct', 'target=2020')
    for (const { value, amount, lines } of (await groups(figure, 'tag:team')).groups) {
      const within = await groups(figure, 'ServiceName', [{ field: 'tag:team', value }])
      expect([value, within.lines, Math.abs(Number(within.total) - Number(amount)) <= 0.01]).toEqual([value, lines, true])
      expect(await allLines(figure, 500, [{ field: 'tag:team', value }])).toHaveLength(lines)
    }
    expect((await groups(figure, 'ServiceName', [{ field: 'tag:team', value: 'nobody' }]))).toMatchObject({ groups: [], lines: 0 })
  })
  test('by what is no attribute are refused', async () => {
    for (const body of [{ path: [], by: 'Nonsense' }, { path: [{ field: 'Nonsense', value: 'x' }], by: 'ServiceName' }, { path: [], by: '__proto__' }]) expect((await accountant.ask('POST', '/api/charges/groups', { figure: figureOf(), ...body })).status).toBe(422)
  })
})

describe('an owner', () => {
  test('reads the charges of his own cost centre, and no others by any way', async () => {
    const owner = await server.client().signIn('okoro')
    const own = figureOf('kind=direct', 'target=2010')
    const { body } = await page(own, 50, undefined, [], owner)
    expect(body.lines).toHaveLength(50)
    const other = (await page(figureOf('kind=direct', 'target=1010'), 1)).body.lines[0]!
    for (const figure of [figureOf(), figureOf('kind=direct', 'target=1010'), figureOf('kind=direct'), figureOf('kind=pool', 'target=MOSAIC'), figureOf('kind=unassigned'), figureOf('provider=Nimbrel')]) {
      expect([figure, (await page(figure, 10, undefined, [], owner)).status, (await owner.ask('POST', '/api/charges/groups', { figure, path: [], by: 'ServiceName' })).status]).toEqual([figure, 403, 403])
    }
    expect((await owner.ask('POST', '/api/charges/line', { figure: own, line: placeOf(other) })).status).toBe(404)
    expect((await owner.ask('POST', '/api/charges/line', { figure: own, line: placeOf(body.lines[0]!) })).status).toBe(200)
  })
})
