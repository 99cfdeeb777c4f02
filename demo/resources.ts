import type { PROVIDERS } from './scenario.ts'

/** One metered thing of the demo: it writes one charge line a day while it lives. */
export interface Resource {
  provider: keyof typeof PROVIDERS & string
  subAccount: string
  service: string
  category: string
  subcategory: string
  region: string
  id: string
  name: string
  type: string
  sku: string
  unit: string
  /** price of a unit in 10^-6 of the currency */
  price: number
  /** units a day */
  quantity: number
  /** what a year multiplies the quantity by */
  growth: number
  /** share of the quantity on Saturdays and Sundays */
  weekend: number
  tags: Record<string, string>
  /** the cost centre or pool that the demo rulebook sends it to; null where no rule takes it */
  target: string | null
  from?: string
  to?: string
  /** changes of the quantity that a story makes, by day */
  adjust?: (day: string) => number
  priceAt?: (day: string) => number
  tagsAt?: (day: string) => Record<string, string> | null
  committed?: boolean
}

interface Kind { service: string; category: string; subcategory: string; type: string; unit: string; skus: [string, number, number][] }

const KINDS: Record<string, Kind> = {
  compute: { service: 'Machines', category: 'Compute', subcategory: 'Virtual Machines', type: 'Machine', unit: 'Hours', skus: [['m-4', 192_000, 24], ['m-8', 384_000, 24], ['c-16', 702_000, 24]] },
  block: { service: 'Block Volumes', category: 'Storage', subcategory: 'Block Storage', type: 'Volume', unit: 'GB-Days', skus: [['vol-std', 2_700, 800], ['vol-fast', 5_300, 500]] },
  object: { service: 'Object Store', category: 'Storage', subcategory: 'Object Storage', type: 'Bucket', unit: 'GB-Days', skus: [['obj-std', 740, 9_000], ['obj-cold', 190, 30_000]] },
  database: { service: 'Managed Databases', category: 'Databases', subcategory: 'Relational Databases', type: 'Database', unit: 'Hours', skus: [['db-4', 410_000, 24], ['db-8', 820_000, 24]] },
  network: { service: 'Network', category: 'Networking', subcategory: 'Network Connectivity', type: 'Gateway', unit: 'GB', skus: [['egress', 81_000, 60], ['gateway', 12_000, 210]] },
  functions: { service: 'Functions', category: 'Compute', subcategory: 'Serverless Compute', type: 'Function', unit: 'Requests', skus: [['fn-req', 12, 260_000]] },
  logs: { service: 'Log Keeping', category: 'Management and Governance', subcategory: 'Observability', type: 'Log stream', unit: 'GB', skus: [['keep-7', 310_000, 14], ['keep-90', 720_000, 9]] },
  hall: { service: 'Hall Machines', category: 'Compute', subcategory: 'Virtual Machines', type: 'Server', unit: 'Hours', skus: [['rack-32', 305_000, 24], ['rack-64', 560_000, 24]] },
  queue: { service: 'Message Queues', category: 'Integration', subcategory: 'Messaging', type: 'Queue', unit: 'Requests', skus: [['q-msg', 9, 410_000]] },
}

/** cost centre: where its resources live, how it is told apart, and how many of each kind there are */
interface Plan { centre: string; provider: string; subAccount: string; team: string | null; counts: Record<string, number>; region: string; weekend: number; growth: number; size: number }

const plan = (centre: string, provider: string, subAccount: string, team: string | null, region: string, counts: Plan['counts'], growth = 1.12, weekend = 1, size = 1): Plan =>
  ({ centre, provider, subAccount, team, counts, region, growth, weekend, size })

/** Where a team is null the whole sub account belongs to the cost centre. */
const PLANS: Plan[] = [
  plan('1010', 'nimbrel', 'nb-forecast', 'models', 'north-2', { compute: 46, block: 40, object: 10, network: 6 }, 1.18, 1, 1.6),
  plan('1010', 'quarry', 'qh-compute', 'models', 'hall-1', { hall: 44, block: 14 }, 1.02),
  plan('1020', 'nimbrel', 'nb-forecast', 'radar', 'north-2', { compute: 24, block: 22, object: 8, queue: 6 }, 1.1),
  plan('1020', 'quarry', 'qh-compute', 'radar', 'hall-1', { hall: 14 }, 1.0),
  plan('1030', 'tarnhost', 'th-duty', null, 'coast-1', { compute: 12, database: 4, block: 10, network: 3 }, 1.05, 0.9),
  plan('2010', 'nimbrel', 'nb-public', 'app', 'north-1', { compute: 44, functions: 34, database: 6, object: 8, network: 8, queue: 6 }, 1.35, 1.15, 1.2),
  plan('2010', 'loomlog', 'lm-prod', 'app', 'any', { logs: 16 }, 1.3, 1.1),
  plan('2020', 'tarnhost', 'th-portal', null, 'coast-1', { compute: 16, object: 14, functions: 6, network: 6 }, 1.15),
  plan('2030', 'orvane', 'ov-schools', null, 'isle-1', { compute: 8, database: 2, block: 6 }, 1.0, 0.4),
  plan('3010', 'tarnhost', 'th-marine', 'harbour', 'coast-2', { compute: 14, block: 10, database: 3 }, 1.06),
  plan('3020', 'tarnhost', 'th-marine', 'airfield', 'coast-2', { compute: 16, block: 10, database: 4, queue: 4 }, 1.08),
  plan('4010', 'orvane', 'ov-river', 'gauges', 'isle-1', { compute: 14, functions: 10, block: 10 }, 1.1),
  plan('4020', 'orvane', 'ov-river', 'warnings', 'isle-2', { compute: 18, functions: 8, database: 4, queue: 6 }, 1.14),
  plan('4020', 'loomlog', 'lm-prod', 'warnings', 'any', { logs: 8 }, 1.1),
  plan('5010', 'nimbrel', 'nb-research', 'archive', 'north-3', { object: 60, block: 16, compute: 8 }, 1.25),
  plan('5010', 'quarry', 'qh-archive', null, 'hall-1', { hall: 12, block: 14 }, 1.05),
  plan('5020', 'nimbrel', 'nb-research', 'nowcast', 'north-3', { compute: 22, block: 12, functions: 6 }, 1.2, 0.7),
  plan('9010', 'tarnhost', 'th-platform', null, 'coast-1', { compute: 14, database: 4, block: 12, network: 4 }, 1.04),
  plan('9010', 'loomlog', 'lm-prod', 'platform', 'any', { logs: 8 }, 1.1),
  plan('9020', 'orvane', 'ov-office', null, 'isle-1', { compute: 6, database: 3, block: 5 }, 1.0, 0.5),
]

let serial = 0

function resource(kind: string, index: number, owner: Plan, target: string | null, tags: Record<string, string>): Resource {
  const { service, category, subcategory, type, unit, skus } = KINDS[kind]!
  const [sku, price, quantity] = skus[index % skus.length]!
  serial++
  const id = `${owner.provider.slice(0, 2)}-${kind.slice(0, 3)}-${String(serial).padStart(5, '0')}`
  return {
    provider: owner.provider, subAccount: owner.subAccount, service, category, subcategory, type, unit, sku, price, region: owner.region, id,
    name: `${owner.team ?? owner.subAccount.slice(3)}-${kind}-${index + 1}`,
    quantity: quantity * (unit === 'Hours' ? 1 : owner.size), growth: unit === 'Hours' ? 1 : owner.growth, weekend: unit === 'Hours' ? 1 : owner.weekend, tags, target,
  }
}

/** Steady resources of the cost centres, told apart by the team tag or by their sub account. */
export function steadyResources(): Resource[] {
  serial = 0
  return PLANS.flatMap((owner) => Object.entries(owner.counts).flatMap(([kind, count]) =>
    Array.from({ length: count ?? 0 }, (_, index) => {
      const environment = index % 5 === 4 ? 'test' : 'prod'
      const tags: Record<string, string> = owner.team ? { team: owner.team, environment } : { environment }
      return resource(kind, index, owner, owner.centre, tags)
    })))
}

/** Shared things: cluster nodes, support, the radar mosaic database. Targets are pools of the demo rulebook. */
export function sharedResources(): Resource[] {
  const platform = (provider: string, subAccount: string, region: string): Plan => plan('9010', provider, subAccount, 'shared', region, {})
  const nodes = (provider: string, subAccount: string, region: string, cluster: string, count: number): Resource[] =>
    Array.from({ length: count }, (_, index) => ({ ...resource(provider === 'quarry' ? 'hall' : 'compute', 2, platform(provider, subAccount, region), 'CLUSTERS', { cluster }), name: `${cluster}-node-${index + 1}` }))
  const mosaic = { ...resource('database', 1, platform('nimbrel', 'nb-forecast', 'north-2'), 'MOSAIC', { environment: 'prod' }), id: 'nb-db-mosaic', name: 'radar-mosaic', quantity: 120 }
  const logs = Array.from({ length: 4 }, (_, index) => resource('logs', index, platform('loomlog', 'lm-prod', 'any'), 'LOGS', { team: 'shared' }))
  return [...logs, ...nodes('nimbrel', 'nb-forecast', 'north-2', 'heron', 14), ...nodes('tarnhost', 'th-platform', 'coast-1', 'plover', 8), ...nodes('quarry', 'qh-compute', 'hall-1', 'dunlin', 6), mosaic]
}

export { resource as makeResource, plan as makePlan }
