import { addDays, daysOf, type Day, type Month } from '../core/calendar/month.ts'
import { METERED_FROM, SERVED, SYSTEM_NAMESPACES, WORKLOADS, type DemoNode, type DemoWorkload } from './clusters.ts'
import { noise } from './random.ts'
import { DEMO_DATE } from './scenario.ts'

const SEED = 77_130
const MEBIBYTE = 2 ** 20
const HOURS = Array.from({ length: 24 }, (_, hour) => hour)

interface Placed { workload: DemoWorkload; pod: string; index: number }

/** The pods on each node on a day, by name of the node. */
export function podsOn(nodes: readonly DemoNode[], day: Day): Map<string, Placed[]> {
  const placed = new Map<string, Placed[]>(nodes.map(({ name }) => [name, []]))
  WORKLOADS.forEach((workload, number) => {
    if (workload.until && day >= workload.until) return
    const own = nodes.filter(({ cluster, gpus }) => cluster === workload.cluster && (workload.kind === 'DaemonSet' || (gpus > 0) === (workload.onGraphics ?? false)))
    const count = workload.kind === 'DaemonSet' ? own.length : workload.replicas
    for (let replica = 0; replica < count; replica++) {
      const node = own[(workload.first + replica) % own.length]!
      placed.get(node.name)!.push({ workload, pod: `${workload.name}-${replica + 1}`, index: number * 100 + replica })
    }
  })
  return placed
}

const runsAt = ({ hours }: DemoWorkload, hour: number): boolean => hours?.includes(hour) ?? true

/** Millicores and mebibytes that a pod uses in an hour, on average over the time it runs. */
function useOf({ workload, index }: Placed, day: Day, hour: number): { cpu: number; memory: number } {
  const wave = 0.75 + 0.5 * noise(SEED, index * 24 + hour, Date.parse(day) / 86_400_000)
  return { cpu: Math.round(workload.cpu * workload.load * wave), memory: Math.round(workload.memory * Math.min(workload.load, 1) * (0.9 + 0.1 * wave)) }
}

export const METER_HEAD = 'Hour,Cluster,Record,Node,ResourceId,Namespace,WorkloadKind,Workload,Pod,Labels,CpuCapacity,MemoryCapacity,GpuCapacity,CpuRequest,CpuUsage,MemoryRequest,MemoryUsage,GpuRequest,Minutes,Quantity\n'

const quoted = (text: string): string => `"${text.replaceAll('"', '""')}"`
const cores = (milli: number): string => String(milli / 1000)

/** The rows of all clusters for one hour. */
export function meterHour(nodes: readonly DemoNode[], day: Day, hour: number, placed = podsOn(nodes, day)): string {
  const stamp = `${day}T${String(hour).padStart(2, '0')}:00:00Z`
  let text = ''
  for (const node of nodes) {
    if (node.unmeteredFrom && day >= node.unmeteredFrom) continue
    text += `${stamp},${node.cluster},node,${node.name},${node.resourceId},,,,,,${node.cores},${node.gibibytes * 2 ** 30},${node.gpus || ''},,,,,,60,\n`
    for (const one of placed.get(node.name)!) {
      const { workload, pod } = one
      if (!runsAt(workload, hour)) continue
      const use = useOf(one, day, hour)
      text += `${stamp},${node.cluster},pod,${node.name},,${workload.namespace},${workload.kind},${workload.name},${pod},${quoted(JSON.stringify(workload.labels))},,,,${cores(workload.cpu)},${cores(use.cpu)},${workload.memory * MEBIBYTE},${use.memory * MEBIBYTE},${workload.gpu ?? ''},${workload.minutes ?? 60},\n`
    }
  }
  for (const { resourceId, record, workload: name, quantity } of SERVED) {
    const workload = WORKLOADS.find((one) => one.name === name)!
    text += `${stamp},${workload.cluster},${record},,${resourceId},${workload.namespace},${workload.kind},${workload.name},,${quoted(JSON.stringify(workload.labels))},,,,,,,,,,${quantity}\n`
  }
  return text
}

/** The last day that is metered on the demo date. */
export const LAST_METERED = addDays(DEMO_DATE, -1)
export const meteredDays = (month: Month): Day[] => daysOf(month).filter((day) => day >= METERED_FROM && day <= LAST_METERED)

/** The text of a month's metering file, day by day. */
export function* meterFile(nodes: readonly DemoNode[], month: Month): Generator<string> {
  yield METER_HEAD
  for (const day of meteredDays(month)) {
    const placed = podsOn(nodes, day)
    yield HOURS.map((hour) => meterHour(nodes, day, hour, placed)).join('')
  }
}

/** A part of a node's cost on a day: who holds it, by plain arithmetic over the hours; shares add up to one. */
export interface TruePart { use: 'workload' | 'overhead' | 'idle'; workload: DemoWorkload | null; share: number }

interface Held { cpu: number; memory: number; gpu: number }
const WEIGHTS: Held = { cpu: 9 / 1000, memory: 1 / 1024, gpu: 270 }
const KINDS = ['cpu', 'memory', 'gpu'] as const

/** The larger of request and use in an hour, times the part of the hour that the pod ran, in millicores, mebibytes and graphics units. */
function heldIn(one: Placed, day: Day, hour: number): Held {
  if (!runsAt(one.workload, hour)) return { cpu: 0, memory: 0, gpu: 0 }
  const [use, part] = [useOf(one, day, hour), (one.workload.minutes ?? 60) / 60]
  return { cpu: Math.max(one.workload.cpu, use.cpu) * part, memory: Math.max(one.workload.memory, use.memory) * part, gpu: (one.workload.gpu ?? 0) * part }
}

/** How the cost of a node on a day divides under the demo's settings; nothing where it is not metered. */
export function truePartsOf(node: DemoNode, day: Day, placed: readonly Placed[]): TruePart[] {
  if (day < METERED_FROM || day > LAST_METERED || (node.unmeteredFrom && day >= node.unmeteredFrom)) return []
  const capacity: Held = { cpu: node.cores * 1000, memory: node.gibibytes * 1024, gpu: node.gpus }
  const whole = 24 * KINDS.reduce((sum, kind) => sum + WEIGHTS[kind] * capacity[kind], 0)
  const shares = placed.map(() => 0)
  for (const hour of HOURS) {
    const held = placed.map((one) => heldIn(one, day, hour))
    for (const kind of KINDS) {
      const sum = held.reduce((total, one) => total + one[kind], 0)
      // those who want more than there is are scaled down; idle of plover goes to those who hold the resource in the hour
      const raise = sum > capacity[kind] || (node.cluster === 'plover' && sum > 0) ? capacity[kind] / sum : 1
      held.forEach((one, index) => { shares[index]! += (WEIGHTS[kind] * one[kind] * raise) / whole })
    }
  }
  const isSystem = ({ workload }: Placed): boolean => SYSTEM_NAMESPACES.includes(workload.namespace)
  const sumOf = (test: (one: Placed) => boolean): number => placed.reduce((sum, one, index) => sum + (test(one) ? shares[index]! : 0), 0)
  const [own, overhead] = [sumOf((one) => !isSystem(one)), sumOf(isSystem)]
  const idle: TruePart = { use: 'idle', workload: null, share: 1 - own - overhead }
  // overhead of plover goes to the other workloads on the node by what they cost
  const isGiven = node.cluster === 'plover' && own > 0
  return [...placed.map((one, index): TruePart => (isSystem(one) ? { use: 'overhead', workload: one.workload, share: isGiven ? 0 : shares[index]! } : { use: 'workload', workload: one.workload, share: shares[index]! * (isGiven ? 1 + overhead / own : 1) })), idle].filter(({ share }) => share > 1e-12)
}
