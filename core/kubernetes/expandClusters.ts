import { TAG_FIELD, tagField } from '../charges/attributes.ts'
import { matchRule } from '../classify/evaluate.ts'
import { encodeColumn, type FieldColumn, type KeyTable } from '../classify/keyTable.ts'
import { apportion } from '../money/apportion.ts'
import { shareByCost } from '../money/shareByCost.ts'
import { BASES, type Amounts, type ClusterSetting, type KeyFigures, type Taken } from '../types.ts'
import { workloadKey } from './meterBuilder.ts'
import { capacityOf, heldBy, rowsOfNodes, RESOURCES, type MeterDay, type Quantities, type WorkloadName } from './meterDay.ts'
import { shareNode, totalOf, unitWeights } from './shareNode.ts'

/** What one row of the table cost on one UTC day. */
export interface DayCost { row: number; day: string; amounts: Amounts }

/** The metered days of a month and what the charges cost that belong to them. */
export interface Metered { days: readonly MeterDay[]; costs: readonly DayCost[] }

/** What a part of a node's cost is for. `serving`: of a volume, balancer or gateway; `unmetered`: of a day without metering. */
export type ClusterUse = 'workload' | 'serving' | 'idle' | 'overhead' | 'unmetered'

export interface ClusterPart {
  row: number
  use: ClusterUse
  cluster: string
  node: string
  workload: WorkloadName | null
  amounts: Amounts
  /** of a workload on a node */
  taken: Taken | null
}

/** A cluster that has no setting of its own: one core weighs as nine gibibytes and a graphics unit as thirty cores (common practice). */
export const defaultSetting = (cluster: string): ClusterSetting =>
  ({ cluster, weights: { cpu: '9', memory: '1', gpu: '270' }, systemNamespaces: ['kube-system'], overheadCharges: [], nodeCharges: [], idle: { kind: 'rules' }, overhead: { kind: 'rules' } })

export const settingOf = (clusters: readonly ClusterSetting[], cluster: string): ClusterSetting => clusters.find((one) => one.cluster === cluster) ?? defaultSetting(cluster)

const TAKEN = ['ticks', ...RESOURCES] as const
const addTo = (sum: Amounts, { billed, effective }: Amounts): void => { sum.billed += billed; sum.effective += effective }
const zero = (): Amounts => ({ billed: 0n, effective: 0n })

/** One node on one metered day: who holds it, workload by workload, and the rows that tell of their pods. */
interface NodeDay { day: MeterDay; node: number; workloads: number[]; rows: number[][]; held: Quantities[]; taken: Taken[] }

function nodeDaysOf(days: readonly MeterDay[], clusters: readonly ClusterSetting[]): Map<string, NodeDay> {
  const found = new Map<string, NodeDay>()
  for (const day of days) {
    const givesIdle = settingOf(clusters, day.head.cluster).idle.kind === 'node'
    rowsOfNodes(day).forEach(({ from, to }, node) => {
      const rowsOf = new Map<number, number[]>()
      for (let row = from; row < to; row++) {
        const workload = day.columns.workload[row]!
        const rows = rowsOf.get(workload)
        if (rows) rows.push(row)
        else rowsOf.set(workload, [row])
      }
      const rows = [...rowsOf.values()]
      const held = rows.map((some) => heldBy(day, some))
      const taken = rows.map((some, index) => ({ ticks: BigInt(some.reduce((sum, row) => sum + day.columns.ticks[row]!, 0)), ...held[index]! }))
      found.set(`${day.head.nodes[node]!.resourceId}\u0000${day.head.day}`, { day, node, workloads: [...rowsOf.keys()], rows, held: givesIdle ? rows.map((some) => heldBy(day, some, true)) : held, taken })
    })
  }
  return found
}

/** A part of what a row cost on a day. */
export interface DayPart extends ClusterPart {
  day: string
  /** the rows of the metered day that tell of the workload's pods on the node; none for idle and for what serves */
  meterDay: MeterDay | null
  meterRows: readonly number[]
}

/**
 * Divides the cost of the nodes of metered clusters, and of what serves their workloads, day by day over who held them, and
 * tells each part: those of a row add up to what it cost, to the last 10^-10.
 */
export function walkClusters(table: KeyTable, { days, costs }: Metered, clusters: readonly ClusterSetting[], tell: (part: DayPart) => void): void {
  const nodeDays = nodeDaysOf(days, clusters)
  const served = new Map(days.flatMap((day) => day.head.served.map((resource): [string, { day: MeterDay; resource: typeof resource }] => [`${resource.resourceId}\u0000${day.head.day}`, { day, resource }])))
  const clusterOf = new Map(days.flatMap(({ head }) => [...head.nodes.map(({ resourceId, name }) => [resourceId, { cluster: head.cluster, node: name }] as const), ...head.served.map(({ resourceId }) => [resourceId, { cluster: head.cluster, node: '' }] as const)]))
  const resource = table.column('ResourceId')
  for (const { row, day, amounts } of costs) {
    const id = resource.values[resource.codes[row]!]!
    const [nodeDay, service] = [nodeDays.get(`${id}\u0000${day}`), served.get(`${id}\u0000${day}`)]
    const common = { row, day, ...clusterOf.get(id)!, workload: null, taken: null, meterDay: null, meterRows: [] }
    const parts = nodeDay ? divideNode(nodeDay, amounts, settingOf(clusters, common.cluster)) : service ? divideServed(service, amounts, settingOf(clusters, common.cluster)) : null
    for (const part of parts ?? [{ use: 'unmetered' as const, amounts }]) tell({ ...common, ...part })
  }
  for (const part of overheadCharges(table, clusters.filter(({ cluster }) => days.some(({ head }) => head.cluster === cluster)), new Set(costs.map(({ row }) => row)))) tell(part)
}

/** The parts of each divided row over the month, in the order of the rows. */
export function divideClusters(table: KeyTable, metered: Metered, clusters: readonly ClusterSetting[]): ClusterPart[] {
  const parts = new Map<string, ClusterPart>()
  walkClusters(table, metered, clusters, ({ row, use, cluster, node, workload, amounts, taken }) => {
    const name = [row, use, node, workload ? workloadKey(workload) : ''].join('\u0001')
    const part = parts.get(name)
    if (part) {
      addTo(part.amounts, amounts)
      if (part.taken && taken) for (const measure of TAKEN) part.taken[measure] += taken[measure]
    } else parts.set(name, { row, use, cluster, node, workload, amounts: { ...amounts }, taken: taken && { ...taken } })
  })
  return [...parts.values()].sort((a, b) => a.row - b.row)
}

const useOf = ({ systemNamespaces }: ClusterSetting, { namespace }: WorkloadName): ClusterUse => (systemNamespaces.includes(namespace) ? 'overhead' : 'workload')

type Divided = Pick<DayPart, 'use' | 'amounts'> & Partial<DayPart>

/** Null where the node has nothing that counts: its cost then is not divided. */
function divideNode({ day, node, workloads, rows, held, taken }: NodeDay, amounts: Amounts, setting: ClusterSetting): Divided[] | null {
  const [billed, effective] = BASES.map((basis) => shareNode(amounts[basis], unitWeights(setting.weights), capacityOf(day.head.nodes[node]!), held))
  if (!billed || !effective) return null
  const holders = workloads.map((number, index): Holder => {
    const workload = day.head.workloads[number]!
    return { workload, use: useOf(setting, workload), taken: taken[index]!, meterDay: day, meterRows: rows[index]!, amounts: { billed: totalOf(billed.parts[index]!), effective: totalOf(effective.parts[index]!) } }
  })
  const idle = { billed: totalOf(billed.idle), effective: totalOf(effective.idle) }
  return [...(setting.overhead.kind === 'node' ? shareOverhead(holders) : holders), ...(idle.billed !== 0n || idle.effective !== 0n ? [{ use: 'idle' as const, amounts: idle }] : [])]
}

function divideServed({ day, resource }: { day: MeterDay; resource: MeterDay['head']['served'][number] }, amounts: Amounts, setting: ClusterSetting): Divided[] | null {
  const weights = resource.shares.map(({ quantity }) => BigInt(quantity))
  const [billed, effective] = BASES.map((basis) => apportion(amounts[basis], weights))
  if (!billed || !effective) return null
  return resource.shares.map(({ workload: number }, index) => {
    const workload = day.head.workloads[number]!
    return { workload, use: useOf(setting, workload) === 'overhead' ? 'overhead' as const : 'serving' as const, amounts: { billed: billed[index]!, effective: effective[index]! } }
  })
}

type Holder = Pick<DayPart, 'use' | 'amounts' | 'taken' | 'meterDay' | 'meterRows'> & { workload: WorkloadName }

/** Overhead on a node given to the other workloads on it, in proportion to what they cost; with no other it stays overhead. */
function shareOverhead(holders: readonly Holder[]): Holder[] {
  const [overhead, others] = [holders.filter(({ use }) => use === 'overhead'), holders.filter(({ use }) => use !== 'overhead')]
  const sum = zero()
  for (const { amounts } of overhead) addTo(sum, amounts)
  const given = shareByCost(sum, others.map(({ amounts }) => amounts))
  return given ? others.map((other, index) => ({ ...other, amounts: { billed: other.amounts.billed + given[index]!.billed, effective: other.amounts.effective + given[index]!.effective } })) : [...holders]
}

/** Rows that the settings of metered clusters call overhead and of which nothing was metered, whole. */
function overheadCharges(table: KeyTable, clusters: readonly ClusterSetting[], divided: ReadonlySet<number>): DayPart[] {
  const taken = new Set<number>(divided)
  return clusters.flatMap(({ cluster, overheadCharges: conditions }) => (conditions.length === 0 ? [] : [...matchRule({ conditions }, table)].flatMap((row): DayPart[] => {
    if (taken.has(row)) return []
    taken.add(row)
    return [{ row, day: '', use: 'overhead', cluster, node: '', workload: null, amounts: table.keys[row]!.amounts, taken: null, meterDay: null, meterRows: [] }]
  })))
}

/** The name under which charges of a cluster stand among services. */
export const clusterService = (cluster: string): string => `Cluster ${cluster}`

/**
 * The table with the rows of metered clusters replaced by their parts, so that nothing counts twice. A part of a workload has
 * the workload's labels as its tags instead of those of the node; the charge lines behind it stay those of the node.
 */
export function expandClusters(table: KeyTable, parts: readonly ClusterPart[]): KeyTable {
  if (parts.length === 0) return table
  const byRow = new Map<number, ClusterPart[]>()
  for (const part of parts) byRow.set(part.row, [...(byRow.get(part.row) ?? []), part])
  const keys: KeyFigures[] = []
  const rowOf: number[] = []
  const partOf: (ClusterPart | null)[] = []
  table.keys.forEach((key, row) => {
    for (const part of byRow.get(row) ?? [null]) {
      keys.push(part ? { ...key, amounts: part.amounts, ...(part.taken && { taken: part.taken }) } : key)
      rowOf.push(row)
      partOf.push(part)
    }
  })
  return table.take(keys, Int32Array.from(rowOf)).with(clusterColumns(table, rowOf, partOf, tagsOf(table, byRow)))
}

/** The tags that rows of clusters carry as billed or as labels of their workloads. */
function tagsOf(table: KeyTable, byRow: ReadonlyMap<number, ClusterPart[]>): Set<string> {
  const fields = new Set<string>()
  for (const [row, parts] of byRow) {
    for (const field of Object.keys(table.keys[row]!.attributes)) if (field.startsWith(TAG_FIELD)) fields.add(field)
    for (const { workload } of parts) for (const label of Object.keys(workload?.labels ?? {})) fields.add(tagField(label))
  }
  return fields
}

function clusterColumns(table: KeyTable, rowOf: readonly number[], partOf: readonly (ClusterPart | null)[], tags: ReadonlySet<string>): Map<string, FieldColumn> {
  const encode = (valueOf: (part: ClusterPart | null, row: number) => string | undefined): FieldColumn => encodeColumn(rowOf.length, (row) => valueOf(partOf[row]!, rowOf[row]!))
  return new Map([
    ['Cluster', encode((part) => part?.cluster)], ['ClusterUse', encode((part) => part?.use)], ['ClusterNode', encode((part) => part?.node || undefined)],
    ['Namespace', encode((part) => part?.workload?.namespace)], ['WorkloadKind', encode((part) => part?.workload?.kind || undefined)], ['Workload', encode((part) => part?.workload?.name)],
    ['ServiceName', encode((part, row) => (part && part.use !== 'unmetered' ? clusterService(part.cluster) : table.value('ServiceName', row)))],
    ...[...tags].map((field): [string, FieldColumn] => [field, encode((part, row) => (part?.workload ? part.workload.labels[field.slice(TAG_FIELD.length)] : table.value(field, row)))]),
  ])
}
