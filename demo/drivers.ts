import { monthsBetween, type Month } from '../core/calendar/month.ts'
import { FIRST_MONTH, LAST_MONTH } from './scenario.ts'

/** The drivers of the two pools that serve each other: log keeping keeps the logs of the clusters, and runs on them. */
export const DRIVERS = [
  { code: 'LOG-VOLUME', name: 'Volume of logs kept', unit: 'GB' },
  { code: 'NODE-HOURS', name: 'Hours of cluster nodes', unit: 'hours' },
]

const VOLUME: Record<string, number> = { '1020': 130, '2010': 420, '4020': 160, '9010': 90, 'pool:CLUSTERS': 200 }
const HOURS: Record<string, number> = { '1010': 3_900, '1020': 1_400, '2010': 2_100, '3010': 900, '3020': 1_000, '4010': 500, '4020': 300, '5010': 260, '5020': 800, 'pool:LOGS': 640 }

export interface DriverQuantity { driver: string; month: Month; target: string; quantity: string }

/** Quantities of every month; logs grow by one in a hundred a month. */
export function driverQuantities(): DriverQuantity[] {
  return monthsBetween(FIRST_MONTH, LAST_MONTH).flatMap((month, index) => [
    ...Object.entries(VOLUME).map(([target, quantity]) => ({ driver: 'LOG-VOLUME', month, target, quantity: String(quantity * (100 + index) / 100) })),
    ...Object.entries(HOURS).map(([target, quantity]) => ({ driver: 'NODE-HOURS', month, target, quantity: String(quantity) })),
  ])
}
