import { parseInstant } from './instants.ts'
import { PERIOD_COLUMNS } from './attributes.ts'
import { DETAIL_RULES, FIGURE_RULES, KEY_RULES, type FocusRow, type FocusRule } from './focusRules.ts'

export interface RowFinding {
  rule: string
  column: string
  value: string
  text: string
  refuses: boolean
}

const finding = (row: FocusRow, rule: string, column: string, text: string, refuses: boolean): RowFinding =>
  ({ rule, column, value: row.get(column) ?? '', text, refuses })

/** Findings on the four period columns: unreadable dates refuse, a near miss of the format warns, start must precede end. */
export function checkPeriods(row: FocusRow): RowFinding[] {
  const findings: RowFinding[] = []
  const instants = PERIOD_COLUMNS.map((column) => {
    const instant = parseInstant(row.get(column) ?? '')
    if (!instant) findings.push(finding(row, 'F11', column, 'the date cannot be read', true))
    else if (!instant.standard) findings.push(finding(row, 'F11', column, 'dates are written YYYY-MM-DDTHH:mm:ssZ', false))
    return instant?.text
  })
  const [billingStart, billingEnd, chargeStart, chargeEnd] = instants
  if (billingStart && billingEnd && billingStart >= billingEnd) findings.push(finding(row, 'F12', 'BillingPeriodStart', 'the billing period starts before it ends', true))
  if (chargeStart && chargeEnd && chargeStart >= chargeEnd) findings.push(finding(row, 'F13', 'ChargePeriodStart', 'the charge period starts before it ends', true))
  return findings
}

/** What the rules say of a row; each rule once. */
export function findingsOf(row: FocusRow, rules: readonly FocusRule[]): RowFinding[] {
  return rules.flatMap((rule) => {
    const column = rule.check(row)
    return column === null ? [] : [finding(row, rule.id, column, rule.text, rule.refuses)]
  })
}

/** Everything the standard says of one row, refusals and warnings. The fast intake applies the same rules piecewise. */
export const checkRow = (row: FocusRow): RowFinding[] => [...findingsOf(row, [...new Set([...KEY_RULES, ...DETAIL_RULES, ...FIGURE_RULES])]), ...checkPeriods(row)]

/** A row given as a record; null and undefined are empty cells. */
export function rowOf(record: Record<string, string | null | undefined>): FocusRow {
  const columns = Object.keys(record)
  return { get: (column) => record[column] ?? null, has: (column) => Object.hasOwn(record, column), columns: () => columns }
}
