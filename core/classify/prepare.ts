import type { Month } from '../calendar/month.ts'
import { classField } from '../charges/attributes.ts'
import { cleanTags, type Earlier } from '../clean/cleanTags.ts'
import { addsUpToHundred, splitAmounts } from '../money/percents.ts'
import type { Classification, Rule, Rulebook } from '../types.ts'
import { classify, mappedTo, NO_RULE } from './evaluate.ts'
import { encodeColumn, type KeyTable } from './keyTable.ts'

/**
 * The charges of a month as the cost-centre rules see them: tags cleaned, then a field `class:<code>` for each of the
 * other classifications. A rule that splits makes one row for each part of a key.
 */
export function prepare(billed: KeyTable, { cleanUp, classifications }: Pick<Rulebook, 'cleanUp' | 'classifications'>, month: Month, earlier: Earlier = []): KeyTable {
  return classifications.reduce((table, classification) => addValues(table, classification, month), cleanTags(billed, cleanUp, month, earlier))
}

function addValues(table: KeyTable, { code, rules }: Classification, month: Month): KeyTable {
  const { ruleOf } = classify(rules, table, month)
  const splits = rules.map(({ outcome }) => (outcome.kind === 'split' && addsUpToHundred(outcome.percents) ? outcome.percents : null))
  const values: (string | undefined)[] = []
  if (!ruleOf.some((rule) => splits[rule])) {
    return table.with(new Map([[classField(code), encodeColumn(table.keys.length, (row) => valueOf(rules, ruleOf[row]!, table, row))]]))
  }
  const keys: KeyTable['keys'][number][] = []
  const rowOf: number[] = []
  table.keys.forEach((key, row) => {
    const percents = splits[ruleOf[row]!]
    const parts = percents ? splitAmounts(key.amounts, percents) : [{ to: valueOf(rules, ruleOf[row]!, table, row), amounts: key.amounts }]
    for (const { to, amounts } of parts) {
      keys.push(parts.length > 1 ? { ...key, amounts } : key)
      rowOf.push(row)
      values.push(to)
    }
  })
  return table.take(keys, Int32Array.from(rowOf)).with(new Map([[classField(code), encodeColumn(keys.length, (row) => values[row])]]))
}

/** The value that a rule gives a row; undefined where no rule takes it, or it is set aside. */
function valueOf(rules: readonly Rule[], rule: number, table: KeyTable, row: number): string | undefined {
  const outcome = rule === NO_RULE ? undefined : rules[rule]!.outcome
  if (outcome?.kind === 'mapped') return mappedTo(outcome, table.value(outcome.field, row))
  return outcome?.kind === 'value' ? outcome.code : undefined
}
