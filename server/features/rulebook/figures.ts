import { NO_RULE } from '../../../core/classify/evaluate.ts'
import { groupUnassigned } from '../../../core/classify/unassigned.ts'
import { CONVERTED_SCALE } from '../../../core/money/convert.ts'
import { roundList } from '../../../core/money/apportion.ts'
import type { Basis, Condition, Rulebook } from '../../../core/types.ts'
import { preparedTable } from '../allocation/ledger.ts'
import { bySize, stageOf, Tally, type MonthLedger, type Taken } from './monthLedger.ts'

export interface RuleFigures {
  /** by position in the list */
  rules: { takes: Taken; wouldTake: Taken | null }[]
  unassigned: Taken
  /** what settings send before any rule is asked: idle and overhead of clusters, special charges */
  settled: Taken
}

/** What each rule of a classification takes in the month where it stands, and what it would take if it stood first. */
export function ruleFigures(ledger: MonthLedger, rulebook: Rulebook, classification: string): RuleFigures {
  const { rules, table, ruleOf, wouldTake } = stageOf(ledger, rulebook, classification)
  const tally = (): Tally => new Tally(rulebook.chargedBasis, ledger.rates, ledger.digits)
  const takes = rules.map(tally)
  const [unassigned, settled] = [tally(), tally()]
  table.keys.forEach((key, index) => (ruleOf[index]! === NO_RULE ? unassigned : (takes[ruleOf[index]!] ?? settled)).add(key))
  const first = wouldTake.map((matches) => {
    if (!matches) return null
    const sum = tally()
    for (const index of matches) sum.add(table.keys[index]!)
    return sum.taken()
  })
  return { rules: takes.map((sum, index) => ({ takes: sum.taken(), wouldTake: first[index]! })), unassigned: unassigned.taken(), settled: settled.taken() }
}

/** Charges grouped by the values of a field as the cost-centre rules see it, with their money; what a condition can choose from. */
export function valuesOf(ledger: MonthLedger, rulebook: Rulebook, field: string, basis: Basis, text: string, most: number): (Taken & { value: string | null })[] {
  const table = preparedTable(ledger, rulebook)
  const { codes, values } = table.column(field)
  const wanted = text.toLowerCase()
  const tallies = values.map((value) => ((value ?? '').toLowerCase().includes(wanted) ? new Tally(basis, ledger.rates, ledger.digits) : null))
  table.keys.forEach((key, row) => tallies[codes[row]!]?.add(key))
  const all = values.map((value, code) => ({ value: value ?? null, ...(tallies[code] ?? new Tally(basis, ledger.rates, ledger.digits)).taken() })).filter(({ keys }) => keys > 0)
  return all.sort((a, b) => bySize(a, b) || (String(a.value) < String(b.value) ? -1 : 1)).slice(0, most)
}

export interface UnassignedGroup extends Taken { conditions: Condition[]; resources: string[] }

/** What no rule of a classification takes, by its largest common attributes, largest money first. */
export function unassignedGroups(ledger: MonthLedger, rulebook: Rulebook, classification: string): UnassignedGroup[] {
  const { table, ruleOf } = stageOf(ledger, rulebook, classification)
  const groups = groupUnassigned(table, table.keys.flatMap((_, row) => (ruleOf[row] === NO_RULE ? [row] : [])))
  const tallies = groups.map(({ rows }) => {
    const tally = new Tally(rulebook.chargedBasis, ledger.rates, ledger.digits)
    rows.forEach((row) => tally.add(table.keys[row]!))
    return tally
  })
  const { rounded } = roundList(tallies.map(({ amount }) => amount), ledger.digits, CONVERTED_SCALE)
  return groups.map(({ rows, conditions }, index) => {
    const resources = [...new Set(rows.map((row) => table.value('ResourceName', row) ?? table.value('ResourceId', row) ?? 'no resource'))]
    return { conditions, resources: resources.slice(0, 5), ...tallies[index]!.taken(rounded[index]) }
  }).sort(bySize)
}
