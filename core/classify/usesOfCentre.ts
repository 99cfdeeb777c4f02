import type { Outcome, PoolBase, Rulebook } from '../types.ts'

function sendsTo(outcome: Outcome, code: string): boolean {
  switch (outcome.kind) {
    case 'costCentre': return outcome.code === code
    case 'split': return Object.hasOwn(outcome.percents, code)
    case 'mapped': return Object.values(outcome.mapping).includes(code)
    default: return false
  }
}

const isFixedFor = (base: PoolBase, code: string): boolean => base.kind === 'fixed' && Object.hasOwn(base.percents, code)

/** What in a rulebook names a cost centre, in words, in the order of the rulebook: without it, that would send money to nobody. */
export function usesOfCentre({ rules, clusters, special, pools, markUps }: Rulebook, code: string): string[] {
  const isWayTo = (way: { kind: string; code?: string } | undefined): boolean => way?.kind === 'costCentre' && way.code === code
  return [
    ...rules.filter(({ outcome }) => sendsTo(outcome, code)).map(({ name }) => `rule “${name}”`),
    ...clusters.flatMap(({ cluster, idle, overhead }) => [...(isWayTo(idle) ? [`the setting for idle cost of cluster ${cluster}`] : []), ...(isWayTo(overhead) ? [`the setting for overhead of cluster ${cluster}`] : [])]),
    ...Object.entries(special).filter(([, way]) => isWayTo(way)).map(([kind]) => `the setting for special charges of the kind ${kind}`),
    ...pools.filter(({ base, recipients }) => recipients.includes(code) || isFixedFor(base, code)).map(({ name }) => `pool “${name}”`),
    ...markUps.filter(({ costCentres }) => costCentres.includes(code)).map(({ name }) => `mark-up “${name}”`),
  ]
}
