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
  CLEAN_STEP: 'Complete the step or remove it.',
  RULE_CONDITION: 'Complete the condition or remove it.',
  RULE_TARGET_UNKNOWN: 'Choose a cost centre or pool that exists.',
  RULE_TARGET_RETIRED: 'The cost centre does not hold in this month. Choose another, or end the rule.',
  DRIVER_TARGET: 'Move the quantity to a cost centre that holds in the month, or take it out of the driver.',
  FOLLOWS_NOTHING: 'Send these charges to a cost centre or pool, or let the rules take them.',
  POOL_BASE_ZERO: 'The base of the pool is zero or negative in this month, so that its money is held.',
  POOL_NO_OUTLET: 'Let one of the pools give to a cost centre.',
  POOL_PERCENT: 'The percentages of the pool must add up to 100 exactly.',
} as const
export type ProblemCode = keyof typeof PROBLEM_CODES
