import { describe, expect, test } from '@jest/globals'
import fc from 'fast-check'
import { KeyTable } from './classify/keyTable.ts'
import { allocatePeriod, type PeriodInput } from './allocatePeriod.ts'
import { MissingRate } from './money/convert.ts'
import { amountOf, roundTo } from './money/amount.ts'
import { cellsOf, roundCells } from './statements/cells.ts'
import { buildStatement } from './statements/statement.ts'
import { emptyRulebook, type CostCentre, type KeyFigures, type Pool, type PoolBase, type Rule } from './types.ts'

const CENTRES = ['10', '11', '12', '13']
const centre = (code: string, validTo: string | null = null): CostCentre => ({ code, name: code, unit: 'U', owner: '', ledgerAccount: '', validFrom: null, validTo })
const POOLS = ['P', 'Q']
const amount = fc.bigInt({ min: -(10n ** 14n), max: 10n ** 15n })
const key = fc.record({ provider: fc.constantFrom('A', 'B'), service: fc.constantFrom('m', 'n', 'o'), team: fc.constantFrom('x', 'y', 'z', 'w'), billed: amount, effective: amount })
const keys = fc.array(key, { maxLength: 25 }).map((all) => all.map(({ provider, service, team, billed, effective }, index): KeyFigures => ({
  id: index + 1, lines: 1, amounts: { billed, effective }, attributes: { ProviderName: provider, BillingCurrency: provider === 'A' ? 'USD' : 'EUR', ServiceName: service, 'tag:team': team },
})))
const outcome = fc.oneof(fc.record({ kind: fc.constant('costCentre' as const), code: fc.constantFrom(...CENTRES, 'gone') }), fc.record({ kind: fc.constant('pool' as const), code: fc.constantFrom(...POOLS) }))
const rules = fc.array(fc.record({ team: fc.constantFrom('x', 'y', 'z'), service: fc.option(fc.constantFrom('m', 'n')), outcome }), { maxLength: 6 }).map((all) => all.map(({ team, service, outcome: to }, index): Rule => ({
  id: String(index), name: `rule ${index}`, enabled: true, from: null, to: null, outcome: to,
  conditions: [{ field: 'tag:team', operator: 'is', values: [team] }, ...(service ? [{ field: 'ServiceName', operator: 'is' as const, values: [service] }] : [])],
})))
const base: fc.Arbitrary<PoolBase> = fc.constantFrom<PoolBase>({ kind: 'even' }, { kind: 'direct' }, { kind: 'fixed', percents: { '10': '33.3', '11': '66.7' } }, { kind: 'fixed', percents: { '10': '50' } })
const pools = fc.tuple(base, base, fc.subarray(CENTRES)).map(([first, second, recipients]): Pool[] => [{ code: 'P', name: 'Pool P', base: first, recipients }, { code: 'Q', name: 'Pool Q', base: second, recipients: [] }])
const period = fc.record({ keys, rules, pools }).map(({ keys: all, rules: ordered, pools: shared }): PeriodInput => ({
  month: '2026-05', table: new KeyTable(all), centres: [...CENTRES.slice(0, 3).map((code) => centre(code)), centre('13', '2026-01')],
  rulebook: { ...emptyRulebook(), rules: ordered, pools: shared }, rates: new Map([['USD', amountOf('0.8715')], ['EUR', amountOf('1')]]), drivers: new Map(),
}))

describe('allocating a month', () => {
  test('every 10^-10 of every stream ends with a payer, held or unassigned', () => {
    fc.assert(fc.property(period, (input) => {
      const cells = cellsOf(allocatePeriod(input).result)
      for (const provider of ['A', 'B']) {
        for (const basis of ['billed', 'effective'] as const) {
          const billed = input.table.keys.filter(({ attributes }) => attributes.ProviderName === provider).reduce((sum, { amounts }) => sum + amounts[basis], 0n)
          expect(cells.filter((cell) => cell.provider === provider).reduce((sum, { amounts }) => sum + amounts[basis], 0n)).toBe(billed)
        }
      }
    }), { numRuns: 300 })
  })
  test('the order in which keys arrive changes nothing', () => {
    fc.assert(fc.property(period, fc.integer(), (input, seed) => {
      const shuffled = [...input.table.keys].sort((a, b) => ((a.id * 7919 + seed) % 101) - ((b.id * 7919 + seed) % 101))
      expect(cellsOf(allocatePeriod({ ...input, table: new KeyTable(shuffled) }).result)).toEqual(cellsOf(allocatePeriod(input).result))
    }))
  })
  test('rounded statements of a month add up to the rounded total of each provider', () => {
    fc.assert(fc.property(period, fc.constantFrom('EUR', 'JPY', 'KWD'), (input, currency) => {
      const digits = { EUR: 2, JPY: 0, KWD: 3 }[currency]!
      const rounded = roundCells(cellsOf(allocatePeriod(input).result), 'effective', input.rates, currency)
      for (const provider of ['A', 'B']) {
        const own = rounded.filter((cell) => cell.provider === provider)
        const exact = own.reduce((sum, cell) => sum + cell.exact, 0n)
        expect(own.reduce((sum, cell) => sum + cell.rounded, 0n)).toBe(roundTo(exact, digits, 20))
      }
      const total = CENTRES.map((code) => buildStatement(rounded.filter(({ costCentre }) => costCentre === code), [], new Map()).total.amount).reduce((sum, one) => sum + one, 0n)
      expect(total).toBe(rounded.filter(({ costCentre }) => costCentre !== '').reduce((sum, cell) => sum + cell.rounded, 0n))
    }))
  })
  test('money sent to a retired or unknown cost centre stays unassigned, and the rule is named', () => {
    const charge: KeyFigures = { id: 1, lines: 1, amounts: { billed: 5n, effective: 5n }, attributes: { ProviderName: 'A', BillingCurrency: 'EUR', 'tag:team': 'x' } }
    const to = (code: string): Rule => ({ id: code, name: `to ${code}`, enabled: true, from: null, to: null, conditions: [{ field: 'tag:team', operator: 'is', values: ['x'] }], outcome: { kind: 'costCentre', code } })
    const run = (code: string) => allocatePeriod({ month: '2026-05', table: new KeyTable([charge]), centres: [centre('13', '2026-01')], rulebook: { ...emptyRulebook(), chargedBasis: 'billed', rules: [to(code)], pools: [] }, rates: new Map([['EUR', 1n]]), drivers: new Map() })
    expect(run('13').problems).toMatchObject([{ code: 'RULE_TARGET_RETIRED', subject: 'to 13' }])
    expect(run('99').problems).toMatchObject([{ code: 'RULE_TARGET_UNKNOWN', subject: 'to 99' }])
    expect(run('13').result.outcomes[0]!.way.kind).toBe('unassigned')
  })
  test('a pool without a base is held with the reason, never shared evenly', () => {
    const charge: KeyFigures = { id: 1, lines: 1, amounts: { billed: 7n, effective: 7n }, attributes: { ProviderName: 'A', BillingCurrency: 'EUR' } }
    const all: Rule = { id: 'r', name: 'r', enabled: true, from: null, to: null, conditions: [{ field: 'tag:team', operator: 'absent', values: [] }], outcome: { kind: 'pool', code: 'P' } }
    const { result, problems } = allocatePeriod({ month: '2026-05', table: new KeyTable([charge]), centres: [centre('10')], rulebook: { ...emptyRulebook(), chargedBasis: 'billed', rules: [all], pools: [{ code: 'P', name: 'P', base: { kind: 'direct' }, recipients: [] }] }, rates: new Map([['EUR', 10n ** 10n]]), drivers: new Map() })
    expect(problems).toMatchObject([{ code: 'POOL_BASE_ZERO', subject: 'P' }])
    expect(result.conservation.find(({ basis }) => basis === 'billed')).toMatchObject({ total: 7n, charged: 0n, held: 7n, unassigned: 0n })
  })
  test('a missing rate is an error by name, not a rate of 1', () => {
    const charge: KeyFigures = { id: 1, lines: 1, amounts: { billed: 7n, effective: 7n }, attributes: { ProviderName: 'A', BillingCurrency: 'GBP', 'tag:team': 'x' } }
    const direct: Rule = { id: 'r', name: 'r', enabled: true, from: null, to: null, conditions: [{ field: 'tag:team', operator: 'present', values: [] }], outcome: { kind: 'costCentre', code: '10' } }
    expect(() => allocatePeriod({ month: '2026-05', table: new KeyTable([charge]), centres: [centre('10')], rulebook: { ...emptyRulebook(), chargedBasis: 'billed', rules: [direct], pools: [{ code: 'P', name: 'P', base: { kind: 'direct' }, recipients: [] }] }, rates: new Map(), drivers: new Map() })).toThrow(new MissingRate('GBP'))
  })
})

describe('drivers that measurement makes', () => {
  test('a pool is shared by what workloads of a cluster cost their cost centres; idle and serving do not count', () => {
    const part = (id: number, use: string, effective: bigint, team = ''): KeyFigures => ({ id, lines: 1, amounts: { billed: effective, effective }, attributes: { ProviderName: 'P', BillingCurrency: 'EUR', Cluster: 'heron', ClusterUse: use, ServiceName: 'Cluster heron', ...(team ? { 'tag:team': team } : {}) } })
    const rule = (team: string, to: Rule['outcome']): Rule => ({ id: team, name: team, enabled: true, from: null, to: null, conditions: [{ field: 'tag:team', operator: 'is', values: [team] }], outcome: to })
    const { result, problems } = allocatePeriod({
      month: '2026-05', table: new KeyTable([part(1, 'workload', 300n, 'a'), part(2, 'workload', 100n, 'b'), part(3, 'serving', 900n, 'b'), part(4, 'idle', 400n, 'pool')]), centres: [centre('10'), centre('20')], rates: new Map([['EUR', 10n ** 10n]]), drivers: new Map(),
      rulebook: { ...emptyRulebook(), rules: [rule('a', { kind: 'costCentre', code: '10' }), rule('b', { kind: 'costCentre', code: '20' }), rule('pool', { kind: 'pool', code: 'X' })], pools: [{ code: 'X', name: 'X', base: { kind: 'driver', driver: 'cluster:heron' }, recipients: [] }] },
    })
    expect(problems).toEqual([])
    expect(result.shares.map(({ costCentre, amounts }) => [costCentre, amounts.effective])).toEqual([['10', 300n], ['20', 100n]])
  })
  test('a pool is shared by what pods took: minutes run, processor time and memory held, a split workload by its per cent', () => {
    const hour = 600n
    const part = (id: number, team: string, taken: KeyFigures['taken']): KeyFigures => ({ id, lines: 1, amounts: { billed: 1_000n, effective: 1_000n }, ...(taken && { taken }), attributes: { ProviderName: 'P', BillingCurrency: 'EUR', Cluster: 'heron', ClusterUse: taken ? 'workload' : 'idle', 'tag:team': team } })
    const rule = (team: string, to: Rule['outcome']): Rule => ({ id: team, name: team, enabled: true, from: null, to: null, conditions: [{ field: 'tag:team', operator: 'is', values: [team] }], outcome: to })
    // team a: two pods for an hour, half a core and 3 MB each; b: one pod for 8 hours, 2 cores, 1 MB, split 25 to 75; c: 6 hours for the pool Y
    const keys = [part(1, 'a', { ticks: 2n * hour, cpu: 1_000_000n * hour, memory: 6_000_000n * hour, gpu: 0n }), part(2, 'b', { ticks: 8n * hour, cpu: 16_000_000n * hour, memory: 8_000_000n * hour, gpu: 8n * hour }), part(3, 'c', { ticks: 6n * hour, cpu: 0n, memory: 0n, gpu: 0n }), part(4, 'pool', undefined)]
    const weightsBy = (driver: string): [string, bigint][] => allocatePeriod({
      month: '2026-05', table: new KeyTable(keys), centres: [centre('10'), centre('20')], rates: new Map([['EUR', 10n ** 10n]]), drivers: new Map(),
      rulebook: {
        ...emptyRulebook(), poolMethod: 'reciprocal', rules: [rule('a', { kind: 'costCentre', code: '10' }), rule('b', { kind: 'split', percents: { 10: '25', 20: '75' } }), rule('c', { kind: 'pool', code: 'Y' }), rule('pool', { kind: 'pool', code: 'X' })],
        pools: [{ code: 'X', name: 'X', base: { kind: 'driver', driver }, recipients: [] }, { code: 'Y', name: 'Y', base: { kind: 'even' }, recipients: [] }],
      },
    }).result.shares.filter(({ pool }) => pool === 'X').map(({ costCentre, weight }) => [costCentre, weight / 10n ** 10n])
    expect(weightsBy('pods:heron')).toEqual([['10', 240n], ['20', 360n]])
    expect(weightsBy('cores:heron')).toEqual([['10', 60n + 240n], ['20', 720n]])
    expect(weightsBy('memory:heron')).toEqual([['10', 360n + 120n], ['20', 360n]])
    expect(weightsBy('graphics:heron')).toEqual([['10', 120n], ['20', 360n]])
    expect(weightsBy('pods:plover')).toEqual([])
  })
  test('a quantity of a retired cost centre or of an unknown pool is told, and the pool is shared without it', () => {
    const charge: KeyFigures = { id: 1, lines: 1, amounts: { billed: 100n, effective: 100n }, attributes: { ProviderName: 'P', BillingCurrency: 'EUR' } }
    const { result, problems } = allocatePeriod({
      month: '2026-05', table: new KeyTable([charge]), centres: [centre('10'), centre('13', '2026-01')], rates: new Map([['EUR', 10n ** 10n]]), drivers: new Map([['D', new Map([['10', 1n], ['13', 5n], ['pool:GONE', 4n], ['14', 0n]])]]),
      rulebook: { ...emptyRulebook(), rules: [{ id: 'r', name: 'r', enabled: true, from: null, to: null, conditions: [{ field: 'ProviderName', operator: 'is', values: ['P'] }], outcome: { kind: 'pool', code: 'X' } }], pools: [{ code: 'X', name: 'X', base: { kind: 'driver', driver: 'D' }, recipients: [] }] },
    })
    expect(result.shares.map(({ costCentre, amounts }) => [costCentre, amounts.effective])).toEqual([['10', 100n]])
    expect(problems.map(({ code, message }) => [code, message.slice(0, 60)])).toEqual([['DRIVER_TARGET', 'The driver D has a quantity for 13, which does not hold in t'], ['DRIVER_TARGET', 'The driver D has a quantity for pool:GONE, which is no cost ']])
  })
})

describe('whatever the organisation, nothing is lost', () => {
  const KINDS: Record<string, string>[] = [{ ChargeCategory: 'Usage' }, { ChargeCategory: 'Tax' }, { ChargeCategory: 'Credit' }, { ChargeCategory: 'Usage', CommitmentDiscountId: 'c', CommitmentDiscountStatus: 'Unused' }, { ChargeCategory: 'Usage', CommitmentDiscountId: 'c', CommitmentDiscountStatus: 'Used' }, { ChargeCategory: 'Purchase', ServiceSubcategory: 'Support' }]
  const money = fc.bigInt({ min: -(10n ** 14n), max: 10n ** 15n })
  const charges = fc.array(fc.record({ kind: fc.constantFrom(...KINDS), team: fc.constantFrom('a', 'b', 'c', 'd', ''), provider: fc.constantFrom('P', 'Q'), cluster: fc.constantFrom('', '', 'heron workload', 'heron idle', 'heron overhead', 'heron serving'), currency: fc.constantFrom('EUR', 'USD'), billed: money, effective: money }), { minLength: 1, maxLength: 40 })
  const code = fc.constantFrom('X', 'Y', 'Z')
  const way = fc.oneof(fc.constantFrom({ kind: 'rules' as const }, { kind: 'follow' as const }), code.map((pool) => ({ kind: 'pool' as const, code: pool })), fc.constantFrom({ kind: 'costCentre' as const, code: '10' }, { kind: 'costCentre' as const, code: '99' }, { kind: 'aside' as const, reason: 'later' }))
  const clusterWay = fc.oneof(fc.constantFrom({ kind: 'rules' as const }, { kind: 'tenants' as const }), code.map((pool) => ({ kind: 'pool' as const, code: pool })))
  const weights = fc.dictionary(fc.constantFrom('10', '20', '99', 'pool:X', 'pool:Y', 'pool:Z'), fc.bigInt({ min: 0n, max: 50n }), { maxKeys: 5 })
  test('settings, clusters, pools in circles, currencies: cells add up to what was billed, by provider and currency', () => {
    fc.assert(fc.property(charges, fc.record({ tax: way, credit: way, commitmentUnused: way, support: way }), clusterWay, clusterWay, fc.tuple(weights, weights, weights), fc.constantFrom('direct' as const, 'stepDown' as const, 'reciprocal' as const), (list, special, idle, overhead, drivers, poolMethod) => {
      const keys = list.map(({ kind, team, provider, cluster, currency, billed, effective }, index): KeyFigures => {
        const [name, use] = cluster.split(' ')
        return { id: index + 1, lines: 1, amounts: { billed, effective }, attributes: { ...kind, ProviderName: provider, PublisherName: provider, BillingAccountId: 'x', SubAccountId: 's', ServiceName: 'M', BillingCurrency: currency, ...(team ? { 'tag:team': team } : {}), ...(name ? { Cluster: name, ClusterUse: use! } : {}) } }
      })
      const to = (team: string, outcome: Rule['outcome']): Rule => ({ id: team, name: team, enabled: true, from: null, to: null, conditions: [{ field: 'tag:team', operator: 'is', values: [team] }], outcome })
      const rulebook = {
        ...emptyRulebook(), special, poolMethod, clusters: [{ cluster: 'heron', weights: { cpu: '1', memory: '1', gpu: '1' }, systemNamespaces: [], overheadCharges: [], nodeCharges: [], idle, overhead }],
        rules: [to('a', { kind: 'costCentre', code: '10' }), to('b', { kind: 'pool', code: 'X' }), to('c', { kind: 'split', percents: { '10': '33.3', '20': '66.7' } })],
        pools: ['X', 'Y', 'Z'].map((pool) => ({ code: pool, name: pool, base: { kind: 'driver' as const, driver: pool }, recipients: [] })),
      }
      const { result } = allocatePeriod({ month: '2026-05', table: new KeyTable(keys), centres: [centre('10'), centre('20')], rulebook, rates: new Map([['EUR', 10n ** 10n], ['USD', 87n * 10n ** 8n]]), drivers: new Map(drivers.map((values, index) => ['XYZ'[index]!, new Map(Object.entries(values))])) })
      const cells = cellsOf(result)
      for (const provider of ['P', 'Q']) for (const currency of ['EUR', 'USD']) for (const basis of ['billed', 'effective'] as const) {
        const whole = keys.filter(({ attributes }) => attributes.ProviderName === provider && attributes.BillingCurrency === currency).reduce((sum, { amounts }) => sum + amounts[basis], 0n)
        expect(cells.filter((cell) => cell.provider === provider && cell.currency === currency).reduce((sum, { amounts }) => sum + amounts[basis], 0n)).toBe(whole)
      }
      expect(cells.every(({ kind, costCentre }) => (kind === 'direct' || kind === 'pool') === (costCentre === '10' || costCentre === '20'))).toBe(true)
    }), { numRuns: 200 })
  })
})
