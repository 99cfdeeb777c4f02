import { holdsIn, type Month } from '../calendar/month.ts'
import type { Condition, KeyFigures, Outcome, Rule } from '../types.ts'
import { conditionTest } from './conditions.ts'
import type { FieldColumn, KeyTable } from './keyTable.ts'

export const NO_RULE = -1

export interface Classified {
  /** for each key, the index of the first rule that takes it, NO_RULE, or the number of the setting that sends it (see settled.ts) */
  ruleOf: Int32Array
  /** for each rule, the indexes of the keys it would take if it stood first, or null where it does not hold in the month */
  wouldTake: (Int32Array | null)[]
}

/** Dictionaries up to this size are decided whole; of larger ones only the values of keys that the other conditions leave. */
const DECIDED_WHOLE = 2_000
const UNKNOWN = 0
const HOLDS = 1
const FAILS = 2

/** A condition over a column: what is known of each code, and how many keys it leaves where that is known. */
interface Decided {
  column: FieldColumn
  holds(code: number): boolean
  /** codes for which it holds; null where they have not been looked for */
  codes: number[] | null
  count: number
}

/** `fewest`: how many keys another condition of the rule leaves; where they are fewer than the values, each is looked at when its turn comes. */
function decide(condition: Condition, table: KeyTable, fewest: number): Decided {
  const column = condition.operator === 'is' ? table.column(condition.field) : table.looseColumn(condition.field)
  const test = conditionTest(condition)
  if (condition.operator !== 'is' && fewest < column.values.length) return { column, holds: (code) => test(column.values[code]), codes: null, count: table.keys.length }
  const known = new Uint8Array(column.values.length)
  const holds = (code: number): boolean => {
    if (known[code] === UNKNOWN) known[code] = test(column.values[code]) ? HOLDS : FAILS
    return known[code] === HOLDS
  }
  const codes = candidateCodes(condition, column, holds)
  const count = codes?.reduce((sum, code) => sum + column.countOf(code), 0) ?? table.keys.length
  return { column, holds, codes, count }
}

/** The codes for which a condition holds, where they are found without going through a large dictionary. */
function candidateCodes({ operator, values }: Condition, { codeOf, values: all }: FieldColumn, holds: (code: number) => boolean): number[] | null {
  if (operator === 'is') return [...new Set(values)].flatMap((value) => codeOf.get(value) ?? [])
  return all.length <= DECIDED_WHOLE ? all.flatMap((_, code) => (holds(code) ? [code] : [])) : null
}

/** The keys that satisfy all conditions of the rule, in no particular order: those of its rarest condition that satisfy the others. */
export function matchRule(rule: Pick<Rule, 'conditions'>, table: KeyTable): Int32Array {
  // conditions that name their values leave few keys, and are found without a look at any
  const decided: Decided[] = []
  for (const condition of [...rule.conditions].sort((a, b) => Number(b.operator === 'is') - Number(a.operator === 'is'))) decided.push(decide(condition, table, Math.min(Infinity, ...decided.map(({ count }) => count))))
  const [rarest, ...others] = decided.sort((a, b) => a.count - b.count)
  if (!rarest) return Int32Array.from(table.keys, (_, index) => index)
  const { column, holds } = rarest
  const codes = rarest.codes ?? column.values.flatMap((_, code) => (holds(code) ? [code] : []))
  const matches = new Int32Array(codes.reduce((sum, code) => sum + column.countOf(code), 0))
  const { keysByCode, begins } = column.byCode
  let found = 0
  for (const code of codes) {
    for (let at = begins[code]!; at < begins[code + 1]!; at++) {
      const key = keysByCode[at]!
      if (others.every((other) => other.holds(other.column.codes[key]!))) matches[found++] = key
    }
  }
  return matches.subarray(0, found)
}

export const isActive = (rule: Rule, month: Month): boolean => rule.enabled && holdsIn(month, rule.from, rule.to)

/**
 * Gives each key to the first rule of the ordered list whose conditions it satisfies; rules that are switched off or do
 * not hold in the month are passed over, and a rule that maps takes only what its mapping names. `settled`: rows that a
 * setting sends before any rule is asked, by its number, 0 for the others.
 */
export function classify(rules: readonly Rule[], table: KeyTable, month: Month, settled: Int32Array | null = null): Classified {
  const ruleOf = settled ? settled.map((setting) => setting || NO_RULE) : new Int32Array(table.keys.length).fill(NO_RULE)
  const conditions = rules.flatMap((rule) => (isActive(rule, month) ? rule.conditions : []))
  const named = new Set(conditions.flatMap(({ field, operator }) => (operator === 'is' ? [field] : [])))
  table.encode(named, new Set(conditions.map(({ field }) => field)))
  const wouldTake = rules.map((rule, index) => {
    if (!isActive(rule, month)) return null
    const matches = takenBy(rule, table)
    for (const key of matches) if (ruleOf[key] === NO_RULE) ruleOf[key] = index
    return matches
  })
  return { ruleOf, wouldTake }
}

/** The keys that a rule takes where nothing stands before it. */
function takenBy(rule: Rule, table: KeyTable): Int32Array {
  const matches = matchRule(rule, table)
  const { outcome } = rule
  if (outcome.kind !== 'mapped') return matches
  const { codes, values } = table.column(outcome.field)
  const isNamed = values.map((value) => mappedTo(outcome, value) !== undefined)
  return matches.filter((key) => isNamed[codes[key]!])
}

/** What a mapping makes of a value; undefined where it does not name it. */
export function mappedTo({ mapping, elseItself }: Extract<Outcome, { kind: 'mapped' }>, value: string | undefined): string | undefined {
  if (value === undefined) return undefined
  return Object.hasOwn(mapping, value) ? mapping[value] : elseItself ? value : undefined
}

/** The first condition that a charge does not satisfy, or null: the plain definition that the table must agree with. */
export const firstFailing = (rule: Pick<Rule, 'conditions'>, attributes: KeyFigures['attributes']): Condition | null =>
  rule.conditions.find((condition) => !conditionTest(condition)(attributes[condition.field])) ?? null
