import { amountOf, formatAmount } from '../../../core/money/amount.ts'
import { driversOfCluster } from '../../../core/kubernetes/clusterDrivers.ts'
import { driverName, driversOfBase } from '../../../core/pools/distribute.ts'
import type { Drivers, Rulebook } from '../../../core/types.ts'
import type { Queries } from '../../db/database.ts'
import { readTrafficDrivers } from '../network/store.ts'

export interface Driver { code: string; name: string; unit: string }
/** Quantity of a driver in a month, as an exact decimal, by cost centre or `pool:<code>`. */
export interface DriverValue { driver: string; month: string; target: string; quantity: string }

export const listDrivers = (queries: Queries): Promise<Driver[]> => queries.rows<Driver>('SELECT code, name, unit FROM drivers ORDER BY code')

export async function listValues(queries: Queries, month: string): Promise<DriverValue[]> {
  const rows = await queries.rows<DriverValue>('SELECT driver, month, target, quantity FROM driver_values WHERE month = ? ORDER BY driver, target', [month])
  return rows.map((row) => ({ ...row, quantity: formatAmount(amountOf(row.quantity)) }))
}

/** The quantities of a month as a run needs them: those that were typed or loaded, and those that traffic makes. */
export async function readDrivers(queries: Queries, month: string): Promise<Drivers> {
  const [values, traffic] = await Promise.all([listValues(queries, month), readTrafficDrivers(queries, month)])
  return new Map([...driversOf(values), ...traffic])
}

/** The drivers that measurements of the month make, to choose from beside the others. */
export const measuredDrivers = async (queries: Queries, month: string): Promise<Driver[]> =>
  [
    ...[...(await readTrafficDrivers(queries, month)).keys()].sort().map((code) => ({ code, name: driverName(code), unit: 'bytes' })),
    ...(await queries.rows<{ subject: string }>("SELECT DISTINCT subject FROM measured_days WHERE kind = 'metering' AND state = 'current' AND day BETWEEN ? AND LAST_DAY(?) ORDER BY subject", [`${month}-01`, `${month}-01`])).flatMap(({ subject }) => driversOfCluster(subject)).map((code) => ({ code, name: driverName(code), unit: '' })),
  ]

export function driversOf(values: readonly Pick<DriverValue, 'driver' | 'target' | 'quantity'>[]): Drivers {
  const drivers = new Map<string, Map<string, bigint>>()
  for (const { driver, target, quantity } of values) {
    if (!drivers.has(driver)) drivers.set(driver, new Map())
    drivers.get(driver)!.set(target, amountOf(quantity))
  }
  return drivers
}

/** Those that the pools of a rulebook are shared by: the rest does not move money. */
export function usedDrivers(drivers: Drivers, { pools }: Rulebook): Drivers {
  const used = new Set(pools.flatMap(driversOfBase))
  return new Map([...drivers].filter(([code]) => used.has(code)))
}

/** Drivers as plain values, in a stable order: what a run keeps and what its hash is made of. */
export const plainDrivers = (drivers: Drivers): Pick<DriverValue, 'driver' | 'target' | 'quantity'>[] =>
  [...drivers].sort(([a], [b]) => (a < b ? -1 : 1)).flatMap(([driver, values]) => [...values].sort(([a], [b]) => (a < b ? -1 : 1)).map(([target, quantity]) => ({ driver, target, quantity: formatAmount(quantity) })))

export const saveDriver = (queries: Queries, { code, name, unit }: Driver): Promise<unknown> =>
  queries.run('INSERT INTO drivers (code, name, unit) VALUES (?) ON DUPLICATE KEY UPDATE name = VALUES(name), unit = VALUES(unit)', [[code, name, unit]])

/** Replaces the quantities of a driver in a month. */
export async function saveValues(queries: Queries, driver: string, month: string, values: Record<string, string>): Promise<void> {
  await queries.run('DELETE FROM driver_values WHERE driver = ? AND month = ?', [driver, month])
  await queries.insert('INSERT INTO driver_values (driver, month, target, quantity) VALUES ?', Object.entries(values).map(([target, quantity]) => [driver, month, target, quantity]))
}
