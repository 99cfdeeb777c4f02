import { monthOfDay, monthsBetween } from '../../../core/calendar/month.ts'
import { flowsOf, trafficDrivers, type Flow, type FlowDay } from '../../../core/network/flows.ts'
import type { Queries } from '../../db/database.ts'
import { currentDays, readMeasuredDays } from '../intake/measuredDays.ts'

/** Days never change once they are there, so the flows of the months in hand are kept by the days that they are made of. */
const MOST_KEPT = 24
const kept = new Map<string, Promise<FlowDay[]>>()

async function flowDays(queries: Queries, month: string): Promise<FlowDay[]> {
  const ids = await currentDays(queries, 'flows', month)
  const name = ids.join(' ')
  const days = kept.get(name) ?? readMeasuredDays<FlowDay>(queries, ids)
  kept.delete(name)
  if (ids.length > 0) kept.set(name, days)
  days.catch(() => kept.delete(name))
  if (kept.size > MOST_KEPT) kept.delete(kept.keys().next().value!)
  return days
}

export interface Network { name: string; account: string; costCentre: string | null }

/** Networks and the cost centres that they belong to. */
export const networkCentres = async (queries: Queries): Promise<Map<string, string>> =>
  new Map((await queries.rows<{ name: string; centre: string }>('SELECT name, cost_centre AS centre FROM networks ORDER BY name')).map(({ name, centre }) => [name, centre]))

/** The drivers that the traffic of a month makes. */
export async function readTrafficDrivers(queries: Queries, month: string): Promise<Map<string, Map<string, bigint>>> {
  const [days, centres] = await Promise.all([flowDays(queries, month), networkCentres(queries)])
  return trafficDrivers(days, centres)
}

/** All flows of the months that a time touches. */
export async function readFlowsOf(queries: Queries, from: string, to: string): Promise<Flow[]> {
  const months = await Promise.all(monthsBetween(monthOfDay(from), monthOfDay(to)).map((month) => flowDays(queries, month)))
  return months.flatMap((days) => days.flatMap((day) => [...flowsOf(day)]))
}
