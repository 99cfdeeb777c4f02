import { makePlan, makeResource, type Resource } from './resources.ts'
import { STORY_DAYS } from './stories.ts'

/** A node of a cluster: what it has, and the resource that the provider bills for it. */
export interface DemoNode { cluster: string; name: string; resourceId: string; cores: number; gibibytes: number; gpus: number; unmeteredFrom?: string }

/** A workload and where it runs: replicas go round the nodes from the first one on. Requests in millicores and mebibytes. */
export interface DemoWorkload {
  cluster: string
  namespace: string
  kind: string
  name: string
  labels: Record<string, string>
  /** the cost centre that the demo rulebook gives it */
  target: string | null
  replicas: number
  first: number
  cpu: number
  memory: number
  gpu?: number
  /** hours of the day in which it runs, and minutes of each; default: all, 60 */
  hours?: number[]
  minutes?: number
  /** share of the request that it uses, on average; above one it uses more than it asked for */
  load: number
  until?: string
  /** only on nodes with graphics units, or only on the others */
  onGraphics?: boolean
}

export const METERED_FROM = '2026-08-01'
/** Namespaces whose workloads serve the cluster itself. */
export const SYSTEM_NAMESPACES = ['kube-system', 'cluster-logs']

const SIZES: Record<string, { cores: number; gibibytes: number; gpus: number }> = {
  heron: { cores: 16, gibibytes: 64, gpus: 0 }, plover: { cores: 16, gibibytes: 64, gpus: 0 }, dunlin: { cores: 32, gibibytes: 128, gpus: 0 }, graphics: { cores: 16, gibibytes: 128, gpus: 2 },
}

/** The nodes that are metered, in the order of the resources that are billed for them. */
export function demoNodes(resources: readonly Resource[]): DemoNode[] {
  const nodes = resources.flatMap(({ name, id, tags }): DemoNode[] => {
    const cluster = tags.cluster ?? (name.startsWith('storm-cells-gpu') ? 'heron' : undefined)
    if (!cluster || !/-(node|gpu)-\d+$/.test(name)) return []
    return [{ cluster, name, resourceId: id, ...SIZES[name.includes('-gpu-') ? 'graphics' : cluster]!, ...(name === 'dunlin-node-6' ? { unmeteredFrom: STORY_DAYS.meterLost } : {}) }]
  })
  // metered, but of which nobody sends a bill
  return [...nodes, { cluster: 'plover', name: 'plover-node-9', resourceId: 'ta-com-unbilled', ...SIZES.plover! }]
}

const workload = (cluster: string, namespace: string, name: string, team: string | null, target: string | null, replicas: number, first: number, cpu: number, memory: number, load: number, more: Partial<DemoWorkload> = {}): DemoWorkload =>
  ({ cluster, namespace, kind: 'Deployment', name, labels: { app: name, ...(team ? { team } : {}) }, target, replicas, first, cpu, memory, load, ...more })

const daemon = (cluster: string, namespace: string, name: string, cpu: number, memory: number): DemoWorkload =>
  ({ ...workload(cluster, namespace, name, null, null, 0, 0, cpu, memory, 0.7), kind: 'DaemonSet' })

export const WORKLOADS: DemoWorkload[] = [
  workload('heron', 'models', 'ensemble-runner', 'models', '1010', 12, 0, 5_500, 16_384, 0.9, { kind: 'StatefulSet' }),
  workload('heron', 'models', 'night-verification', 'models', '1010', 4, 4, 6_000, 8_192, 0.8, { kind: 'CronJob', hours: [1, 2, 3, 4], minutes: 45 }),
  workload('heron', 'radar', 'scan-decoder', 'radar', '1020', 8, 2, 3_000, 6_144, 1.2),
  workload('heron', 'app', 'app-gateway', 'app', '2010', 10, 5, 1_500, 4_096, 0.35),
  workload('heron', 'app', 'app-sessions', 'app', '2010', 6, 9, 2_000, 12_288, 0.5, { kind: 'StatefulSet' }),
  workload('heron', 'archive', 'archive-reader', 'archive', '5010', 4, 1, 1_000, 8_192, 0.25),
  workload('heron', 'storm-cells', 'cell-tracker', 'nowcast', '5020', 6, 0, 4_000, 32_768, 0.8, { gpu: 1, onGraphics: true, until: STORY_DAYS.projectEnded }),
  workload('heron', 'playground', 'notebooks', null, null, 3, 7, 1_000, 4_096, 0.1),
  daemon('heron', 'kube-system', 'node-agent', 200, 512), daemon('heron', 'cluster-logs', 'log-shipper', 300, 768),
  workload('plover', 'marine', 'harbour-briefer', 'harbour', '3010', 8, 0, 3_000, 8_192, 0.7),
  workload('plover', 'marine', 'airfield-briefer', 'airfield', '3020', 8, 3, 3_500, 10_240, 0.75),
  workload('plover', 'duty', 'duty-board', 'platform', '9010', 4, 6, 1_000, 4_096, 0.4),
  workload('plover', 'river', 'gauge-collector', 'gauges', '4010', 5, 2, 2_000, 6_144, 1.1),
  daemon('plover', 'kube-system', 'node-agent', 200, 512),
  workload('dunlin', 'models', 'hindcast', 'models', '1010', 5, 0, 14_000, 49_152, 0.95, { kind: 'StatefulSet' }),
  workload('dunlin', 'nowcast', 'nowcast-lab', 'nowcast', '5020', 6, 2, 4_000, 16_384, 0.6),
  workload('dunlin', 'river', 'warning-mapper', 'warnings', '4020', 4, 1, 3_000, 8_192, 0.5),
  daemon('dunlin', 'kube-system', 'node-agent', 300, 1_024),
]

/** What serves workloads of heron beside its nodes, and what it costs to run it at all. Targets are where the rules send them while nothing is metered. */
export function clusterExtras(): Resource[] {
  const owner = makePlan('9010', 'nimbrel', 'nb-forecast', 'shared', 'north-2', {})
  const volume = (index: number): Resource => ({ ...makeResource('block', 1, owner, 'CLUSTERS', { cluster: 'heron' }), id: `nb-vol-heron-${index}`, name: `heron-volume-${index}`, quantity: 700 + index * 250, growth: 1 })
  const control = makeResource('compute', 0, owner, 'CLUSTERS', { cluster: 'heron' })
  return [
    volume(1), volume(2),
    { ...makeResource('network', 1, owner, 'CLUSTERS', { cluster: 'heron' }), id: 'nb-bal-heron', name: 'heron-balancer', quantity: 4_200, growth: 1 },
    { ...control, id: 'nb-ctl-heron', name: 'heron-control', service: 'Cluster Control', subcategory: 'Containers', type: 'Control plane', sku: 'control', price: 310_000 },
  ]
}

/** Which workloads a serving resource serves, in bytes an hour. */
export const SERVED: { resourceId: string; record: 'volume' | 'balancer'; workload: string; quantity: number }[] = [
  { resourceId: 'nb-vol-heron-1', record: 'volume', workload: 'ensemble-runner', quantity: 600 * 2 ** 30 },
  { resourceId: 'nb-vol-heron-1', record: 'volume', workload: 'archive-reader', quantity: 200 * 2 ** 30 },
  { resourceId: 'nb-vol-heron-2', record: 'volume', workload: 'app-sessions', quantity: 500 * 2 ** 30 },
  { resourceId: 'nb-bal-heron', record: 'balancer', workload: 'app-gateway', quantity: 9 * 2 ** 30 },
  { resourceId: 'nb-bal-heron', record: 'balancer', workload: 'scan-decoder', quantity: 3 * 2 ** 30 },
]
