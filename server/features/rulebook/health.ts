import { contradictionOf, contraryPairs, overlapsOf } from '../../../core/classify/health.ts'
import type { Rulebook } from '../../../core/types.ts'
import { stageOf, takenBy, type MonthLedger, type Taken } from './monthLedger.ts'

/** Something the matter with a rule, by position in the list. */
export type Ailment =
  /** no charge can satisfy its conditions */
  | { kind: 'contradictory'; rule: number; reason: string }
  /** the same conditions as an earlier rule, another outcome */
  | { kind: 'contrary'; rule: number; against: number }
  /** takes nothing in the month, though it would if it stood before `behind` */
  | { kind: 'shadowed'; rule: number; behind: number; money: Taken }
  /** nothing in the month fits it */
  | { kind: 'dead'; rule: number }
  /** took nothing in any of the months looked at */
  | { kind: 'neverUsed'; rule: number; months: number }

/** Money that fits two rules and is counted for the first alone. */
export interface OverlapMoney { rule: number; by: number; money: Taken }
export interface Health { ailments: Ailment[]; overlaps: OverlapMoney[]; months: number }

/** Looks through the rules of a classification: those that do not work in the month, those that took nothing in any of the others, and where they overlap. */
export function healthOf(ledger: MonthLedger, others: readonly MonthLedger[], rulebook: Rulebook, classification: string): Health {
  const { rules, table, ...classified } = stageOf(ledger, rulebook, classification)
  const overlaps = overlapsOf(classified)
  const used = usedRules(classified.ruleOf)
  const everUsed = new Set([...used, ...others.flatMap((other) => [...usedRules(stageOf(other, rulebook, classification).ruleOf)])])
  const contrary = new Map(contraryPairs(rules).map(({ rule, against }) => [rule, against]))
  const money = (rows: readonly number[]): Taken => takenBy(ledger, table, rows, rulebook.chargedBasis)
  const ailments = rules.flatMap((rule, index): Ailment[] => {
    const matches = classified.wouldTake[index]
    if (!rule.enabled) return []
    const reason = contradictionOf(rule)
    if (reason) return [{ kind: 'contradictory', rule: index, reason }]
    if (contrary.has(index)) return [{ kind: 'contrary', rule: index, against: contrary.get(index)! }]
    const never: Ailment[] = everUsed.has(index) ? [] : [{ kind: 'neverUsed', rule: index, months: others.length + 1 }]
    if (!matches || used.has(index)) return never
    const above = overlaps.filter((overlap) => overlap.rule === index)
    return above.length > 0 ? [{ kind: 'shadowed', rule: index, behind: above[0]!.by, money: money([...matches]) }, ...never] : [...(never.length > 0 ? never : [{ kind: 'dead' as const, rule: index }])]
  })
  return { ailments, overlaps: overlaps.map(({ rule, by, rows }) => ({ rule, by, money: money(rows) })), months: others.length + 1 }
}

const usedRules = (ruleOf: Int32Array): Set<number> => new Set(ruleOf)
