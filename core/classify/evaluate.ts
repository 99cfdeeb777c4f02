import { holdsIn, type Month } from '../calendar/month.ts'
import type { Condition, KeyFigures, Rule } from '../types.ts'
import { conditionTest } from './conditions.ts'
import { KeyTable } from './keyTable.ts'

export const NO_RULE = -1

export interface Classified {
  /** for each key, the index of the first rule that takes it, or NO_RULE */
  ruleOf: Int32Array
  /** for each rule, the keys it would take if it stood first: a bit per key, or null where it does not hold in the month */
  wouldTake: (Uint8Array | null)[]
}

/** Truth of a condition by code of its field's column. */
function truthOf(condition: Condition, table: KeyTable): { codes: Int32Array; truth: Uint8Array } {
  const { codes, values } = table.column(condition.field)
  const test = conditionTest(condition)
  return { codes, truth: Uint8Array.from(values, (value) => (test(value) ? 1 : 0)) }
}

/** The keys that satisfy all conditions of the rule, as a byte per key. A rule without conditions takes everything. */
export function matchRule(rule: Pick<Rule, 'conditions'>, table: KeyTable): Uint8Array {
  const matches = new Uint8Array(table.keys.length).fill(1)
  for (const condition of rule.conditions) {
    const { codes, truth } = truthOf(condition, table)
    for (let key = 0; key < matches.length; key++) matches[key]! &= truth[codes[key]!]!
  }
  return matches
}

export const isActive = (rule: Rule, month: Month): boolean => rule.enabled && holdsIn(month, rule.from, rule.to)

/**
 * Gives each key to the first rule of the ordered list whose conditions it satisfies; rules that are switched off or do
 * not hold in the month are passed over.
 */
export function classify(rules: readonly Rule[], table: KeyTable, month: Month): Classified {
  const ruleOf = new Int32Array(table.keys.length).fill(NO_RULE)
  const wouldTake = rules.map((rule, index) => {
    if (!isActive(rule, month)) return null
    const matches = matchRule(rule, table)
    for (let key = 0; key < matches.length; key++) if (matches[key] && ruleOf[key] === NO_RULE) ruleOf[key] = index
    return matches
  })
  return { ruleOf, wouldTake }
}

/** Whether one key satisfies the rule: the plain definition that the table must agree with. */
export const takes = (rule: Pick<Rule, 'conditions'>, attributes: KeyFigures['attributes']): boolean =>
  rule.conditions.every((condition) => conditionTest(condition)(attributes[condition.field]))
