import { afterAll, beforeAll, describe, expect, test } from '@jest/globals'
import { parse } from 'csv-parse/sync'
import { Answers } from '../../../demo/answers.ts'
import { ClusterAnswers } from '../../../demo/clusterAnswers.ts'
import { demoNodes, SYSTEM_NAMESPACES } from '../../../demo/clusters.ts'
import { allResources, demoFile } from '../../../demo/generator.ts'
import { meterFile } from '../../../demo/metering.ts'
import { demoRulebook } from '../../../demo/rulebook.ts'
import { openServer, type Client, type TestServer } from '../../../tests/support/server.ts'
import type { Workings } from '../../../core/workings/workings.ts'
import type { Replay } from '../allocation/replay.ts'
import type { StatementView } from '../statements/view.ts'
import type { ChargeTest, FoundCharge } from '../rulebook/testCharge.ts'
import { publish, saveDraft } from '../rulebook/store.ts'
import type { ClusterView } from './view.ts'

const MONTH = '2026-11'
const resources = allResources()
const answers = new Answers()
const clusters = new ClusterAnswers(resources)
const bill = (provider: string): string => [...demoFile(provider, MONTH, resources, (charge) => answers.note(provider, MONTH, charge, clusters.partsOf(charge)))].join('')
const metering = [...meterFile(demoNodes(resources), MONTH)].join('')
/** The head and the first of the days. */
const firstDays = (days: number): string => { const [head, ...rows] = metering.split('\n'); return [head, ...rows.filter((row) => row.slice(0, 10) <= `${MONTH}-${String(days).padStart(2, '0')}`)].join('\n') }

let server: TestServer
let accountant: Client
let truth: ReturnType<Answers['toJson']>
const view = async (path: { level: string; value: string }[], by: string, more: object = {}): Promise<ClusterView> => (await accountant.ask<ClusterView>('POST', '/api/clusters', { month: MONTH, basis: 'effective', path, by, ...more })).body
const row = (of: ClusterView, value: string): ClusterView['rows'][number] => of.rows.find((one) => one.value === value)!

beforeAll(async () => {
  server = await openServer()
  accountant = server.accountant
  for (const provider of ['nimbrel', 'tarnhost', 'quarry']) expect((await accountant.load(`${provider}.csv`, bill(provider))).state).toBe('taken')
  truth = answers.toJson()
  await saveDraft(server.database, demoRulebook(), 0, 'M. Aldous')
  await publish(server.database, demoRulebook(), 'M. Aldous', 'demo')
})
afterAll(() => server.close())

describe('loading metering', () => {
  test('a file with flaws is refused whole, row by row', async () => {
    const broken = firstDays(1).replace(/,0\.2,0\.\d+,/, ',-1,0.1,').replace(/^2026-11-01T05:00:00Z,heron,node,heron-node-3.*\n/m, '')
    const load = await accountant.load('broken.csv', broken)
    expect([load.kind, load.state]).toEqual(['metering', 'refused'])
    const { findings } = await accountant.get<{ findings: { column: string; reason: string }[] }>(`/api/loads/${load.id}/findings`)
    expect(findings.map(({ reason }) => reason)).toContain('this is not a plain number from zero on')
    expect(findings.filter(({ reason }) => reason.startsWith('the pod runs on heron-node-3')).length).toBeGreaterThan(2)
    expect(await server.database.rows('SELECT id FROM measured_days')).toEqual([])
  })
  test('a column that is missing is named', async () => {
    const load = await accountant.load('headless.csv', firstDays(1).replace('MemoryUsage', 'MemUsage'))
    expect([load.state, load.message]).toEqual(['refused', 'The column MemoryUsage is missing.'])
  })
  test('days come one after the other; the same again changes nothing, changed ones wait for a confirmation', async () => {
    const first = await accountant.load('some.csv', firstDays(3))
    expect(first.report!.measured.map(({ subject, newDays }) => [subject, newDays])).toEqual([['dunlin', 3], ['heron', 3], ['plover', 3]])
    const more = await accountant.load('more.csv', firstDays(4))
    expect([more.state, more.report!.measured[0]]).toMatchObject(['taken', { subject: 'dunlin', newDays: 1, sameDays: 3, changedDays: 0 }])
    expect((await accountant.load('again.csv', firstDays(4) + '\n')).state).toBe('unchanged')
    const changed = await accountant.load('changed.csv', firstDays(2).replaceAll('ensemble-runner-3', 'ensemble-runner-x'))
    expect([changed.state, changed.report!.measured.find(({ subject }) => subject === 'heron')]).toMatchObject(['confirming', { changedDays: 2, newDays: 0 }])
    await accountant.ask('POST', `/api/loads/${changed.id}/discard`)
    expect((await accountant.load('all.csv', metering)).state).toBe('taken')
  })
  test('a closed month takes no metering', async () => {
    await server.database.run("INSERT INTO periods (month, state) VALUES ('2026-09', 'closed') ON DUPLICATE KEY UPDATE state = 'closed'")
    const load = await accountant.load('late.csv', firstDays(1).replaceAll('2026-11-01T', '2026-09-01T'))
    expect([load.state, load.message]).toEqual(['refused', expect.stringContaining('2026-09, which is closed')])
  })
})

describe('what clusters cost', () => {
  test('workloads, idle and overhead of each cluster are those of the generator, to the cent', async () => {
    const all = await view([], 'cluster')
    for (const [cluster, provider, rate] of [['heron', 'Nimbrel', 0.8743], ['plover', 'Tarnhost', 1], ['dunlin', 'Quarry Hall', 1]] as const) {
      for (const use of ['workload', 'serving', 'overhead', 'idle'] as const) expect(Number(row(all, cluster).uses[use])).toBeCloseTo(Number(truth[`clusters/${MONTH}/${cluster}/${use}/${provider}`]?.effective ?? 0) * rate, 1)
    }
    expect(all.withoutMetering).toMatchObject([{ node: 'dunlin-node-6', reason: 'not metered on 18 days from 2026-11-02' }])
    expect(all.withoutBill).toMatchObject([{ node: 'plover-node-9', hours: 456 }])
  })
  test('down to namespace, workload and pod, and by label', async () => {
    const heron = [{ level: 'cluster', value: 'heron' }]
    expect(Number(row(await view(heron, 'namespace'), 'models').cost)).toBeCloseTo(Number(truth[`namespaces/${MONTH}/heron/models/Nimbrel`]!.effective) * 0.8743, 1)
    const runner = [...heron, { level: 'workload', value: 'models/ensemble-runner' }]
    const pods = await view(runner, 'pod')
    expect(pods.rows.filter(({ value }) => value !== '')).toHaveLength(12)
    expect(Number(pods.total)).toBeCloseTo(Number(truth[`workloads/${MONTH}/heron/ensemble-runner/Nimbrel`]!.effective) * 0.8743, 1)
    expect((await view([], 'label:team')).rows.map(({ value }) => value)).toContain('harbour')
  })
  test('each level adds up to the figure that stands for it one level up, in any currency', async () => {
    for (const currency of ['EUR', 'USD']) {
      const read = async (path: { level: string; value: string }[], by: string): Promise<ClusterView> => (await accountant.ask<ClusterView>('POST', `/api/clusters?currency=${currency}`, { month: MONTH, basis: 'effective', path, by })).body
      const cents = (of: ClusterView): number => of.rows.reduce((sum, { cost }) => sum + Math.round(Number(cost) * 100), 0)
      for (const cluster of (await read([], 'cluster')).rows) {
        const at = [{ level: 'cluster', value: cluster.value }]
        for (const by of ['node', 'pod']) { const below = await read(at, by); expect([cluster.value, by, below.total, cents(below)]).toEqual([cluster.value, by, cluster.cost, Math.round(Number(cluster.cost) * 100)]) }
        for (const space of (await read(at, 'namespace')).rows) expect([space.value, (await read([...at, { level: 'namespace', value: space.value }], 'workload')).total]).toEqual([space.value, space.cost])
      }
    }
  }, 60_000)
  test('idle graphics nodes stand out: nothing runs on them but the agents', async () => {
    const nodes = await view([{ level: 'cluster', value: 'heron' }], 'node')
    const graphics = nodes.rows.filter(({ value }) => value.startsWith('storm-cells-gpu'))
    expect(graphics).toHaveLength(3)
    const idle = graphics.reduce((sum, { uses }) => sum + Number(uses.idle), 0)
    expect(idle / (Number(truth[`storyMonths/${MONTH}/idleGraphics/Nimbrel`]!.effective) * 0.8743)).toBeGreaterThan(0.99)
  })
  test('the workings name what each node gives, and add up', async () => {
    const workings = await accountant.get<Workings>(`/api/workings?figure=${encodeURIComponent(`cluster~${MONTH}~effective~cluster~plover~namespace~marine`)}`)
    expect(workings.terms.slice(0, -1).reduce((sum, { amount }) => sum + Number(amount), 0)).toBeCloseTo(Number(workings.amount), 6)
    expect(workings.terms[0]!.note).toMatch(/% of .* that the node cost; held .* core hours/)
  })
  test('a draft that sends idle elsewhere shows where it would go', async () => {
    const rulebook = demoRulebook()
    rulebook.clusters[2] = { ...rulebook.clusters[2]!, idle: { kind: 'tenants' } }
    const { body } = await accountant.ask<{ effects: { centres: { code: string; change: string }[] }[] }>('POST', '/api/rulebook/effect', { months: [MONTH], rulebook })
    const platform = body.effects[0]!.centres.find(({ code }) => code === '9010')!
    // a little comes back by pools shared in proportion to direct cost
    expect(-Number(platform.change) / Number(truth[`clusters/${MONTH}/dunlin/idle/Quarry Hall`]!.effective)).toBeCloseTo(1, 1)
  })
})

describe('a charge of a metered node is tested', () => {
  test('part by part: who holds the node, what it costs and who takes it', async () => {
    const { charges } = await accountant.get<{ charges: FoundCharge[] }>(`/api/rulebook/charges?month=${MONTH}&text=dunlin-node-1`)
    const test = async (part?: number): Promise<{ status: number; body: ChargeTest }> => accountant.ask<ChargeTest>('POST', '/api/rulebook/test', { month: MONTH, rulebook: demoRulebook(), charge: { key: charges[0]!.key, ...(part !== undefined && { part }) } })
    const { body: first } = await test()
    const billed = await server.database.first<{ cost: string }>("SELECT SUM(c.effective_cost) AS cost FROM charges c JOIN bills b ON b.id = c.bill_id WHERE c.key_id = ? AND b.month = ? AND b.state = 'current'", [charges[0]!.key, MONTH])
    const units = (text: string): bigint => BigInt(text.replace('.', '')) * 10n ** BigInt(10 - text.split('.')[1]!.length)
    expect(first.parts.reduce((sum, { amount }) => sum + units(amount), 0n)).toBe(units(billed!.cost))
    expect(new Set(first.parts.map(({ name }) => name)).size).toBe(first.parts.length)
    const idle = first.parts.findIndex(({ name }) => name.startsWith('idle'))
    expect(first.parts[idle]!.taker).toMatch(/^the setting for idle/)
    expect((await test(idle)).body.setting).toMatch(/^idle/)
    // each workload is tested by its own labels
    const part = first.parts.findIndex(({ taker }) => demoRulebook().rules.some(({ name }) => name === taker))
    const { body: chosen } = await test(part)
    const { verdicts } = chosen.classifications.at(-1)!
    expect(demoRulebook().rules[verdicts.findIndex(({ kind }) => kind === 'takes')]!.name).toBe(first.parts[part]!.taker)
    expect(first.parts[part]!.name).toContain(`${chosen.cleaned.Namespace}/${chosen.cleaned.Workload}`)
    expect((await test(first.parts.length)).status).toBe(404)
  })
})

describe('a pool shared by what pods took', () => {
  test('has as weights the minutes and the held cores of the metering, and is shared in their proportion', async () => {
    const rows = (parse(metering, { columns: true }) as Record<string, string>[]).filter(({ Cluster, Record: kind, Namespace }) => Cluster === 'dunlin' && kind === 'pod' && !SYSTEM_NAMESPACES.includes(Namespace!))
    const minutes = rows.reduce((sum, { Minutes }) => sum + Number(Minutes), 0)
    const cores = rows.reduce((sum, { CpuRequest, CpuUsage, Minutes }) => sum + Math.max(Number(CpuRequest), Number(CpuUsage)) * Number(Minutes), 0)
    for (const [driver, total] of [['pods:dunlin', minutes], ['cores:dunlin', cores]] as const) {
      const rulebook = demoRulebook()
      rulebook.pools = rulebook.pools.map((pool) => (pool.code === 'SUPPORT' ? { ...pool, base: { kind: 'driver', driver }, recipients: [] } : pool))
      await publish(server.database, rulebook, 'M. Aldous', driver)
      expect((await accountant.ask('POST', `/api/allocation/${MONTH}`)).status).toBe(200)
      const weights = await server.database.rows<{ cost_centre: string; weight: string; base: string }>("SELECT cost_centre, weight, base FROM run_weights WHERE pool = 'SUPPORT' AND run_id = (SELECT MAX(id) FROM runs) ORDER BY cost_centre")
      expect(weights.length).toBeGreaterThan(1)
      expect(Number(weights[0]!.base)).toBeCloseTo(total, 3)
      const cells = await server.database.rows<{ cost_centre: string; cost: string }>("SELECT cost_centre, SUM(effective_cost) AS cost FROM run_cells WHERE kind = 'pool' AND line = 'SUPPORT' AND run_id = (SELECT MAX(id) FROM runs) GROUP BY cost_centre ORDER BY cost_centre")
      const whole = cells.reduce((sum, { cost }) => sum + Number(cost), 0)
      expect(cells.map(({ cost_centre: code, cost }) => [code, (Number(cost) / whole).toFixed(7)])).toEqual(weights.map(({ cost_centre: code, weight, base }) => [code, (Number(weight) / Number(base)).toFixed(7)]))
      const { terms } = await accountant.get<Workings>(`/api/workings?figure=weights~${MONTH}~effective~SUPPORT`)
      expect(Number(terms.at(-1)!.amount)).toBeCloseTo(total, 3)
    }
    await publish(server.database, demoRulebook(), 'M. Aldous', 'as before')
  }, 60_000)
})

describe('running with clusters', () => {
  test('statements carry the clusters, the node charges are consumed, and the run replays to the same figures', async () => {
    const { body, text } = await accountant.ask<{ runId: number }>('POST', `/api/allocation/${MONTH}`)
    expect(text).toContain('runId')
    const { groups } = await accountant.get<StatementView>(`/api/statement?scope=cc:1010&month=${MONTH}&basis=effective`)
    const lines = groups.flatMap(({ lines: all }) => all)
    for (const [provider, cluster, rate] of [['Nimbrel', 'heron', 0.8743], ['Quarry Hall', 'dunlin', 1]] as const) {
      const line = lines.find((one) => one.provider === provider && one.line === `Cluster ${cluster}`)!
      expect(Number(line.amount)).toBeCloseTo(Number(truth[`services/${MONTH}/1010/${provider}/Cluster ${cluster}`]!.effective) * rate, 1)
    }
    const replay = await accountant.ask<Replay>('POST', `/api/allocation/runs/${body.runId}/replay`)
    expect(replay.body.isSame).toBe(true)
    const workings = await accountant.get<Workings>(`/api/workings?figure=${encodeURIComponent(`keys~${MONTH}~effective~kind=direct~target=1010~provider=Nimbrel~service=Cluster heron`)}`)
    expect(workings.rules.map(({ name }) => name)).toContain('the setting for overhead of clusters')
  })
  test('the lines of a node tell how much of each is in the figure, and so come to it', async () => {
    for (const target of ['1010', '2010']) {
      const figure = `keys~${MONTH}~effective~kind=direct~target=${target}~service=Cluster heron`
      const { body } = await accountant.ask<{ lines: { effective: string; percent: number | null }[]; next: string | null }>('POST', '/api/charges/lines', { figure, path: [], limit: 500 })
      expect(body.next).toBeNull()
      // a volume that one workload alone uses is whole
      expect(body.lines.filter(({ percent }) => percent !== null && percent > 0 && percent < 100).length).toBeGreaterThan(100)
      const own = body.lines.reduce((sum, { effective, percent }) => sum + (Number(effective) * (percent ?? 100)) / 100, 0)
      expect(own).toBeCloseTo(Number(truth[`services/${MONTH}/${target}/Nimbrel/Cluster heron`]!.effective), 2)
    }
  })
  test('new metering makes the run out of date', async () => {
    const changed = await accountant.load('late.csv', firstDays(1).replaceAll('app-gateway', 'app-door'))
    await accountant.ask('POST', `/api/loads/${changed.id}/confirm`)
    expect((await accountant.get<{ standing: string }>(`/api/balance?month=${MONTH}&basis=effective`)).standing).toBe('outOfDate')
  })
})
