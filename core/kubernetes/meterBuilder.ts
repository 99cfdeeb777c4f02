import { ExactSums } from '../charges/exactSums.ts'
import { emptyMeterDay, MEASURES, measureOf, RESOURCES, type Measure, type MeterDay, type Resource, type WorkloadName } from './meterDay.ts'
import { holdHour } from './shareNode.ts'

/** A node for an hour: capacity in microcores, bytes and graphics units, time in tenths of a minute. */
export interface NodeHour { line: number; cluster: string; day: string; hour: number; node: string; resourceId: string; ticks: number; capacity: Record<Resource, number> }
/** A pod on a node on a day: found once, then told hour by hour. */
export interface PodPlace { cluster: string; day: string; node: string; workload: WorkloadName; pod: string }
/** What a pod asked for and used in an hour: averages over the time that it ran. */
export interface PodHour { line: number; hour: number; ticks: number; cpuRequest: number; cpuUse: number; memoryRequest: number; memoryUse: number; gpuRequest: number }
export interface PodSlot { readonly day: string; add(hour: PodHour): void }
export interface ServedHour { cluster: string; day: string; resourceId: string; kind: string; workload: WorkloadName; quantity: bigint }

/** A row that contradicts another: the same thing twice, or a pod on a node that is not there. */
export interface MeterFlaw { line: number; text: string; value: string }

const HOURS = 24
const UNIT = 1e10

/** Gathers the hours of a file into days, cluster by cluster. The larger of request and use is taken hour by hour, before anything is summed. */
export class MeterBuilder {
  private readonly days = new Map<string, DayBuilder>()
  private last: DayBuilder | null = null
  readonly flaws: MeterFlaw[] = []

  node(hour: NodeHour): void { this.dayOf(hour.cluster, hour.day).node(hour) }
  pod({ cluster, day, node, workload, pod }: PodPlace): PodSlot { return this.dayOf(cluster, day).pod(node, workload, pod) }
  served(hour: ServedHour): void { this.dayOf(hour.cluster, hour.day).served(hour) }

  /** The days in the order of cluster and day; where there are flaws they must not be used. */
  finish(): MeterDay[] {
    return [...this.days].sort(([a], [b]) => (a < b ? -1 : 1)).map(([, day]) => day.finish())
  }

  private dayOf(cluster: string, day: string): DayBuilder {
    if (this.last?.cluster === cluster && this.last.day === day) return this.last
    const name = `${cluster}\u0000${day}`
    let found = this.days.get(name)
    if (!found) this.days.set(name, (found = new DayBuilder(cluster, day, this.flaws)))
    return (this.last = found)
  }
}

/** `name`: by which ties are broken */
interface Slot { node: number; workload: number; pod: string; name: string }
interface NodeRecord { name: string; resourceId: string; hours: ({ line: number; ticks: number; capacity: Record<Resource, bigint> } | null)[] }

class DayBuilder {
  private readonly nodes = new Map<string, number>()
  private readonly nodeRecords: NodeRecord[] = []
  private readonly workloads = new Map<string, number>()
  /** by the object that rows share, so that most rows need not spell their workload out */
  private readonly knownWorkloads = new Map<WorkloadName, number>()
  private readonly workloadNames: WorkloadName[] = []
  private readonly slots = new Map<string, number>()
  private readonly slotRecords: Slot[] = []
  private readonly sums = Object.fromEntries(MEASURES.map((measure) => [measure, new ExactSums()])) as Record<Measure, ExactSums>
  private readonly ticks: number[] = []
  /** by node and hour: what pods want of it, as slot, line and wanted cpu, memory and gpu one after the other */
  private readonly wanted = new Map<number, number[]>()
  private readonly servedBy = new Map<string, { kind: string; shares: Map<number, bigint> }>()

  constructor(readonly cluster: string, readonly day: string, private readonly flaws: MeterFlaw[]) {}

  node({ line, hour, node, resourceId, ticks, capacity }: NodeHour): void {
    const record = this.nodeRecords[this.nodeOf(node)]!
    if (record.hours[hour]) return void this.flaws.push({ line, text: `the node is there twice in this hour, first in line ${record.hours[hour].line}`, value: node })
    if (record.resourceId && record.resourceId !== resourceId) return void this.flaws.push({ line, text: `the node has another resource ID on the same day, ${record.resourceId}`, value: resourceId })
    record.resourceId = resourceId
    record.hours[hour] = { line, ticks, capacity: { cpu: product(capacity.cpu, ticks), memory: product(capacity.memory, ticks), gpu: product(capacity.gpu, ticks) } }
  }

  pod(nodeName: string, workload: WorkloadName, pod: string): PodSlot {
    const node = this.nodeOf(nodeName)
    const slot = this.slotOf(node, this.workloadOf(workload), pod)
    return { day: this.day, add: (hour) => this.podHour(node, slot, hour) }
  }

  private podHour(node: number, slot: number, { line, hour, ticks, cpuRequest, cpuUse, memoryRequest, memoryUse, gpuRequest }: PodHour): void {
    this.ticks[slot] = (this.ticks[slot] ?? 0) + ticks
    this.add('cpuRequest', slot, cpuRequest * ticks)
    this.add('cpuUse', slot, cpuUse * ticks)
    this.add('memoryRequest', slot, memoryRequest * ticks)
    this.add('memoryUse', slot, memoryUse * ticks)
    if (gpuRequest > 0) this.add('gpuRequest', slot, gpuRequest * ticks)
    const place = node * HOURS + hour
    let list = this.wanted.get(place)
    if (!list) this.wanted.set(place, (list = []))
    // graphics units are held by request alone: a pod has them or not
    list.push(slot, line, Math.max(cpuRequest, cpuUse) * ticks, Math.max(memoryRequest, memoryUse) * ticks, gpuRequest * ticks)
  }

  served({ resourceId, kind, workload, quantity }: ServedHour): void {
    let resource = this.servedBy.get(resourceId)
    if (!resource) this.servedBy.set(resourceId, (resource = { kind, shares: new Map() }))
    const number = this.workloadOf(workload)
    resource.shares.set(number, (resource.shares.get(number) ?? 0n) + quantity)
  }

  finish(): MeterDay {
    const nameRanks = ranksOf(orderOf(this.slotRecords, ({ name }) => name))
    for (const [place, list] of this.wanted) this.hold(place, list, nameRanks)
    const nodeOrder = orderOf(this.nodeRecords, ({ name }) => name)
    const workloadOrder = orderOf(this.workloadNames, workloadKey)
    const pods = [...new Set(this.slotRecords.map(({ pod }) => pod))].sort()
    const podNumber = new Map(pods.map((pod, index) => [pod, index]))
    const [nodeRank, workloadRank] = [ranksOf(nodeOrder), ranksOf(workloadOrder)]
    const order = this.slotRecords.map((_, slot) => slot).sort((a, b) => this.compareSlots(a, b, nodeRank, workloadRank))
    const table = emptyMeterDay({
      cluster: this.cluster, day: this.day, pods, workloads: workloadOrder.map((index) => this.workloadNames[index]!),
      nodes: nodeOrder.map((index) => this.nodeRecords[index]!).map(({ name, resourceId, hours }) => ({
        name, resourceId, ticks: hours.reduce((sum, hour) => sum + (hour?.ticks ?? 0), 0),
        capacity: Object.fromEntries(RESOURCES.map((resource) => [resource, String(hours.reduce((sum, hour) => sum + (hour?.capacity[resource] ?? 0n), 0n))])) as Record<Resource, string>,
      })),
      served: [...this.servedBy].sort(([a], [b]) => (a < b ? -1 : 1)).map(([resourceId, { kind, shares }]) => ({
        resourceId, kind, shares: [...shares].map(([workload, quantity]) => ({ workload: workloadRank[workload]!, quantity: String(quantity) })).sort((a, b) => a.workload - b.workload),
      })),
    }, order.length)
    const columns = MEASURES.map((measure) => ({ sums: this.sums[measure], into: measureOf(table, measure) }))
    order.forEach((slot, row) => {
      const { node, workload, pod } = this.slotRecords[slot]!
      table.columns.node[row] = nodeRank[node]!
      table.columns.workload[row] = workloadRank[workload]!
      table.columns.pod[row] = podNumber.get(pod)!
      table.columns.ticks[row] = this.ticks[slot]!
      for (const { sums, into } of columns) sums.put(slot, into, row)
    })
    return table
  }

  /** What the pods of a node hold in an hour; where they want more than it has, each is scaled down, and nothing is idle. */
  private hold(place: number, list: readonly number[], nameRanks: readonly number[]): void {
    const node = this.nodeRecords[Math.floor(place / HOURS)]!
    const hour = node.hours[place % HOURS]
    const seen = new Map<number, number>()
    for (let at = 0; at < list.length; at += 5) {
      const [slot, line] = [list[at]!, list[at + 1]!]
      const { pod } = this.slotRecords[slot]!
      if (!hour) this.flaws.push({ line, text: `the pod runs on ${node.name}, of which the file has no node row for this hour`, value: pod })
      else if (seen.has(slot)) this.flaws.push({ line, text: `the pod is there twice on this node in this hour, first in line ${seen.get(slot)}`, value: pod })
      else seen.set(slot, line)
    }
    if (!hour) return
    const slots = list.filter((_, at) => at % 5 === 0)
    RESOURCES.forEach((resource, index) => {
      const wanted = slots.map((_, at) => list[at * 5 + 2 + index]!)
      if (wanted.every((one) => one === 0)) return
      const { held, idle } = holdHour(hour.capacity[resource], wanted.map(BigInt), (at) => nameRanks[slots[at]!]!)
      slots.forEach((slot, at) => {
        this.addUnits(`${resource}Held`, slot, held[at]!)
        this.addUnits(`${resource}Idle`, slot, idle[at]!)
      })
    })
  }

  private addUnits(measure: Measure, slot: number, units: bigint): void {
    if (units > 0n) this.sums[measure].add(slot, Number(units / 10_000_000_000n), Number(units % 10_000_000_000n))
  }

  private add(measure: Measure, slot: number, value: number): void {
    this.sums[measure].add(slot, Math.floor(value / UNIT), value % UNIT)
  }

  private nodeOf(name: string): number {
    let number = this.nodes.get(name)
    if (number === undefined) this.nodes.set(name, (number = this.nodeRecords.push({ name, resourceId: '', hours: Array.from({ length: HOURS }, () => null) }) - 1))
    return number
  }

  private workloadOf(workload: WorkloadName): number {
    const known = this.knownWorkloads.get(workload)
    if (known !== undefined) return known
    const key = workloadKey(workload)
    let number = this.workloads.get(key)
    if (number === undefined) this.workloads.set(key, (number = this.workloadNames.push(workload) - 1))
    this.knownWorkloads.set(workload, number)
    return number
  }

  private slotOf(node: number, workload: number, pod: string): number {
    const name = `${node} ${workload} ${pod}`
    let slot = this.slots.get(name)
    if (slot === undefined) this.slots.set(name, (slot = this.slotRecords.push({ node, workload, pod, name: `${workloadKey(this.workloadNames[workload]!)}\u0000${pod}` }) - 1))
    return slot
  }

  private compareSlots(a: number, b: number, nodeRank: readonly number[], workloadRank: readonly number[]): number {
    const [one, other] = [this.slotRecords[a]!, this.slotRecords[b]!]
    return nodeRank[one.node]! - nodeRank[other.node]! || workloadRank[one.workload]! - workloadRank[other.workload]! || (one.pod < other.pod ? -1 : 1)
  }
}

/** Units times tenths of a minute; the reader lets nothing through that a float cannot hold exactly. */
const product = (quantity: number, ticks: number): bigint => BigInt(quantity) * BigInt(ticks)

/** Workloads of one name whose labels differ are two: rules see labels. */
export const workloadKey = ({ namespace, kind, name, labels }: WorkloadName): string => [namespace, kind, name, JSON.stringify(Object.entries(labels).sort(([a], [b]) => (a < b ? -1 : 1)))].join('\u0000')

function orderOf<T>(things: readonly T[], nameOf: (thing: T) => string): number[] {
  const names = things.map(nameOf)
  return things.map((_, index) => index).sort((a, b) => (names[a]! < names[b]! ? -1 : names[a]! > names[b]! ? 1 : 0))
}

function ranksOf(order: readonly number[]): number[] {
  const ranks: number[] = []
  order.forEach((index, rank) => { ranks[index] = rank })
  return ranks
}
