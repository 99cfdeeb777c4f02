/** The one shape of a problem: what is wrong, with what, where it came from. Bad data are values; broken code throws. */
export interface Problem {
  code: ProblemCode
  message: string
  /** what the problem is about: a column, a rule, a pool, a cost centre */
  subject?: string
  /** the offending value, shortened */
  value?: string
  /** line of the file, counted from 1, the head being line 1 */
  line?: number
}

/** Every code the program can report, with what a person can do about it. docs/problems.md is checked against this list. */
export const PROBLEM_CODES = {
  COLUMN_MISSING: 'Add the column to the export, or map one of the columns of the file to it.',
  COLUMN_DOUBLED: 'Leave one of the two columns of the same name.',
  ROW_SHAPE: 'A line has more or fewer cells than the head. Look for an unclosed quotation mark.',
  FOCUS_RULE: 'The row breaks a rule of the FOCUS standard. Ask the provider to correct the export.',
  DATE_UNREADABLE: 'Write dates as YYYY-MM-DDTHH:mm:ssZ.',
  AMOUNT_TOO_LARGE: 'Amounts up to 999 999 999 999 are taken.',
  AMOUNT_ROUNDED: 'More than ten decimals: rounded half to even at the tenth.',
  FILE_EMPTY: 'The file has a head but no charge lines.',
  FILE_UNREADABLE: 'Send a FOCUS file as CSV, or as CSV compressed with gzip.',
  PERIOD_CLOSED: 'The billing period is closed. Open it again, or leave the file for the next period.',
  LOAD_CANCELLED: 'The load was cancelled; nothing was taken.',
  RULE_TARGET_UNKNOWN: 'Choose a cost centre or pool that exists.',
  RULE_TARGET_RETIRED: 'The cost centre does not hold in this month. Choose another, or end the rule.',
  POOL_BASE_ZERO: 'The base of the pool is zero or negative in this month, so that its money is held.',
  POOL_PERCENT: 'The percentages of the pool must add up to 100 exactly.',
  RATE_MISSING: 'Enter the exchange rate of the month in Intake.',
} as const
export type ProblemCode = keyof typeof PROBLEM_CODES
