import { TICKS_AN_HOUR, RESOURCES, quantities, type Quantities, type Resource } from '../../core/kubernetes/meterDay.ts'
import { holdHour, shareNode, type NodeShares } from '../../core/kubernetes/shareNode.ts'
import { parseAmount, SCALE } from '../../core/money/amount.ts'
import { apportion } from '../../core/money/apportion.ts'
import { Fraction, sumOf } from '../../core/money/fraction.ts'
import type { ReferenceCase, Verdict } from './main.ts'

interface Sample { node: string | null; hour: number; ran: string; cpu_request?: string; cpu_usage?: string; mem_request?: string; mem_usage?: string; gpu_request?: string }
interface Node { cluster: string; price: string; cpu: number | string; mem: number | string; gpu?: number | string }
interface Pod { name: string; ns: string; labels: Record<string, string>; samples: Sample[]; system?: boolean }
interface Input { weights: Record<string, string>; hours: number; nodes: Record<string, Node>; pods: Pod[] }

/** Costs are shared in 10^-30 of the currency here, so that what is printed as a fraction is met far beyond the tolerance. */
const FINE = 10n ** 20n
const TOLERANCE = 1e-9
const decimal = (text: string | number | undefined): bigint => parseAmount(String(text ?? '0'))!.units

const NAMES: Record<Resource, { request: keyof Sample; usage: keyof Sample | null; capacity: keyof Node; weight: string }> = {
  cpu: { request: 'cpu_request', usage: 'cpu_usage', capacity: 'cpu', weight: 'cpu_per_core' },
  memory: { request: 'mem_request', usage: 'mem_usage', capacity: 'mem', weight: 'mem_per_gib' },
  gpu: { request: 'gpu_request', usage: null, capacity: 'gpu', weight: 'gpu_per_unit' },
}

function fractionOf(text: string): Fraction {
  const [over, under = '1'] = text.split('/')
  return Fraction.of(decimal(over), decimal(under))
}

/** Held by each pod on each node over the case: the larger of request and use hour by hour, scaled down to the node's capacity. In 10^-10 units times 10^-10 of a tick. */
function heldOn(node: string, { nodes, pods, hours }: Input, withIdle: boolean): Map<string, Quantities> {
  const held = new Map<string, Quantities>()
  const ticks = BigInt(TICKS_AN_HOUR) * 10n ** BigInt(SCALE)
  for (let at = 0; at < hours; at++) {
    const here = pods.flatMap(({ name, samples }) => samples.filter((sample) => sample.node === node && sample.hour === at).map((sample) => ({ name, sample })))
    for (const resource of RESOURCES) {
      const { request, usage, capacity } = NAMES[resource]
      const wanted = here.map(({ sample }) => {
        const [asked, used] = [decimal(sample[request] as string), usage ? decimal(sample[usage] as string) : 0n]
        return Fraction.of(asked > used ? asked : used).times(fractionOf(sample.ran)).times(Fraction.of(ticks)).whole
      })
      const limit = decimal(nodes[node]![capacity]) * ticks
      const hour = holdHour(limit, wanted, (index) => index)
      here.forEach(({ name }, index) => {
        const sum = held.get(name) ?? { cpu: 0n, memory: 0n, gpu: 0n }
        sum[resource] += hour.held[index]! + (withIdle ? hour.idle[index]! : 0n)
        held.set(name, sum)
      })
    }
  }
  return held
}

interface Shared { pods: Map<string, NodeShares['parts'][number]>; idle: NodeShares['idle'] }

function shareCase(input: Input, sharesIdle: boolean): Map<string, Shared> {
  const weights = quantities((resource) => decimal(input.weights[NAMES[resource].weight]))
  const ticks = BigInt(TICKS_AN_HOUR) * 10n ** BigInt(SCALE) * BigInt(input.hours)
  return new Map(Object.entries(input.nodes).map(([name, node]) => {
    const held = heldOn(name, input, sharesIdle)
    const cost = decimal(node.price) * BigInt(input.hours) * FINE
    const capacity = quantities((resource) => decimal(node[NAMES[resource].capacity]) * ticks)
    const shares = shareNode(cost, weights, capacity, [...held.values()])!
    return [name, { pods: new Map([...held.keys()].map((pod, index) => [pod, shares.parts[index]!])), idle: shares.idle }]
  }))
}

/** Overhead of the node given to its other pods in proportion to their cost; with none it stays. */
function shareSystem(shared: Map<string, Shared>, pods: readonly Pod[]): { totals: Map<string, bigint>; left: bigint } {
  const totals = new Map<string, bigint>()
  let left = 0n
  const isSystem = (name: string): boolean => pods.find((pod) => pod.name === name)!.system === true
  for (const { pods: parts } of shared.values()) {
    const cost = (name: string): bigint => parts.get(name)!.cpu + parts.get(name)!.memory + parts.get(name)!.gpu
    const others = [...parts.keys()].filter((name) => !isSystem(name))
    const system = [...parts.keys()].filter(isSystem).reduce((sum, name) => sum + cost(name), 0n)
    const given = apportion(system, others.map(cost))
    if (!given) left += system
    for (const name of parts.keys()) if (isSystem(name)) totals.set(name, 0n)
    others.forEach((name, index) => totals.set(name, (totals.get(name) ?? 0n) + cost(name) + (given?.[index] ?? 0n)))
  }
  return { totals, left }
}

type Printed = { frac: string } | { [name: string]: Printed }

/** A node's cost over pods, idle, namespaces, labels and clusters, with idle and system pods shared and not; every printed figure is compared. */
export function kubernetesCase({ id, input, expected }: ReferenceCase): Verdict {
  const given = input as unknown as Input
  const [plain, sharing] = [shareCase(given, false), shareCase(given, true)]
  const system = shareSystem(plain, given.pods)
  const clusterOf = (node: string): string => given.nodes[node]!.cluster
  const totalOf = ({ cpu, memory, gpu }: Quantities): bigint => cpu + memory + gpu
  const perResource = (parts: Quantities[]): Record<string, Fraction> => {
    const sum = (of: (one: Quantities) => bigint): Fraction => money(parts.reduce((all, one) => all + of(one), 0n))
    return { cpu: sum((one) => one.cpu), mem: sum((one) => one.memory), gpu: sum((one) => one.gpu), total: sum(totalOf) }
  }
  const partsOfPod = (shared: Map<string, Shared>, name: string): Quantities[] => [...shared.values()].flatMap(({ pods }) => pods.get(name) ?? [])
  const grouped = (shared: Map<string, Shared>, keyOf: (pod: Pod, node: string) => string): Record<string, Fraction> => {
    const sums = new Map<string, bigint>()
    for (const [node, { pods }] of shared) for (const [name, part] of pods) { const key = keyOf(given.pods.find((pod) => pod.name === name)!, node); sums.set(key, (sums.get(key) ?? 0n) + totalOf(part)) }
    return Object.fromEntries([...sums].map(([key, sum]) => [key, money(sum)]))
  }
  const namespaces = (shared: Map<string, Shared>): Record<string, Fraction> => grouped(shared, ({ ns }, node) => `${clusterOf(node)}/${ns}`)
  const nodeCost = (name: string): Fraction => Fraction.of(decimal(given.nodes[name]!.price) * BigInt(given.hours), 10n ** BigInt(SCALE))
  const nodeNames = Object.keys(given.nodes)
  const podNames = given.pods.filter(({ samples }) => samples.some(({ node }) => node)).map(({ name }) => name)
  const got = {
    node_cost: Object.fromEntries(nodeNames.map((name) => [name, nodeCost(name)])), total: sumOf(nodeNames.map(nodeCost)),
    pods: Object.fromEntries(given.pods.map(({ name }) => [name, perResource(partsOfPod(plain, name))])), idle_per_node: Object.fromEntries(nodeNames.map((name) => [name, perResource([plain.get(name)!.idle])])),
    by_namespace: namespaces(plain), by_namespace_merged: grouped(plain, ({ ns }) => ns), by_team_label: grouped(plain, ({ labels }) => labels?.team ?? '(none)'),
    by_cluster_node_cost: Object.fromEntries([...new Set(nodeNames.map(clusterOf))].map((cluster) => [cluster, sumOf(nodeNames.filter((name) => clusterOf(name) === cluster).map(nodeCost))])),
    shared_idle_variant: { pods: Object.fromEntries(podNames.map((name) => [name, perResource(partsOfPod(sharing, name)).total!])), by_namespace: namespaces(sharing), idle_left: money([...sharing.values()].reduce((sum, { idle }) => sum + totalOf(idle), 0n)) },
    shared_system_variant: { pods: Object.fromEntries([...system.totals].map(([name, total]) => [name, money(total)])), system_left: money(system.left) },
  }
  const conserves = nodeNames.every((name) => [plain, sharing].every((shared) => [...shared.get(name)!.pods.values(), shared.get(name)!.idle].reduce((sum, one) => sum + totalOf(one), 0n) === decimal(given.nodes[name]!.price) * BigInt(given.hours) * FINE))
  const wrong = [...differences(expected as Printed, got, ''), ...(conserves ? [] : [{ place: 'pods and idle', want: 'node cost', got: 'another sum' }])]
  return { id, state: wrong.length === 0 ? 'pass' : 'fail', expected: wrong.map(({ place, want }) => `${place} ${want}`), got: wrong.map((one) => `${one.place} ${one.got}`) }
}

const money = (fine: bigint): Fraction => Fraction.of(fine, FINE * 10n ** BigInt(SCALE))

type Found = Fraction | { [name: string]: Found } | undefined

/** Every printed figure that is not met, relative to its size. */
function differences(expected: Printed, got: Found, place: string): { place: string; want: string; got: string }[] {
  if ('frac' in expected && typeof expected.frac === 'string') {
    const [over = '0', under = '1'] = expected.frac.split('/')
    const want = Fraction.of(BigInt(over), BigInt(under))
    const isMet = got instanceof Fraction && (want.isZero ? got.isZero : Math.abs(asNumber(got.minus(want).dividedBy(want))) <= TOLERANCE)
    return isMet ? [] : [{ place, want: expected.frac, got: got instanceof Fraction ? String(asNumber(got)) : 'nothing' }]
  }
  if (typeof expected !== 'object') return []
  return Object.entries(expected as Record<string, Printed>).flatMap(([name, one]) => (one && typeof one === 'object' ? differences(one, got instanceof Fraction ? undefined : got?.[name], `${place} ${name}`.trim()) : []))
}

const asNumber = ({ over, under }: Fraction): number => Number((over * 10n ** 30n) / under) / 1e30
