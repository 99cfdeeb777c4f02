import { AmountColumns, type Column, type PackedTable } from '../packed/packedTable.ts'

export const RESOURCES = ['cpu', 'memory', 'gpu'] as const
/** Processor time, memory and graphics units: what a node has and pods hold. */
export type Resource = (typeof RESOURCES)[number]

/**
 * A quantity of each resource, in whole microcores, bytes and graphics units; where time is in it, multiplied by tenths
 * of a minute (600 to the hour).
 */
export type Quantities = Record<Resource, bigint>
export const quantities = (of: (resource: Resource) => bigint): Quantities => ({ cpu: of('cpu'), memory: of('memory'), gpu: of('gpu') })

export const TICKS_AN_HOUR = 600
export const MICROCORES = 1_000_000
export const GIBIBYTE = 2 ** 30

export interface WorkloadName { namespace: string; kind: string; name: string; labels: Record<string, string> }

/** A node on one day; capacity times time as texts of whole numbers. */
export interface MeterNode { name: string; resourceId: string; ticks: number; capacity: Record<Resource, string> }

/** A billed resource that serves workloads, such as a volume, a load balancer or a gateway, and how much of it each took on the day. */
export interface ServedResource { resourceId: string; kind: string; shares: { workload: number; quantity: string }[] }

export interface MeterHead {
  cluster: string
  /** UTC day, `YYYY-MM-DD` */
  day: string
  nodes: MeterNode[]
  workloads: WorkloadName[]
  pods: string[]
  served: ServedResource[]
}

/**
 * Of a pod on a node on one day, in resource units times time: asked for, used, and held, which is the larger of the two hour by
 * hour, scaled down where the node had less; and its part of the idle rest of each hour, for clusters that give idle to holders.
 */
export const MEASURES = ['cpuRequest', 'cpuUse', 'cpuHeld', 'cpuIdle', 'memoryRequest', 'memoryUse', 'memoryHeld', 'memoryIdle', 'gpuRequest', 'gpuHeld', 'gpuIdle'] as const
export type Measure = (typeof MEASURES)[number]

/** What was metered of a cluster on a day: a row for each pod on each node, in the order of node, workload and pod (numbers into the head). */
export type MeterDay = PackedTable<'node' | 'workload' | 'pod' | 'ticks' | Measure | `${Measure}Fraction`, MeterHead>

export const measureOf = ({ columns }: MeterDay, measure: Measure): AmountColumns => new AmountColumns(columns[measure] as Float64Array, columns[`${measure}Fraction`] as Float64Array)

export function emptyMeterDay(head: MeterHead, rows: number): MeterDay {
  const columns: Record<string, Column> = { node: new Uint32Array(rows), workload: new Uint32Array(rows), pod: new Uint32Array(rows), ticks: new Float64Array(rows) }
  for (const measure of MEASURES) {
    columns[measure] = new Float64Array(rows)
    columns[`${measure}Fraction`] = new Float64Array(rows)
  }
  return { rows, head, columns: columns as MeterDay['columns'] }
}

export const capacityOf = ({ capacity }: MeterNode): Quantities => quantities((resource) => BigInt(capacity[resource]))

/** The rows of each node, as the first and one past the last. */
export function rowsOfNodes({ rows, head, columns }: MeterDay): { from: number; to: number }[] {
  const ranges = head.nodes.map(() => ({ from: 0, to: 0 }))
  for (let row = 0; row < rows; row++) {
    const range = ranges[columns.node[row]!]!
    if (range.to === 0) range.from = row
    range.to = row + 1
  }
  return ranges
}

/** What some rows hold together; with their part of the idle rest, where wanted. */
export function heldBy(day: MeterDay, rows: Iterable<number>, withIdle = false): Quantities {
  const sum = { cpu: 0n, memory: 0n, gpu: 0n }
  const columns = RESOURCES.map((resource) => ({ resource, held: measureOf(day, `${resource}Held`), idle: measureOf(day, `${resource}Idle`) }))
  for (const row of rows) for (const { resource, held, idle } of columns) sum[resource] += held.at(row) + (withIdle ? idle.at(row) : 0n)
  return sum
}
