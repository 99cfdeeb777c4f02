import { checkRow, rowOf } from '../../core/charges/checkRow.ts'
import { DETAIL_RULES, FIGURE_RULES, KEY_RULES } from '../../core/charges/focusRules.ts'
import type { Verdict } from './main.ts'

type Row = Record<string, string | null>
interface RuleCase { id: string; sure?: string; pass_example?: string | Row; fail_example?: Row; fail_row?: Row; fail_cells?: Row; broken?: Row }

const KNOWN = new Set([...KEY_RULES, ...DETAIL_RULES, ...FIGURE_RULES].map(({ id }) => id).concat('F11', 'F12', 'F13'))
const brokenBy = (row: Row): string[] => [...new Set(checkRow(rowOf(row)).map(({ rule }) => rule))]

/** Rows that are valid, and rules with a row that keeps them and (where the file gives one) a row or cells that break them. */
export function focusCases(document: Record<string, unknown>): Verdict[] {
  const valid = (document.valid_rows ?? {}) as Record<string, Row>
  const rules = (document.row_rules ?? []) as RuleCase[]
  const rows = Object.entries(valid).map(([name, row]): Verdict => {
    const got = brokenBy(row)
    return { id: `valid row ${name}`, state: got.length === 0 ? 'pass' : 'fail', expected: [], got }
  })
  return [...rows, ...rules.flatMap((rule) => ruleCases(rule, valid))]
}

function ruleCases(rule: RuleCase, valid: Record<string, Row>): Verdict[] {
  if (!KNOWN.has(rule.id)) return [{ id: rule.id, state: 'not known', got: 'no such rule' }]
  const kept = typeof rule.pass_example === 'string' ? valid[rule.pass_example] : rule.pass_example
  const verdicts: Verdict[] = []
  if (kept) {
    const got = brokenBy(kept)
    verdicts.push({ id: `${rule.id} kept`, state: got.includes(rule.id) ? 'fail' : 'pass', expected: `no ${rule.id}`, got })
  }
  const cells = rule.fail_example ?? rule.fail_row ?? rule.fail_cells ?? rule.broken
  if (cells) {
    const got = brokenBy({ ...kept, ...cells })
    verdicts.push({ id: `${rule.id} broken`, state: got.includes(rule.id) ? 'pass' : 'fail', expected: rule.id, got })
  }
  return verdicts
}
