import { holdsIn, type Month } from '../calendar/month.ts'
import type { Condition, Rule } from '../types.ts'
import { firstFailing, mappedTo } from './evaluate.ts'

/** How a rule stands to one charge. */
export type Verdict =
  | { kind: 'takes' }
  /** it fits, but an earlier rule takes the charge */
  | { kind: 'wouldTake' }
  | { kind: 'fails'; condition: Condition }
  /** the conditions hold, but the mapping does not name the charge's value */
  | { kind: 'unmapped'; field: string; value: string | null }
  | { kind: 'off' }
  | { kind: 'notThen' }

/** For each rule of the list, in order, what it makes of a charge with these attributes. */
export function explain(rules: readonly Rule[], attributes: Readonly<Record<string, string>>, month: Month): Verdict[] {
  let isTaken = false
  return rules.map((rule): Verdict => {
    if (!rule.enabled) return { kind: 'off' }
    if (!holdsIn(month, rule.from, rule.to)) return { kind: 'notThen' }
    const condition = firstFailing(rule, attributes)
    if (condition) return { kind: 'fails', condition }
    const { outcome } = rule
    if (outcome.kind === 'mapped' && mappedTo(outcome, attributes[outcome.field]) === undefined) return { kind: 'unmapped', field: outcome.field, value: attributes[outcome.field] ?? null }
    if (isTaken) return { kind: 'wouldTake' }
    isTaken = true
    return { kind: 'takes' }
  })
}
