import { isField } from '../charges/attributes.ts'
import { addsUpToHundred } from '../money/percents.ts'
import { poolTarget } from '../pools/distribute.ts'
import type { Problem } from '../problems.ts'
import { SPECIAL_KINDS, type CleanAct, type ClusterWay, type Condition, type CostCentre, type Outcome, type Rule, type Rulebook, type SpecialWay } from '../types.ts'
import { isBound, isPattern } from './conditions.ts'
import { settingName } from './settled.ts'

/** What keeps a rulebook from being published: each problem names the step, classification, rule or pool. */
export function checkRulebook(rulebook: Rulebook, centres: readonly CostCentre[]): Problem[] {
  const codes = new Set(centres.map(({ code }) => code))
  const pools = new Set(rulebook.pools.map(({ code }) => code))
  return [
    ...rulebook.cleanUp.flatMap(({ id, act }, index) => (stepFlaw(act) ? [{ code: 'CLEAN_STEP' as const, subject: id, message: `Step ${index + 1} of the tag clean-up: ${stepFlaw(act)}` }] : [])),
    ...rulebook.classifications.flatMap(({ name, rules }) => rules.flatMap((rule) => checkRule(rule, `Rule “${rule.name}” of ${name}`, valueFlaw))),
    ...doubled(rulebook.classifications).map((code): Problem => ({ code: 'RULE_TARGET_UNKNOWN', subject: code, message: `Two classifications have the code ${code}.` })),
    ...laterFields(rulebook),
    ...rulebook.rules.flatMap((rule) => checkRule(rule, `Rule “${rule.name}”`, (outcome) => centreFlaw(outcome, codes, pools))),
    ...doubled(rulebook.pools).map((code): Problem => ({ code: 'RULE_TARGET_UNKNOWN', subject: code, message: `Two pools have the code ${code}.` })),
    ...rulebook.pools.flatMap((pool): Problem[] => {
      const named = pool.base.kind === 'fixed' ? Object.keys(pool.base.percents) : pool.recipients
      const unknown = named.filter((code) => (code.startsWith('pool:') ? !pools.has(code.slice('pool:'.length)) || code === poolTarget(pool.code) : !codes.has(code)))
      const strangers = (pool.serves ?? []).filter((code) => code === pool.code || !pools.has(code))
      return [
        ...(pool.base.kind === 'fixed' && !addsUpToHundred(pool.base.percents) ? [{ code: 'POOL_PERCENT' as const, subject: pool.code, message: `The percentages of pool ${pool.name} do not add up to 100 exactly.` }] : []),
        ...(pool.base.kind === 'mix' && !addsUpToHundred(Object.fromEntries(pool.base.parts.map(({ percent }, index) => [index, percent]))) ? [{ code: 'POOL_PERCENT' as const, subject: pool.code, message: `The parts of pool ${pool.name} do not add up to 100 exactly.` }] : []),
        ...(unknown.length > 0 ? [{ code: 'RULE_TARGET_UNKNOWN' as const, subject: pool.code, message: `Pool ${pool.name} names ${unknown.join(', ')}, which is no cost centre and no other pool.` }] : []),
        ...(strangers.length > 0 ? [{ code: 'RULE_TARGET_UNKNOWN' as const, subject: pool.code, message: `Pool ${pool.name} serves ${strangers.join(', ')}, which is no other pool.` }] : []),
      ]
    }),
    ...settingFlaws(rulebook, codes, pools),
  ]
}

/** Settings that send charges to what does not exist, or to whom nobody set. */
function settingFlaws({ clusters, special, markUps }: Rulebook, codes: ReadonlySet<string>, pools: ReadonlySet<string>): Problem[] {
  const flaw = (name: string, way: ClusterWay | SpecialWay): Problem[] => {
    if (way.kind === 'aside' && !way.reason.trim()) return [{ code: 'RULE_TARGET_UNKNOWN', subject: name, message: `${name} are set aside without a reason.` }]
    if ((way.kind !== 'pool' && way.kind !== 'costCentre') || (way.kind === 'pool' ? pools : codes).has(way.code)) return []
    return [{ code: 'RULE_TARGET_UNKNOWN', subject: name, message: `${name} go to ${way.code || 'nothing'}, which is no ${way.kind === 'pool' ? 'pool' : 'cost centre'}.` }]
  }
  return [
    ...clusters.flatMap(({ cluster, idle, overhead }) => [...flaw(`Idle nodes of ${cluster}`, idle), ...flaw(`Overhead charges of ${cluster}`, overhead)]),
    ...clusters.flatMap(({ cluster, nodeCharges, overheadCharges }) => [...nodeCharges, ...overheadCharges].flatMap((condition) => { const text = conditionFlaw(condition); return text ? [{ code: 'RULE_CONDITION' as const, subject: cluster, message: `Cluster ${cluster}: ${text}` }] : [] })),
    ...SPECIAL_KINDS.flatMap((kind) => (special[kind] ? flaw(`The ${settingName(kind)}`, special[kind]) : [])),
    ...markUps.flatMap(({ name, costCentres }): Problem[] => { const unknown = costCentres.filter((code) => !codes.has(code)); return unknown.length > 0 ? [{ code: 'RULE_TARGET_UNKNOWN', subject: name, message: `Mark-up ${name} names ${unknown.join(', ')}, which is no cost centre.` }] : [] }),
  ]
}

const doubled = (things: readonly { code: string }[]): string[] => [...new Set(things.filter(({ code }, index) => things.findIndex((other) => other.code === code) !== index).map(({ code }) => code))]

/** A classification may ask only for those before it; the cost centre for all of them. */
function laterFields({ classifications, rules }: Rulebook): Problem[] {
  const known = new Set<string>()
  const unknownIn = (list: readonly Rule[]): Problem[] => list.flatMap((rule) => {
    const fields = [...rule.conditions.map(({ field }) => field), ...(rule.outcome.kind === 'mapped' ? [rule.outcome.field] : [])]
    const missing = fields.filter((field) => field.startsWith('class:') && !known.has(field.slice('class:'.length)))
    return missing.map((field) => ({ code: 'RULE_CONDITION' as const, subject: rule.id, message: `Rule “${rule.name}” asks for the classification ${field.slice('class:'.length)}, which does not stand before it.` }))
  })
  const problems = classifications.flatMap(({ code, rules: list }) => {
    const found = unknownIn(list)
    known.add(code)
    return found
  })
  return [...problems, ...unknownIn(rules)]
}

function checkRule(rule: Rule, name: string, outcomeFlaw: (outcome: Outcome) => string | null): Problem[] {
  const flaw = outcomeFlaw(rule.outcome)
  const flawed = rule.conditions.flatMap((condition) => conditionFlaw(condition) ?? [])
  // a rule that maps says by its mapping what it takes
  const isBoundless = rule.conditions.length === 0 && rule.outcome.kind !== 'mapped'
  return [
    ...(flaw ? [{ code: 'RULE_TARGET_UNKNOWN' as const, subject: rule.id, message: `${name} ${flaw}` }] : []),
    ...flawed.map((text): Problem => ({ code: 'RULE_CONDITION', subject: rule.id, message: `${name}: ${text}` })),
    ...(isBoundless ? [{ code: 'RULE_CONDITION' as const, subject: rule.id, message: `${name} has no condition.` }] : []),
  ]
}

/** What is wrong with the outcome of a rule for cost centres, as the end of a sentence, or null. */
export function centreFlaw(outcome: Outcome, centres: ReadonlySet<string>, pools: ReadonlySet<string>): string | null {
  const unknown = (codes: string[]): string | null => { const missing = codes.filter((code) => !centres.has(code)); return missing.length > 0 ? `sends charges to ${missing.map((code) => code || 'nothing').join(', ')}, which is no cost centre.` : null }
  switch (outcome.kind) {
    case 'costCentre': return unknown([outcome.code])
    case 'pool': return pools.has(outcome.code) ? null : `sends charges to ${outcome.code || 'nothing'}, which is no pool.`
    case 'split': return splitFlaw(outcome.percents) ?? unknown(Object.keys(outcome.percents))
    case 'aside': return outcome.reason.trim() ? null : 'sets charges aside without a reason.'
    case 'mapped': return mappingFlaw(outcome) ?? unknown([...new Set(Object.values(outcome.mapping))])
    default: return 'gives a value where a cost centre is wanted.'
  }
}

/** The same for the other classifications, whose values are any text. */
export function valueFlaw(outcome: Outcome): string | null {
  switch (outcome.kind) {
    case 'value': return outcome.code.trim() ? null : 'gives no value.'
    case 'split': return splitFlaw(outcome.percents)
    case 'aside': return outcome.reason.trim() ? null : 'sets charges aside without a reason.'
    case 'mapped': return mappingFlaw(outcome)
    default: return 'names a cost centre or pool where a value is wanted.'
  }
}

const splitFlaw = (percents: Record<string, string>): string | null => (addsUpToHundred(percents) ? null : 'splits by percentages that do not add up to 100 exactly.')
function mappingFlaw({ field, mapping, elseItself }: Extract<Outcome, { kind: 'mapped' }>): string | null {
  if (!isField(field)) return `maps ${field || 'nothing'}, which is no attribute of a charge.`
  if (Object.keys(mapping).length === 0 && !elseItself) return 'maps no value.'
  return Object.values(mapping).some((to) => !to.trim()) ? 'maps a value to nothing.' : null
}

/** What is wrong with a step of the tag clean-up, or null. */
export function stepFlaw(act: CleanAct): string | null {
  if (act.kind !== 'placeholders' && !act.key.trim()) return 'it names no tag key.'
  switch (act.kind) {
    case 'key': return act.spellings.length > 0 ? null : 'it names no other spelling of the key.'
    case 'values': return Object.keys(act.mapping).length > 0 ? null : 'it replaces no value.'
    case 'placeholders': return act.values.length > 0 ? null : 'it names no placeholder.'
    case 'inherit': return isField(act.from) ? null : 'it does not say from where the tag is taken.'
    case 'lookup': return !isField(act.from) ? 'it does not say by which attribute the tag is looked up.' : Object.keys(act.mapping).length > 0 ? null : 'its mapping is empty.'
    case 'set': return act.resources.length > 0 ? null : 'it names no resource.'
  }
}

/** What is wrong with a condition, or null. */
export function conditionFlaw({ field, operator, values }: Condition): string | null {
  if (!isField(field)) return `${field || 'an empty field'} is no attribute of a charge.`
  if (operator !== 'present' && operator !== 'absent' && values.length === 0) return `the condition on ${field} has no value.`
  if (operator === 'matches' || operator === 'notMatches') {
    const bad = values.find((value) => !isPattern(value))
    if (bad !== undefined) return `${bad} is no usable pattern.`
  }
  if (operator === 'atLeast' || operator === 'below') {
    const bad = values.find((value) => !isBound(value))
    if (bad !== undefined) return `${bad} is neither a number nor a date such as 2026-10-31.`
  }
  return null
}
