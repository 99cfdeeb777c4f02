import { holdsIn, type Month } from '../calendar/month.ts'
import type { Condition, KeyFigures, Rule } from '../types.ts'
import { conditionTest } from './conditions.ts'
import type { FieldColumn, KeyTable } from './keyTable.ts'

export const NO_RULE = -1

export interface Classified {
  /** for each key, the index of the first rule that takes it, or NO_RULE */
  ruleOf: Int32Array
  /** for each rule, the indexes of the keys it would take if it stood first, or null where it does not hold in the month */
  wouldTake: (Int32Array | null)[]
}

interface Decided {
  column: FieldColumn
  /** whether the condition holds, by code of the column */
  truth: Uint8Array
  /** number of keys for which it holds */
  count: number
}

function decide({ field, ...condition }: Condition, table: KeyTable): Decided {
  const column = table.column(field)
  const test = conditionTest({ field, ...condition })
  const truth = new Uint8Array(column.values.length)
  let count = 0
  for (let code = 0; code < truth.length; code++) {
    if (!test(column.values[code])) continue
    truth[code] = 1
    count += column.begins[code + 1]! - column.begins[code]!
  }
  return { column, truth, count }
}

/** The keys that satisfy all conditions of the rule, in no particular order: those of its rarest condition that satisfy the others. */
export function matchRule(rule: Pick<Rule, 'conditions'>, table: KeyTable): Int32Array {
  const decided = rule.conditions.map((condition) => decide(condition, table)).sort((a, b) => a.count - b.count)
  const [rarest, ...others] = decided
  if (!rarest) return Int32Array.from(table.keys, (_, index) => index)
  const matches = new Int32Array(rarest.count)
  let found = 0
  const { keysByCode, begins } = rarest.column
  for (let code = 0; code < rarest.truth.length; code++) {
    if (!rarest.truth[code]) continue
    for (let at = begins[code]!; at < begins[code + 1]!; at++) {
      const key = keysByCode[at]!
      if (others.every(({ column, truth }) => truth[column.codes[key]!])) matches[found++] = key
    }
  }
  return matches.subarray(0, found)
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
    for (const key of matches) if (ruleOf[key] === NO_RULE) ruleOf[key] = index
    return matches
  })
  return { ruleOf, wouldTake }
}

/** Whether one key satisfies the rule: the plain definition that the table must agree with. */
export const takes = (rule: Pick<Rule, 'conditions'>, attributes: KeyFigures['attributes']): boolean =>
  rule.conditions.every((condition) => conditionTest(condition)(attributes[condition.field]))
