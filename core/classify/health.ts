import type { Condition, Rule } from '../types.ts'
import { conditionTest } from './conditions.ts'
import type { Classified } from './evaluate.ts'

/** Rows that a rule would take if an earlier one did not: what is deducted so that nothing counts twice. */
export interface Overlap { rule: number; by: number; rows: number[] }

export function overlapsOf({ ruleOf, wouldTake }: Classified): Overlap[] {
  return wouldTake.flatMap((matches, rule) => {
    const taken = new Map<number, number[]>()
    for (const row of matches ?? []) {
      const by = ruleOf[row]!
      if (by === rule) continue
      const rows = taken.get(by)
      if (rows) rows.push(row)
      else taken.set(by, [row])
    }
    return [...taken].sort(([a], [b]) => a - b).map(([by, rows]) => ({ rule, by, rows }))
  })
}

/** Why no charge can ever satisfy the conditions of a rule together, or null. */
export function contradictionOf({ conditions }: Pick<Rule, 'conditions'>): string | null {
  for (const condition of conditions) {
    const others = conditions.filter((other) => other !== condition && other.field === condition.field)
    const candidates = candidatesOf(condition)
    if (!candidates) continue
    const other = others.find((one) => !candidates.some((value) => conditionTest(one)(value)))
    if (other) return `no ${condition.field} satisfies both conditions on it`
    if (candidates.length > 0 && !candidates.some((value) => others.every((one) => conditionTest(one)(value)))) return `no ${condition.field} satisfies all conditions on it`
  }
  return null
}

/** The only values that can satisfy a condition, undefined standing for a missing field; null where they cannot be listed. */
function candidatesOf({ operator, values }: Condition): (string | undefined)[] | null {
  if (operator === 'is') return values
  return operator === 'absent' ? [undefined, ''] : null
}

/** Pairs of rules with the same conditions and months that send charges to different places: the later one takes nothing. */
export function contraryPairs(rules: readonly Rule[]): { rule: number; against: number }[] {
  const first = new Map<string, number>()
  return rules.flatMap((rule, index) => {
    if (!rule.enabled) return []
    const conditions = rule.conditions.map(({ field, operator, values }) => JSON.stringify([field, operator, [...values].sort()])).sort()
    const name = JSON.stringify([conditions, rule.from, rule.to])
    const against = first.get(name)
    if (against === undefined) first.set(name, index)
    return against !== undefined && JSON.stringify(rules[against]!.outcome) !== JSON.stringify(rule.outcome) ? [{ rule: index, against }] : []
  })
}
