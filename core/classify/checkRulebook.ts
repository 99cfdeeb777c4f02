import { isField } from '../charges/attributes.ts'
import { addsUpToHundred } from '../pools/distribute.ts'
import type { Problem } from '../problems.ts'
import type { Condition, CostCentre, Rule, Rulebook } from '../types.ts'
import { isPattern } from './conditions.ts'

/** What keeps a rulebook from being published: each problem names the rule or pool. */
export function checkRulebook(rulebook: Rulebook, centres: readonly CostCentre[]): Problem[] {
  const codes = new Set(centres.map(({ code }) => code))
  const pools = new Set(rulebook.pools.map(({ code }) => code))
  const doubledPools = rulebook.pools.filter(({ code }, index) => rulebook.pools.findIndex((pool) => pool.code === code) !== index)
  return [
    ...rulebook.rules.flatMap((rule) => checkRule(rule, codes, pools)),
    ...doubledPools.map(({ code }): Problem => ({ code: 'RULE_TARGET_UNKNOWN', subject: code, message: `Two pools have the code ${code}.` })),
    ...rulebook.pools.flatMap((pool): Problem[] => {
      const named = pool.base.kind === 'fixed' ? Object.keys(pool.base.percents) : pool.recipients
      const unknown = named.filter((code) => !codes.has(code))
      return [
        ...(pool.base.kind === 'fixed' && !addsUpToHundred(pool.base.percents) ? [{ code: 'POOL_PERCENT' as const, subject: pool.code, message: `The percentages of pool ${pool.name} do not add up to 100 exactly.` }] : []),
        ...(unknown.length > 0 ? [{ code: 'RULE_TARGET_UNKNOWN' as const, subject: pool.code, message: `Pool ${pool.name} names ${unknown.join(', ')}, which is no cost centre.` }] : []),
      ]
    }),
  ]
}

function checkRule(rule: Rule, centres: ReadonlySet<string>, pools: ReadonlySet<string>): Problem[] {
  const { kind, code } = rule.outcome
  const isKnown = (kind === 'pool' ? pools : centres).has(code)
  const flawed = rule.conditions.flatMap((condition) => conditionFlaw(condition) ?? [])
  return [
    ...(isKnown ? [] : [{ code: 'RULE_TARGET_UNKNOWN' as const, subject: rule.id, message: `Rule “${rule.name}” sends charges to ${code || 'nothing'}, which is no ${kind === 'pool' ? 'pool' : 'cost centre'}.` }]),
    ...flawed.map((flaw): Problem => ({ code: 'RULE_CONDITION', subject: rule.id, message: `Rule “${rule.name}”: ${flaw}` })),
    ...(rule.conditions.length === 0 ? [{ code: 'RULE_CONDITION' as const, subject: rule.id, message: `Rule “${rule.name}” has no condition.` }] : []),
  ]
}

/** What is wrong with a condition, or null. */
export function conditionFlaw({ field, operator, values }: Condition): string | null {
  if (!isField(field)) return `${field || 'an empty field'} is no attribute of a charge.`
  if (operator !== 'present' && operator !== 'absent' && values.length === 0) return `the condition on ${field} has no value.`
  if (operator === 'matches' || operator === 'notMatches') {
    const bad = values.find((value) => !isPattern(value))
    if (bad !== undefined) return `${bad} is no usable pattern.`
  }
  return null
}
