import { makePlan, makeResource, type Resource } from './resources.ts'
import { SPELLINGS } from './scenario.ts'

/** Days on which the stories turn; the answers are derived from the same constants. */
export const STORY_DAYS = {
  machineChange: '2026-06-10',
  throughput: { from: '2026-05-04', to: '2026-06-03' },
  tagsLost: { from: '2026-10-06', to: '2026-10-14' },
  twiceAtWeekends: '2026-09-05',
  commitment: { from: '2026-08-01', halfFrom: '2026-10-01' },
  allowance: '2026-07-01',
  priceRise: '2026-04-01',
  projectEnded: '2026-08-17',
  meterLost: '2026-11-02',
  newService: '2026-11-09',
  misassignedFrom: '2026-07-01',
  appSurge: '2026-11-03',
  missingDay: { provider: 'orvane', day: '2026-03-17' },
} as const

const within = (day: string, { from, to }: { from: string; to: string }): boolean => from <= day && day <= to
const isWeekend = (day: string): boolean => [0, 6].includes(new Date(day + 'T00:00:00Z').getUTCDay())

/** Bends steady resources into the stories that change what exists; returns the resources that stories add. */
export function tellStories(steady: Resource[]): Resource[] {
  changeMachineType(steady)
  loseTags(steady)
  runTwiceAtWeekends(steady)
  raisePrices(steady)
  surge(steady)
  return [...throughputLeftOn(), ...misspelled(), ...unowned(), ...allowance(), ...idleGraphics(), ...newService(), ...committed(), ...loudNetwork(), ...misassigned()]
}

const of = (resources: Resource[], centre: string, service: string): Resource[] =>
  resources.filter(({ target, service: name }) => target === centre && name === service)

/** Eight machines of Model Runs move to a dearer type and become twelve at once. */
function changeMachineType(steady: Resource[]): void {
  const machines = of(steady, '1010', 'Machines').slice(0, 12)
  machines.forEach((machine, index) => {
    machine.priceAt = (day) => (day >= STORY_DAYS.machineChange ? 702_000 : 384_000)
    if (index >= 8) machine.from = STORY_DAYS.machineChange
  })
}

/** A deployment of the Phone App loses its tags for nine days. */
function loseTags(steady: Resource[]): void {
  for (const machine of of(steady, '2010', 'Machines').slice(0, 14)) machine.tagsAt = (day) => (within(day, STORY_DAYS.tagsLost) ? {} : null)
}

function runTwiceAtWeekends(steady: Resource[]): void {
  for (const machine of of(steady, '5020', 'Machines').slice(0, 10)) machine.adjust = (day) => (day >= STORY_DAYS.twiceAtWeekends && isWeekend(day) ? 2 : 1)
}

/** Loomlog raises its prices by 8 per cent on the first of April. */
function raisePrices(steady: Resource[]): void {
  for (const stream of steady.filter(({ provider }) => provider === 'loomlog')) {
    const { price } = stream
    stream.priceAt = (day) => (day >= STORY_DAYS.priceRise ? (price * 108) / 100 : price)
  }
}

/** A launch: the Phone App's functions run three times as often from early November. */
function surge(steady: Resource[]): void {
  for (const item of of(steady, '2010', 'Functions')) item.adjust = (day) => (day >= STORY_DAYS.appSurge ? 3 : 1)
}

function throughputLeftOn(): Resource[] {
  const owner = makePlan('2020', 'tarnhost', 'th-portal', null, 'coast-1', {})
  return [{ ...makeResource('block', 1, owner, '2020', { environment: 'prod' }), id: 'ta-vol-throughput', name: 'portal-throughput', sku: 'vol-throughput', unit: 'MBps-Days', price: 48_000, quantity: 2_500, growth: 1, ...STORY_DAYS.throughput }]
}

/** Resources of Radar Ingest whose team tag is spelled in other ways: no rule takes them. */
function misspelled(): Resource[] {
  const owner = makePlan('1020', 'nimbrel', 'nb-forecast', 'radar', 'north-2', {})
  return SPELLINGS.slice(1).flatMap((key) => Array.from({ length: 2 }, (_, index) => ({ ...makeResource('compute', index, owner, null, { [key]: 'radar', environment: 'prod' }), from: '2026-02-01' })))
}

/** Machines that nobody tagged, in a shared sub account. */
function unowned(): Resource[] {
  const owner = makePlan('9010', 'nimbrel', 'nb-public', null, 'north-1', {})
  return Array.from({ length: 6 }, (_, index) => makeResource('compute', index, owner, null, {}))
}

/** Requests of the portal beyond a free allowance: nothing is paid until July 2026. */
function allowance(): Resource[] {
  const owner = makePlan('2020', 'tarnhost', 'th-portal', null, 'coast-1', {})
  return [{ ...makeResource('functions', 0, owner, '2020', { environment: 'prod' }), id: 'ta-fn-allowance', name: 'portal-open-api', quantity: 3_000_000, growth: 1.6, priceAt: (day) => (day >= STORY_DAYS.allowance ? 9 : 0) }]
}

/** Graphics nodes of the Nowcast Lab run on after their project ended. */
function idleGraphics(): Resource[] {
  const owner = makePlan('5020', 'nimbrel', 'nb-research', 'nowcast', 'north-3', {})
  return Array.from({ length: 3 }, (_, index) => ({ ...makeResource('compute', index, owner, '5020', { team: 'nowcast', project: 'storm-cells' }), name: `storm-cells-gpu-${index + 1}`, sku: 'g-2', price: 2_410_000, from: '2026-01-12' }))
}

function newService(): Resource[] {
  const owner = makePlan('2010', 'nimbrel', 'nb-public', 'app', 'north-1', {})
  return [{ ...makeResource('functions', 0, owner, '2010', { team: 'app', environment: 'prod' }), id: 'nb-ser-00001', name: 'app-search', service: 'Text Search', category: 'Analytics', subcategory: 'Search', type: 'Search index', sku: 'search-unit', unit: 'Hours', price: 3_100_000, quantity: 48, growth: 1, from: STORY_DAYS.newService }]
}

/** Ten machines under the commitment of August; five of them stop in October. */
function committed(): Resource[] {
  const owner = makePlan('1010', 'nimbrel', 'nb-forecast', 'models', 'north-2', {})
  return Array.from({ length: 10 }, (_, index) => ({
    ...makeResource('compute', 1, owner, '1010', { team: 'models', environment: 'prod' }), name: `models-steady-${index + 1}`, committed: true,
    from: STORY_DAYS.commitment.from, ...(index >= 5 ? { to: '2026-09-30' } : {}),
  }))
}

/** One gateway of the portal sends most of the traffic that leaves Tarnhost. */
function loudNetwork(): Resource[] {
  const owner = makePlan('2020', 'tarnhost', 'th-portal', null, 'coast-1', {})
  return [{ ...makeResource('network', 0, owner, '2020', { environment: 'prod' }), id: 'ta-net-loud', name: 'portal-mirror', quantity: 4_800, growth: 1.3 }]
}

/** Machines of the Airfield Briefings in the portal's account: the rule of the account takes them before that of the team can. */
function misassigned(): Resource[] {
  const owner = makePlan('3020', 'tarnhost', 'th-portal', 'airfield', 'coast-1', {})
  return Array.from({ length: 3 }, (_, index) => ({ ...makeResource('compute', index, owner, '2020', { team: 'airfield', environment: 'prod' }), name: `airfield-display-${index + 1}`, from: STORY_DAYS.misassignedFrom }))
}
