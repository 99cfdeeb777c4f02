import { addDays, daysOf, firstDay, type Day, type Month } from '../core/calendar/month.ts'
import { noise } from './random.ts'
import { makePlan, makeResource, type Resource } from './resources.ts'
import { DEMO_DATE, FIRST_MONTH } from './scenario.ts'

const SEED = 5_150
const GIGABYTE = 1e9

/** Networks on Tarnhost with what they send a day, in gigabytes, to the world and to the shared map tiles. One is nobody's yet. */
export const NETWORKS: { name: string; account: string; centre: string | null; internet: number; tiles: number; growth: number }[] = [
  { name: 'portal-mirror', account: 'th-portal', centre: '2020', internet: 1_480, tiles: 20, growth: 1.4 },
  { name: 'portal-web', account: 'th-portal', centre: '2020', internet: 120, tiles: 240, growth: 1.15 },
  { name: 'harbour', account: 'th-marine', centre: '3010', internet: 45, tiles: 310, growth: 1.05 },
  { name: 'airfield', account: 'th-marine', centre: '3020', internet: 60, tiles: 280, growth: 1.05 },
  { name: 'duty', account: 'th-duty', centre: '1030', internet: 25, tiles: 90, growth: 1 },
  { name: 'platform', account: 'th-platform', centre: '9010', internet: 30, tiles: 5, growth: 1 },
  { name: 'guest', account: 'th-platform', centre: null, internet: 12, tiles: 0, growth: 1 },
]

export function networkExtras(): Resource[] {
  const owner = makePlan('9010', 'tarnhost', 'th-platform', 'shared', 'coast-1', {})
  return [
    { ...makeResource('network', 0, owner, 'EGRESS', { environment: 'prod' }), id: 'th-net-out', name: 'shared-gateway-out', quantity: 1_900, growth: 1.3 },
    { ...makeResource('database', 1, owner, 'TILES', { environment: 'prod' }), id: 'th-tiles', name: 'map-tiles', quantity: 24 },
  ]
}

const grown = (growth: number, day: Day): number => growth ** ((Date.parse(day) - Date.parse(firstDay(FIRST_MONTH))) / (365 * 86_400_000))

/** Bytes that a network sends on a day. */
export function bytesOn(index: number, side: 'internet' | 'tiles', day: Day): number {
  const network = NETWORKS[index]!
  return Math.round(network[side] * grown(network.growth, day) * (0.9 + 0.2 * noise(SEED + (side === 'tiles' ? 1 : 0), index, Date.parse(day) / 86_400_000)) * GIGABYTE)
}

export const flowDays = (month: Month): Day[] => daysOf(month).filter((day) => day <= addDays(DEMO_DATE, -1))

/** The text of a month's file of flows. */
export function* flowFile(month: Month): Generator<string> {
  yield 'Day,Source,Network,Account,Service,Bytes\n'
  for (const day of flowDays(month)) {
    yield NETWORKS.flatMap(({ name, account, tiles }, index) => [
      `${day},Tarnhost,${name},${account},internet,${bytesOn(index, 'internet', day)}\n`, ...(tiles > 0 ? [`${day},Tarnhost,${name},${account},map-tiles,${bytesOn(index, 'tiles', day)}\n`] : []),
    ]).join('')
  }
}
