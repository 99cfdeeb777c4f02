import type { PeriodResult, Way } from '../allocatePeriod.ts'
import { combinedCode, type KeyTable } from '../classify/keyTable.ts'
import { HUNDRED } from '../money/percents.ts'
import { AmountColumns, type Column, type PackedTable } from '../packed/packedTable.ts'
import { BASES, type Amounts, type KeyFigures } from '../types.ts'
import type { KeyFilter } from './keyFilter.ts'

export type OutcomeKind = 'direct' | 'pool' | 'aside' | 'unassigned'

/** What the numbers in the columns `target` and `group` stand for. */
export interface OutcomeHead {
  targets: { kind: OutcomeKind; target: string }[]
  groups: { provider: string; currency: string; service: string }[]
}

type OutcomeColumn = 'key' | 'rule' | 'target' | 'group' | 'lines' | 'billed' | 'billedFraction' | 'effective' | 'effectiveFraction'
export type OutcomeTable = PackedTable<OutcomeColumn, OutcomeHead>
/** Few months split anything: the columns that say how are there only where they say something. */
type PartColumns = Partial<Record<'part' | 'percent', Column>>

const KINDS = { costCentre: 'direct', pool: 'pool', aside: 'aside', unassigned: 'unassigned' } as const

/** Numbers things by what tells them apart, from 0 in the order in which they come. */
class Numbering<T, Name> {
  readonly things: T[] = []
  private readonly numbers = new Map<Name, number>()

  of(name: Name, thing: () => T): number {
    let number = this.numbers.get(name)
    if (number === undefined) this.numbers.set(name, (number = this.things.push(thing()) - 1))
    return number
  }
}

/** The outcomes of a run as columns, in the order of kind, target and key. */
export function outcomeTable({ outcomes, table }: PeriodResult): OutcomeTable {
  const rows = outcomes.length
  const targets = new Numbering<OutcomeHead['targets'][number], Way>()
  // one walk over the outcomes; what follows reads numbers that lie side by side
  const [targetOf, rowOf, rules] = [new Int32Array(rows), new Int32Array(rows), new Int32Array(rows)]
  let isSplit = false
  for (let index = 0; index < rows; index++) {
    const { way, row, rule, percent } = outcomes[index]!
    targetOf[index] = targets.of(way, () => ({ kind: KINDS[way.kind], target: way.target }))
    rowOf[index] = row
    rules[index] = rule
    if (percent !== HUNDRED) isSplit = true
  }
  const order = orderBy(targetOf, rankOf(targets.things, ({ kind, target }) => `${kind} ${target}`))
  const parts = partsOf(table.keys)
  const parted: PartColumns = isSplit || parts.some((part) => part > 0) ? { part: new Uint32Array(rows), percent: new Float64Array(rows) } : {}
  const columns = {
    ...parted, key: new Uint32Array(rows), rule: new Int32Array(rows), target: new Uint32Array(rows), group: new Uint32Array(rows), lines: new Uint32Array(rows),
    billed: new Float64Array(rows), billedFraction: new Float64Array(rows), effective: new Float64Array(rows), effectiveFraction: new Float64Array(rows),
  }
  const [amounts, pairs] = [amountsOf(columns), table.amounts()]
  const { groupOf, groups } = groupsOf(table)
  const { ids, lines } = table.numbers()
  for (let row = 0; row < rows; row++) {
    const index = order[row]!
    const of = rowOf[index]!
    columns.key[row] = ids[of]!
    columns.rule[row] = rules[index]!
    columns.target[row] = targetOf[index]!
    columns.group[row] = groupOf[of]!
    columns.lines[row] = lines[of]!
    const isWhole = !isSplit || outcomes[index]!.percent === HUNDRED
    if (parted.part) parted.part[row] = parts[of]!
    if (parted.percent) parted.percent[row] = Number(outcomes[index]!.percent)
    for (const basis of BASES) {
      if (isWhole) amounts[basis].copy(row, pairs[basis], of)
      else amounts[basis].put(row, outcomes[index]!.amounts[basis])
    }
  }
  return { rows, head: { targets: targets.things, groups }, columns }
}

/** Indexes by rising rank of their target, in their own order within one: a counting sort. */
function orderBy(targetOf: Int32Array, ranks: readonly number[]): Int32Array {
  const begins = new Int32Array(ranks.length + 1)
  for (let index = 0; index < targetOf.length; index++) begins[ranks[targetOf[index]!]! + 1]!++
  for (let rank = 0; rank < ranks.length; rank++) begins[rank + 1]! += begins[rank]!
  const order = new Int32Array(targetOf.length)
  for (let index = 0; index < targetOf.length; index++) order[begins[ranks[targetOf[index]!]!]!++] = index
  return order
}

/** The provider, currency and service of each row of the table, as numbers into a list. */
function groupsOf(table: KeyTable): { groupOf: Int32Array; groups: OutcomeHead['groups'] } {
  const columns = ['ProviderName', 'BillingCurrency', 'ServiceName'].map((field) => table.column(field))
  const groups = new Numbering<OutcomeHead['groups'][number], number | string>()
  const groupOf = new Int32Array(table.keys.length)
  for (let row = 0; row < groupOf.length; row++) {
    groupOf[row] = groups.of(combinedCode(columns, row), () => {
      const [provider = '', currency = '', service = ''] = columns.map(({ codes, values }) => values[codes[row]!])
      return { provider, currency, service }
    })
  }
  return { groupOf, groups: groups.things }
}

/** Which part of its key each row is: rows of one key stand together. */
export function partsOf(keys: readonly KeyFigures[]): Uint32Array {
  const parts = new Uint32Array(keys.length)
  for (let row = 1; row < keys.length; row++) if (keys[row]!.id === keys[row - 1]!.id) parts[row] = parts[row - 1]! + 1
  return parts
}

function rankOf<T>(things: readonly T[], nameOf: (thing: T) => string): number[] {
  const ranks: number[] = []
  things.map((thing, index) => ({ index, name: nameOf(thing) })).sort((a, b) => (a.name < b.name ? -1 : 1)).forEach(({ index }, rank) => { ranks[index] = rank })
  return ranks
}

const amountsOf = (columns: Record<`${'billed' | 'effective'}${'' | 'Fraction'}`, Column>): Record<keyof Amounts, AmountColumns> => ({
  billed: new AmountColumns(columns.billed as Float64Array, columns.billedFraction as Float64Array),
  effective: new AmountColumns(columns.effective as Float64Array, columns.effectiveFraction as Float64Array),
})

/** One row of the table: a key, or the part of it that went one way; `part`: which of the rows that classifications made of the key, `percent`: of that row, in 10^-10 per cent. */
export interface OutcomeRow { key: number; part: number; percent: number; rule: number; kind: OutcomeKind; target: string; provider: string; currency: string; service: string; lines: number; amounts: Amounts }

/** Rows that pass the filter, by rising key. */
export function filterOutcomes({ rows, head, columns }: OutcomeTable, filter: KeyFilter): OutcomeRow[] {
  const targets = head.targets.map(({ kind, target }) => (filter.kind ?? kind) === kind && (filter.target ?? target) === target)
  const groups = head.groups.map(({ provider, service }) => (filter.provider ?? provider) === provider && (filter.service ?? service) === service)
  const rule = filter.rule === undefined ? null : Number(filter.rule)
  const key = filter.key === undefined ? null : Number(filter.key)
  const { part, percent } = columns as OutcomeTable['columns'] & PartColumns
  const amounts = amountsOf(columns)
  const found: OutcomeRow[] = []
  let row = -1
  while (++row < rows) {
    if (!targets[columns.target[row]!]) {
      row = lastOfTarget(columns.target, row)
      continue
    }
    if (!groups[columns.group[row]!]) continue
    if ((rule ?? columns.rule[row]) !== columns.rule[row] || (key ?? columns.key[row]) !== columns.key[row]) continue
    found.push({
      key: columns.key[row]!, part: part?.[row] ?? 0, percent: percent?.[row] ?? Number(HUNDRED), rule: columns.rule[row]!, ...head.targets[columns.target[row]!]!, ...head.groups[columns.group[row]!]!, lines: columns.lines[row]!,
      amounts: { billed: amounts.billed.at(row), effective: amounts.effective.at(row) },
    })
  }
  return found.sort((a, b) => a.key - b.key)
}

/** What some keys cost in all, over everything that became of them. */
export function wholeOf({ rows, columns }: OutcomeTable, keys: ReadonlySet<number>): Map<number, Amounts> {
  const sums = new Map<number, Amounts>()
  const amounts = amountsOf(columns)
  for (let row = 0; row < rows; row++) {
    const key = columns.key[row]!
    if (!keys.has(key)) continue
    const sum = sums.get(key) ?? { billed: 0n, effective: 0n }
    for (const basis of BASES) sum[basis] += amounts[basis].at(row)
    sums.set(key, sum)
  }
  return sums
}

/** Number of charge lines of some rows: those of a key that went several ways count once. */
export function countLines(rows: readonly OutcomeRow[]): number {
  return [...new Map(rows.map(({ key, lines }) => [key, lines])).values()].reduce((sum, lines) => sum + lines, 0)
}

/** The last of the rows from one on that go the same way: they stand together, so halving finds it. */
function lastOfTarget(target: Column, from: number): number {
  let [same, other] = [from, target.length]
  while (other - same > 1) {
    const middle = (same + other) >> 1
    if (target[middle] === target[from]) same = middle
    else other = middle
  }
  return same
}
