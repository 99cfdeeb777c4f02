import type { KeyTable } from '../classify/keyTable.ts'
import { apportion } from '../money/apportion.ts'
import { approximate } from '../money/amount.ts'
import { convert, type RateTable } from '../money/convert.ts'
import type { Basis, ClusterSetting } from '../types.ts'
import { settingOf, walkClusters, type ClusterUse, type DayPart, type Metered } from './expandClusters.ts'
import { capacityOf, GIBIBYTE, heldBy, measureOf, MICROCORES, RESOURCES, TICKS_AN_HOUR, type Measure, type MeterDay, type WorkloadName } from './meterDay.ts'
import { unitWeights } from './shareNode.ts'

/** What clusters can be looked at by, from the whole to the smallest; besides, `label:<key>`. */
export const CLUSTER_LEVELS = ['cluster', 'node', 'namespace', 'workload', 'pod'] as const
export type ClusterLevel = (typeof CLUSTER_LEVELS)[number] | `label:${string}`
export interface ClusterStep { level: ClusterLevel; value: string }

/** Money in 10^-20 of the reporting currency; quantities are for reading, not for sums: core hours, gibibyte hours, unit hours. */
export interface ClusterRow {
  value: string
  cost: bigint
  uses: Record<ClusterUse, bigint>
  cpu: { request: number; use: number; held: number; capacity: number }
  memory: { request: number; use: number; held: number; capacity: number }
  gpu: { request: number; capacity: number }
  /** use over what is held, weighted by price; null where nothing is held */
  efficiency: number | null
  days: Map<string, number>
}

interface Place { cluster: string; node: string; workload: WorkloadName | null; pod: string }

/** What a place is called on a level; empty where it has none there, such as idle cost among namespaces. */
function nameOn(level: ClusterLevel, { cluster, node, workload, pod }: Place): string {
  switch (level) {
    case 'cluster': return cluster
    case 'node': return node
    case 'namespace': return workload?.namespace ?? ''
    case 'workload': return workload ? `${workload.namespace}/${workload.name}` : ''
    case 'pod': return pod
    default: return workload?.labels[level.slice('label:'.length)] ?? ''
  }
}

/** The cost of metered clusters and what was asked for, used and idle in them, along a path of levels and by one more. */
export function viewClusters(table: KeyTable, metered: Metered, clusters: readonly ClusterSetting[], basis: Basis, rates: RateTable, path: readonly ClusterStep[], by: ClusterLevel): ClusterRow[] {
  const rows = new Map<string, ClusterRow & { weighted: { use: number; held: number } }>()
  const isWithin = (place: Place): boolean => path.every(({ level, value }) => nameOn(level, place) === value)
  const rowOf = (place: Place): NonNullable<ReturnType<typeof rows.get>> => {
    const value = nameOn(by, place)
    let row = rows.get(value)
    if (!row) rows.set(value, (row = { value, cost: 0n, uses: { workload: 0n, serving: 0n, idle: 0n, overhead: 0n, unmetered: 0n }, cpu: { request: 0, use: 0, held: 0, capacity: 0 }, memory: { request: 0, use: 0, held: 0, capacity: 0 }, gpu: { request: 0, capacity: 0 }, efficiency: null, days: new Map(), weighted: { use: 0, held: 0 } }))
    return row
  }
  walkPlaces(table, metered, clusters, basis, rates, [by, ...path.map(({ level }) => level)], (place, money) => {
    if (!isWithin(place)) return
    const row = rowOf(place)
    row.cost += money
    row.uses[place.use] += money
    row.days.set(place.day, (row.days.get(place.day) ?? 0) + approximate(money, 20))
  })
  for (const day of metered.days) addMeasures(day, settingOf(clusters, day.head.cluster), isWithin, rowOf)
  return [...rows.values()].map(({ weighted, ...row }) => ({ ...row, efficiency: weighted.held > 0 ? weighted.use / weighted.held : null }))
}

/** What each place costs that stands beside one on the path, level by level from its beginning; in the order in which `viewClusters` tells them. */
export function costsAlong(table: KeyTable, metered: Metered, clusters: readonly ClusterSetting[], basis: Basis, rates: RateTable, path: readonly ClusterStep[]): Map<string, bigint>[] {
  const levels = path.map(() => new Map<string, bigint>())
  walkPlaces(table, metered, clusters, basis, rates, path.map(({ level }) => level), (place, money) => {
    for (const [index, { level, value }] of path.entries()) {
      const name = nameOn(level, place)
      levels[index]!.set(name, (levels[index]!.get(name) ?? 0n) + money)
      if (name !== value) break
    }
  })
  return levels
}

/** Tells what each part costs, converted; divided over pods only where one of the levels is theirs. */
function walkPlaces(table: KeyTable, metered: Metered, clusters: readonly ClusterSetting[], basis: Basis, rates: RateTable, levels: readonly ClusterLevel[], tell: (place: DayPart & Place, money: bigint) => void): void {
  const needsPods = levels.includes('pod')
  const [currency, provider] = [table.column('BillingCurrency'), table.column('ProviderName')]
  walkClusters(table, metered, clusters, (part) => {
    const [code, of] = [currency.values[currency.codes[part.row]!]!, provider.values[provider.codes[part.row]!] ?? '']
    for (const { pod, amount } of needsPods ? podAmounts(part, basis, settingOf(clusters, part.cluster)) : [{ pod: '', amount: part.amounts[basis] }]) tell({ ...part, pod }, convert(amount, code, rates, of))
  })
}

/** A part divided over the pods of the workload on the node, by what each holds at the cluster's price weights. */
function podAmounts({ amounts, meterDay, meterRows }: DayPart, basis: Basis, setting: ClusterSetting): { pod: string; amount: bigint }[] {
  if (!meterDay || meterRows.length === 0) return [{ pod: '', amount: amounts[basis] }]
  const weights = unitWeights(setting.weights)
  const held = meterRows.map((row) => heldBy(meterDay, [row], setting.idle.kind === 'node'))
  const shares = apportion(amounts[basis], held.map((one) => RESOURCES.reduce((sum, resource) => sum + one[resource] * weights[resource], 0n)))
  return meterRows.map((row, index) => ({ pod: meterDay.head.pods[meterDay.columns.pod[row]!]!, amount: shares?.[index] ?? (index === 0 ? amounts[basis] : 0n) }))
}

/** Here exact becomes approximate: hours of resources are for reading. */
function addMeasures(day: MeterDay, { weights }: ClusterSetting, isWithin: (place: Place) => boolean, rowOf: (place: Place) => ClusterRow & { weighted: { use: number; held: number } }): void {
  const { head, columns, rows } = day
  const read = (measure: Measure, scale: number): ((row: number) => number) => { const column = measureOf(day, measure); return (row) => (column.wholes[row]! * 1e10 + column.fractions[row]!) / scale }
  const [cores, gibibytes, units] = [MICROCORES * TICKS_AN_HOUR, GIBIBYTE * TICKS_AN_HOUR, TICKS_AN_HOUR]
  const cpu = { request: read('cpuRequest', cores), use: read('cpuUse', cores), held: read('cpuHeld', cores) }
  const memory = { request: read('memoryRequest', gibibytes), use: read('memoryUse', gibibytes), held: read('memoryHeld', gibibytes) }
  const gpu = read('gpuRequest', units)
  for (let at = 0; at < rows; at++) {
    const place = { cluster: head.cluster, node: head.nodes[columns.node[at]!]!.name, workload: head.workloads[columns.workload[at]!]!, pod: head.pods[columns.pod[at]!]! }
    if (!isWithin(place)) continue
    const row = rowOf(place)
    for (const name of ['request', 'use', 'held'] as const) {
      row.cpu[name] += cpu[name](at)
      row.memory[name] += memory[name](at)
    }
    row.gpu.request += gpu(at)
    const price = (of: 'use' | 'held'): number => Number(weights.cpu) * cpu[of](at) + Number(weights.memory) * memory[of](at)
    row.weighted.held += price('held')
    row.weighted.use += Math.min(price('use'), price('held'))
  }
  for (const node of head.nodes) {
    const place = { cluster: head.cluster, node: node.name, workload: null, pod: '' }
    if (!isWithin(place)) continue
    const capacity = capacityOf(node)
    const row = rowOf(place)
    row.cpu.capacity += Number(capacity.cpu) / cores
    row.memory.capacity += Number(capacity.memory) / gibibytes
    row.gpu.capacity += Number(capacity.gpu) / units
  }
}
