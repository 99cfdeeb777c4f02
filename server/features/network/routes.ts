import { Type } from 'typebox'
import { monthOfDay, monthsBetween } from '../../../core/calendar/month.ts'
import { minorDigits } from '../../../core/money/currency.ts'
import { formatAmount } from '../../../core/money/amount.ts'
import { trafficBy, TRAFFIC_SIDES, type PoolCharge, type TrafficSide } from '../../../core/network/traffic.ts'
import { TRAFFIC } from '../../../core/network/flows.ts'
import { driversOfBase } from '../../../core/pools/distribute.ts'
import type { Basis as CostBasis } from '../../../core/types.ts'
import type { App } from '../../app.ts'
import { audit } from '../../audit.ts'
import { writeTable } from '../../csvTable.ts'
import type { Database } from '../../db/database.ts'
import { conflict, invalid } from '../../refusal.ts'
import { reportingCurrency } from '../../settingsTable.ts'
import { KEEPERS, STAFF, viewerOf } from '../../viewer.ts'
import { latestRun, roundedCells } from '../allocation/store.ts'
import { readCentres } from '../organisation/store.ts'
import { rulebookVersion } from '../rulebook/store.ts'
import { Basis } from '../schemas.ts'
import { networkCentres, readFlowsOf, type Network } from './store.ts'

export interface TrafficLine { name: string; bytes: number; amount: string; services: Record<string, { bytes: number; amount: string }>; days: Record<string, number> }
export interface TrafficView { currency: string; services: string[]; rows: TrafficLine[]; days: string[]; total: string; networks: Network[]; /** pools by the service whose traffic shares them */ pools: Record<string, string[]> }

const Day = Type.String({ pattern: '^\\d{4}-\\d{2}-\\d{2}$' })
const Query = Type.Object({ from: Day, to: Day, by: Type.Enum([...TRAFFIC_SIDES]), basis: Basis })

/** What cost centres were charged of pools that traffic shares, month by month; months without a run have no money yet. */
async function poolCharges(database: Database, months: readonly string[], basis: CostBasis): Promise<{ charges: PoolCharge[]; pools: Record<string, string[]> }> {
  const charges: PoolCharge[] = []
  const pools = new Map<string, Set<string>>()
  for (const month of months) {
    const run = await latestRun(database, month)
    if (!run) continue
    const rulebook = (await rulebookVersion(database, run.version))?.rulebook
    for (const pool of rulebook?.pools ?? []) {
      // a pool of several bases is not traffic's alone: its money is not told by traffic
      const [driver] = pool.base.kind === 'driver' ? driversOfBase(pool).filter((code) => code.startsWith(TRAFFIC)) : []
      if (driver === undefined) continue
      const names = pools.get(driver.slice(TRAFFIC.length)) ?? new Set<string>()
      pools.set(driver.slice(TRAFFIC.length), names.add(pool.name))
      const sums = new Map<string, bigint>()
      for (const cell of await roundedCells(database, run.id, basis)) if (cell.kind === 'pool' && cell.line === pool.code) sums.set(cell.costCentre, (sums.get(cell.costCentre) ?? 0n) + cell.rounded)
      for (const [costCentre, amount] of sums) charges.push({ month, costCentre, driver, amount })
    }
  }
  return { charges, pools: Object.fromEntries([...pools].map(([service, names]) => [service, [...names]])) }
}

async function trafficView(database: Database, { from, to, by, basis }: { from: string; to: string; by: TrafficSide; basis: CostBasis }): Promise<TrafficView> {
  if (from > to) throw invalid('The time ends before it begins.')
  const months = monthsBetween(monthOfDay(from), monthOfDay(to))
  if (months.length > 36) throw invalid('Choose a time of at most three years.')
  const [flows, centres, { charges, pools }, currency] = await Promise.all([readFlowsOf(database, from, to), networkCentres(database), poolCharges(database, months, basis), reportingCurrency(database)])
  const digits = minorDigits(currency)
  const show = (minor: bigint): string => formatAmount(minor, digits, digits)
  const rows = trafficBy(by, flows, charges, centres, from, to)
  const known = new Map(flows.map(({ network, account }) => [network, account]))
  return {
    currency, pools, total: show(rows.reduce((sum, { amount }) => sum + amount, 0n)),
    services: [...new Set(rows.flatMap(({ services }) => [...services.keys()]))].sort(), days: [...new Set(rows.flatMap(({ days }) => [...days.keys()]))].sort(),
    rows: rows.map(({ name, bytes, amount, services, days }) => ({ name, bytes, amount: show(amount), services: Object.fromEntries([...services].map(([service, of]) => [service, { bytes: of.bytes, amount: show(of.amount) }])), days: Object.fromEntries(days) })),
    networks: [...known].sort(([a], [b]) => (a < b ? -1 : 1)).map(([name, account]) => ({ name, account, costCentre: centres.get(name) ?? null })),
  }
}

/** Measured traffic of networks, and what it costs where pools are shared by it. */
export function networkRoutes(app: App): void {
  const { database } = app
  app.get('/api/network', { config: { roles: STAFF }, schema: { querystring: Query } }, ({ query }) => trafficView(database, query))

  app.get('/api/network.csv', { config: { roles: STAFF }, schema: { querystring: Query } }, async ({ query }, reply) => {
    const view = await trafficView(database, query)
    reply.header('content-disposition', `attachment; filename="traffic-${query.from}-${query.to}-by-${query.by}.csv"`).type('text/csv; charset=utf-8')
    const head = [query.by, 'bytes', `amount ${view.currency}`, ...view.services.flatMap((service) => [`bytes to ${service}`, `amount for ${service}`])]
    return writeTable(head, view.rows.map(({ name, bytes, amount, services }) => [name || 'nobody', String(bytes), amount, ...view.services.flatMap((service) => [String(services[service]?.bytes ?? 0), services[service]?.amount ?? ''])]))
  })

  app.put('/api/networks/:name', {
    config: { roles: KEEPERS }, schema: { params: Type.Object({ name: Type.String({ minLength: 1, maxLength: 200 }) }), body: Type.Object({ costCentre: Type.Union([Type.String({ maxLength: 32 }), Type.Null()]) }) },
  }, async (request) => {
    const { params: { name }, body: { costCentre } } = request
    if (costCentre !== null && !(await readCentres(database)).some(({ code }) => code === costCentre)) throw conflict(`There is no cost centre ${costCentre}.`)
    if (costCentre === null) await database.run('DELETE FROM networks WHERE name = ?', [name])
    else await database.run('INSERT INTO networks (name, cost_centre) VALUES (?, ?) ON DUPLICATE KEY UPDATE cost_centre = VALUES(cost_centre)', [name, costCentre])
    await audit(database, viewerOf(request).name, 'network given', name, { costCentre })
    return { name, costCentre }
  })
}
