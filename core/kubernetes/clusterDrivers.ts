import type { KeyTable } from '../classify/keyTable.ts'
import { HUNDRED } from '../money/percents.ts'
import type { Amounts, KeyFigures, Taken } from '../types.ts'

/**
 * What a pool can be shared by that the metering of a cluster tells of its workloads, in 10^-10 of the unit: minutes are exact
 * where hours would not be, since metering counts tenths of a minute. Processor time and memory are what was held, the larger of
 * request and use hour by hour.
 */
const MEASURES = {
  cluster: { words: 'what workloads of cluster', verb: 'cost', unit: '', of: null },
  pods: { words: 'how long pods of cluster', verb: 'ran', unit: 'pod minutes', of: ({ ticks }: Taken) => ticks * 1_000_000_000n },
  cores: { words: 'the processor time that pods of cluster', verb: 'held', unit: 'core minutes', of: ({ cpu }: Taken) => cpu * 1_000n },
  memory: { words: 'the memory that pods of cluster', verb: 'held', unit: 'megabyte minutes', of: ({ memory }: Taken) => memory * 1_000n },
  graphics: { words: 'the graphics units that pods of cluster', verb: 'held', unit: 'unit minutes', of: ({ gpu }: Taken) => gpu * 1_000_000_000n },
} as const
type ClusterMeasure = keyof typeof MEASURES

/** A row of the table, or `percent` (in 10^-10 per cent) of it, and the way that it goes. */
interface Sent<Way> { row: number; key: KeyFigures; way: Way; amounts: Amounts; percent: bigint }

const measureOf = (driver: string): { measure: ClusterMeasure; cluster: string } | null => {
  const [measure, ...name] = driver.split(':')
  return name.length > 0 && Object.hasOwn(MEASURES, measure!) ? { measure: measure as ClusterMeasure, cluster: name.join(':') } : null
}

/** The drivers that the metering of a cluster makes, to choose from. */
export const driversOfCluster = (cluster: string): string[] => Object.keys(MEASURES).map((measure) => `${measure}:${cluster}`)

/** As in "by ...", or null for other drivers. */
export function clusterDriverName(driver: string): string | null {
  const found = measureOf(driver)
  if (!found) return null
  const { words, verb, unit } = MEASURES[found.measure]
  return `${words} ${found.cluster} ${verb}${unit ? `, in ${unit}` : ''}`
}

/**
 * The quantities of some cluster drivers, by the cost centre or `pool:<code>` that workloads go to. A part of a workload that is
 * split counts by its per cent. Idle and overhead count for nobody; cost is in 10^-10 of the billing currency, credits left out.
 */
export function clusterDrivers<Way>(table: KeyTable, outcomes: readonly Sent<Way>[], wanted: ReadonlySet<string>, targetOf: (way: Way) => string | null): Map<string, Map<string, bigint>> {
  const drivers = new Map<string, Map<string, bigint>>()
  const asked = [...wanted].flatMap((driver) => { const found = measureOf(driver); return found ? [{ driver, ...found, values: new Map<string, bigint>() }] : [] })
  if (asked.length === 0) return drivers
  const [cluster, use] = [table.column('Cluster'), table.column('ClusterUse')]
  const isWorkload = use.codeOf.get('workload')
  for (const { row, way, key, amounts, percent } of outcomes) {
    if (use.codes[row] !== isWorkload) continue
    const target = targetOf(way)
    if (target === null) continue
    for (const { cluster: name, measure, values } of asked) {
      if (cluster.values[cluster.codes[row]!] !== name) continue
      const { of } = MEASURES[measure]
      const quantity = of === null ? amounts.effective : key.taken ? (of(key.taken) * percent) / HUNDRED : 0n
      if (quantity > 0n) values.set(target, (values.get(target) ?? 0n) + quantity)
    }
  }
  for (const { driver, values } of asked) if (values.size > 0) drivers.set(driver, values)
  return drivers
}
