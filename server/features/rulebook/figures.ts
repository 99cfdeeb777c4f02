import { allocatePeriod } from '../../../core/allocatePeriod.ts'
import { classify, NO_RULE } from '../../../core/classify/evaluate.ts'
import type { KeyTable } from '../../../core/classify/keyTable.ts'
import { convert, CONVERTED_SCALE, type RateTable } from '../../../core/money/convert.ts'
import { roundList } from '../../../core/money/apportion.ts'
import { minorDigits } from '../../../core/money/currency.ts'
import { formatAmount, roundTo } from '../../../core/money/amount.ts'
import { cellsOf, roundCells } from '../../../core/statements/cells.ts'
import { groupUnassigned } from '../../../core/classify/unassigned.ts'
import type { Basis, Condition, CostCentre, KeyFigures, Rulebook } from '../../../core/types.ts'
import type { Queries } from '../../db/database.ts'
import { invalid } from '../../refusal.ts'
import { reportingCurrency } from '../../settingsTable.ts'
import { currentBills, keyTableOf } from '../allocation/ledger.ts'
import { readCentres } from '../organisation/store.ts'
import { readRates } from '../rates/store.ts'

/** Money and number of charges, the money in the reporting currency. */
export interface Taken { amount: string; lines: number; keys: number }
export interface RuleFigures {
  /** by position in the list */
  rules: { takes: Taken; wouldTake: Taken | null }[]
  unassigned: Taken
}

class Tally {
  amount = 0n
  private lines = 0
  private keys = 0

  constructor(private readonly basis: Basis, private readonly rates: RateTable, private readonly digits: number) {}

  add({ amounts, attributes, lines }: KeyFigures): void {
    this.amount += convert(amounts[this.basis], attributes.BillingCurrency!, this.rates)
    this.lines += lines
    this.keys++
  }

  /** `rounded`: minor units, where the amount was rounded together with others */
  taken(rounded = roundTo(this.amount, this.digits, CONVERTED_SCALE)): Taken {
    return { amount: formatAmount(rounded, this.digits, this.digits), lines: this.lines, keys: this.keys }
  }
}

export interface MonthLedger { table: KeyTable; rates: RateTable; digits: number; currency: string; centres: CostCentre[] }

export async function readMonthLedger(queries: Queries, url: string, month: string): Promise<MonthLedger> {
  const bills = await currentBills(queries, month)
  const [table, rates, currency, centres] = await Promise.all([keyTableOf(queries, url, bills), readRates(queries, month), reportingCurrency(queries), readCentres(queries)])
  const missing = table.column('BillingCurrency').values.filter((code) => code !== undefined && !rates.has(code))
  if (missing.length > 0) throw invalid(`There is no exchange rate for ${missing.join(', ')} in ${month}. Enter it in Intake first.`)
  return { table, rates, digits: minorDigits(currency), currency, centres }
}

/** What each rule takes in the month where it stands, and what it would take if it stood first. */
export function ruleFigures({ table, rates, digits }: MonthLedger, { rules, chargedBasis }: Rulebook, month: string): RuleFigures {
  const { keys } = table
  const { ruleOf, wouldTake } = classify(rules, table, month)
  const tally = (): Tally => new Tally(chargedBasis, rates, digits)
  const takes = rules.map(tally)
  const unassigned = tally()
  keys.forEach((key, index) => (ruleOf[index] === NO_RULE ? unassigned : takes[ruleOf[index]!]!).add(key))
  const first = wouldTake.map((matches) => {
    if (!matches) return null
    const sum = tally()
    for (const index of matches) sum.add(keys[index]!)
    return sum.taken()
  })
  return { rules: takes.map((sum, index) => ({ takes: sum.taken(), wouldTake: first[index]! })), unassigned: unassigned.taken() }
}

export interface Effect { month: string; isClosed: boolean; centres: { code: string; before: string; after: string; change: string }[] }

/** What each cost centre is charged in the month under one rulebook and under the other, rounded as its statement would be. */
export function effectOf({ table, rates, digits, centres, currency }: MonthLedger, before: Rulebook, after: Rulebook, month: string): Effect['centres'] {
  const chargedUnder = (rulebook: Rulebook): Map<string, bigint> => {
    const { result } = allocatePeriod({ month, table, rulebook, centres, rates })
    const sums = new Map<string, bigint>()
    for (const { costCentre, kind, rounded } of roundCells(cellsOf(result), rulebook.chargedBasis, rates, currency)) {
      const code = kind === 'direct' || kind === 'pool' ? costCentre : kind
      sums.set(code, (sums.get(code) ?? 0n) + rounded)
    }
    return sums
  }
  const [old, fresh] = [chargedUnder(before), chargedUnder(after)]
  const show = (units: bigint): string => formatAmount(units, digits, digits)
  return [...new Set([...old.keys(), ...fresh.keys()])].sort().flatMap((code) => {
    const [was, is] = [old.get(code) ?? 0n, fresh.get(code) ?? 0n]
    return was === is ? [] : [{ code, before: show(was), after: show(is), change: show(is - was) }]
  })
}

/** Keys grouped by the values of a field, with their money; what a condition can choose from. */
export function valuesOf({ table, rates, digits }: MonthLedger, field: string, basis: Basis, text: string, most: number): (Taken & { value: string | null })[] {
  const groups = new Map<string | null, Tally>()
  const wanted = text.toLowerCase()
  for (const key of table.keys) {
    const value = key.attributes[field] ?? null
    if (wanted && !(value ?? '').toLowerCase().includes(wanted)) continue
    let tally = groups.get(value)
    if (!tally) groups.set(value, (tally = new Tally(basis, rates, digits)))
    tally.add(key)
  }
  const all = [...groups].map(([value, tally]) => ({ value, ...tally.taken() }))
  return all.sort((a, b) => Math.abs(Number(b.amount)) - Math.abs(Number(a.amount)) || (String(a.value) < String(b.value) ? -1 : 1)).slice(0, most)
}

export interface UnassignedGroup extends Taken { conditions: Condition[]; resources: string[] }

/** What no rule takes, by its largest common attributes, largest money first. */
export function unassignedGroups({ table, rates, digits }: MonthLedger, { rules, chargedBasis }: Rulebook, month: string): UnassignedGroup[] {
  const { ruleOf } = classify(rules, table, month)
  const groups = groupUnassigned(table.keys.filter((_, index) => ruleOf[index] === NO_RULE))
  const tallies = groups.map(({ keys: group }) => {
    const tally = new Tally(chargedBasis, rates, digits)
    group.forEach((key) => tally.add(key))
    return tally
  })
  const { rounded } = roundList(tallies.map(({ amount }) => amount), digits, CONVERTED_SCALE)
  return groups.map(({ keys: group, conditions }, index) => {
    const resources = [...new Set(group.map(({ attributes }) => attributes.ResourceName ?? attributes.ResourceId ?? 'no resource'))]
    return { conditions, resources: resources.slice(0, 5), ...tallies[index]!.taken(rounded[index]) }
  }).sort((a, b) => Math.abs(Number(b.amount)) - Math.abs(Number(a.amount)))
}
