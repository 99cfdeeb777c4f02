import { settingName } from '../../../core/classify/settled.ts'
import { SPECIAL_KINDS, type ClusterWay, type CostCentre, type Rule, type Rulebook, type SpecialKind, type SpecialWay } from '../../../core/types.ts'
import { baseLabel } from '../../../core/pools/distribute.ts'
import { actText, conditionText, monthsText, outcomeText } from './words.ts'

/** One thing that two versions of a rulebook have different, in words. */
export interface Difference { sign: '+' | '−' | '~' | '↕'; what: string; text: string }

/** What became of one rulebook in another: rules by their identity, in the order of the later one. */
export function differencesOf(before: Rulebook, after: Rulebook, centres: readonly CostCentre[]): Difference[] {
  const named = [...new Set([...before.classifications, ...after.classifications].map(({ code }) => code))]
  const listOf = (rulebook: Rulebook, code: string): Rule[] => rulebook.classifications.find((one) => one.code === code)?.rules ?? []
  const nameOf = (code: string): string => [...after.classifications, ...before.classifications].find((one) => one.code === code)!.name
  return [
    ...(before.chargedBasis === after.chargedBasis ? [] : [{ sign: '~' as const, what: 'Charged cost', text: `${before.chargedBasis} becomes ${after.chargedBasis}` }]),
    ...listDifferences(before.cleanUp, after.cleanUp, 'Tag clean-up', (step) => [actText(step.act), monthsText(step), step.enabled ? '' : 'off'].filter(Boolean).join(', ')),
    ...named.flatMap((code) => ruleDifferences(listOf(before, code), listOf(after, code), nameOf(code), after, centres)),
    ...ruleDifferences(before.rules, after.rules, 'Rule', after, centres),
    ...listDifferences(before.pools.map((pool) => ({ id: pool.code, ...pool })), after.pools.map((pool) => ({ id: pool.code, ...pool })), 'Pool', (pool) => `${pool.name}, ${baseLabel(pool)}${pool.base.kind === 'fixed' ? `: ${Object.entries(pool.base.percents).map(([code, percent]) => `${code} ${percent} %`).join(', ')}` : ''}${pool.recipients.length ? `, among ${pool.recipients.join(', ')}` : ''}`),
    ...(before.poolMethod === after.poolMethod ? [] : [{ sign: '~' as const, what: 'Pools that serve each other', text: `${METHOD_WORDS[before.poolMethod]} becomes ${METHOD_WORDS[after.poolMethod]}` }]),
    ...listDifferences(before.clusters.map((one) => ({ id: one.cluster, ...one })), after.clusters.map((one) => ({ id: one.cluster, ...one })), 'Cluster', ({ cluster, weights, idle, overhead }) => `${cluster}: weights ${weights.cpu}, ${weights.memory}, ${weights.gpu}; idle ${wayText(idle, after, centres)}, overhead ${wayText(overhead, after, centres)}`),
    ...listDifferences(specialList(before), specialList(after), 'Special charges', ({ id, way }) => `${settingName(id)} ${wayText(way, after, centres)}`),
    ...listDifferences(before.markUps, after.markUps, 'Mark-up', ({ name, fee, on, costCentres, recoveryAccount }) => `${name}: ${fee.kind === 'percent' ? `${fee.percent} % of ${on}` : `${fee.amount} a month`}, ${costCentres.join(', ') || 'all'}, account ${recoveryAccount}`),
  ]
}

const METHOD_WORDS = { direct: 'direct', stepDown: 'step-down', reciprocal: 'reciprocal' } as const
const specialList = ({ special }: Rulebook): { id: SpecialKind; way: SpecialWay }[] => SPECIAL_KINDS.flatMap((kind) => (special[kind] ? [{ id: kind, way: special[kind] }] : []))

function wayText(way: ClusterWay | SpecialWay, { pools }: Rulebook, centres: readonly CostCentre[]): string {
  switch (way.kind) {
    case 'rules': return 'by the rules'
    case 'node': return 'to those on the node'
    case 'tenants': return 'where the workloads go'
    case 'follow': return 'follow what they concern'
    default: return `to ${outcomeText(way, centres, pools)}`
  }
}

function ruleDifferences(before: readonly Rule[], after: readonly Rule[], what: string, { pools }: Rulebook, centres: readonly CostCentre[]): Difference[] {
  return listDifferences(before, after, what, (rule) => `“${rule.name}”: ${[rule.conditions.map(conditionText).join(' and ') || 'any charge', `→ ${outcomeText(rule.outcome, centres, pools)}`, monthsText(rule), rule.enabled ? '' : 'off'].filter(Boolean).join(', ')}`)
}

function listDifferences<T extends { id: string }>(before: readonly T[], after: readonly T[], what: string, wordsOf: (thing: T) => string): Difference[] {
  const [old, fresh] = [new Map(before.map((thing) => [thing.id, thing])), new Map(after.map((thing) => [thing.id, thing]))]
  const kept = after.filter(({ id }) => old.has(id)).map(({ id }) => id)
  const moved = new Set(outOfOrder(before.filter(({ id }) => fresh.has(id)).map(({ id }) => id), kept))
  return [
    ...before.filter(({ id }) => !fresh.has(id)).map((thing): Difference => ({ sign: '−', what, text: wordsOf(thing) })),
    ...after.flatMap((thing, index): Difference[] => {
      const was = old.get(thing.id)
      if (!was) return [{ sign: '+', what, text: wordsOf(thing) }]
      const [then, now] = [wordsOf(was), wordsOf(thing)]
      return [
        ...(JSON.stringify(was) === JSON.stringify(thing) ? [] : [{ sign: '~' as const, what, text: then === now ? `${now} (values that are not shown here)` : `${then} becomes ${now}` }]),
        ...(moved.has(thing.id) ? [{ sign: '↕' as const, what, text: `${now} now stands at place ${index + 1}` }] : []),
      ]
    }),
  ]
}

/** The fewest things that moved: those outside the longest run that kept its order. */
function outOfOrder(before: readonly string[], after: readonly string[]): string[] {
  const place = new Map(before.map((id, index) => [id, index]))
  const order = after.map((id) => place.get(id)!)
  // longest rising subsequence by patience sorting: tails[n] is where the best run of length n + 1 ends
  const tails: number[] = []
  const previous: number[] = []
  order.forEach((value, index) => {
    let [low, high] = [0, tails.length]
    while (low < high) { const middle = (low + high) >> 1; if (order[tails[middle]!]! < value) low = middle + 1; else high = middle }
    previous[index] = low > 0 ? tails[low - 1]! : -1
    tails[low] = index
  })
  const stayed = new Set<number>()
  for (let at = tails.at(-1) ?? -1; at >= 0; at = previous[at]!) stayed.add(at)
  return after.filter((_, index) => !stayed.has(index))
}
