import { monthOfDay } from '../calendar/month.ts'
import { apportion } from '../money/apportion.ts'
import { trafficDriver, type Flow } from './flows.ts'

export const TRAFFIC_SIDES = ['network', 'service', 'costCentre', 'account'] as const
/** What traffic is added up by. */
export type TrafficSide = (typeof TRAFFIC_SIDES)[number]

/** What one cost centre was charged of one pool in a month, in minor units, and the driver that the pool is shared by. */
export interface PoolCharge { month: string; costCentre: string; driver: string; amount: bigint }

export interface TrafficRow {
  name: string
  bytes: number
  /** by service */
  services: Map<string, { bytes: number; amount: bigint }>
  /** minor units */
  amount: bigint
  days: Map<string, number>
}

/**
 * Traffic of a time by one side of it, with its money: what a cost centre was charged of a pool for the month is divided over the
 * days and networks that sent for it, by their bytes, to the last minor unit.
 */
export function trafficBy(side: TrafficSide, flows: readonly Flow[], charges: readonly PoolCharge[], centreOf: ReadonlyMap<string, string>, from: string, to: string): TrafficRow[] {
  const rows = new Map<string, TrafficRow>()
  const money = moneyOf(flows, charges, centreOf)
  flows.forEach((flow, index) => {
    if (flow.day < from || flow.day > to) return
    const name = { network: flow.network, service: flow.service, costCentre: centreOf.get(flow.network) ?? '', account: flow.account }[side]
    const row = rows.get(name) ?? { name, bytes: 0, services: new Map(), amount: 0n, days: new Map() }
    rows.set(name, row)
    const service = row.services.get(flow.service) ?? { bytes: 0, amount: 0n }
    row.services.set(flow.service, service)
    row.bytes += flow.bytes
    service.bytes += flow.bytes
    row.amount += money[index]!
    service.amount += money[index]!
    row.days.set(flow.day, (row.days.get(flow.day) ?? 0) + flow.bytes)
  })
  return [...rows.values()].sort((a, b) => b.bytes - a.bytes || (a.name < b.name ? -1 : 1))
}

/** What each flow cost: its part of what its cost centre was charged for that service in the month. */
function moneyOf(flows: readonly Flow[], charges: readonly PoolCharge[], centreOf: ReadonlyMap<string, string>): bigint[] {
  const money = flows.map(() => 0n)
  const groups = new Map<string, number[]>()
  flows.forEach(({ day, network, service }, index) => {
    const centre = centreOf.get(network)
    if (centre === undefined) return
    const name = `${monthOfDay(day)}\u0000${centre}\u0000${trafficDriver(service)}`
    const group = groups.get(name)
    if (group) group.push(index)
    else groups.set(name, [index])
  })
  for (const { month, costCentre, driver, amount } of charges) {
    const group = groups.get(`${month}\u0000${costCentre}\u0000${driver}`) ?? []
    apportion(amount, group.map((index) => BigInt(flows[index]!.bytes)))?.forEach((part, at) => { money[group[at]!]! += part })
  }
  return money
}
