import type { Condition } from '../types.ts'

/** Longest pattern taken: patterns come from people, and a regular expression can be made to run for ever. */
export const LONGEST_PATTERN = 200

/** Whether a pattern is a regular expression that can be used. */
export function isPattern(text: string): boolean {
  if (text.length > LONGEST_PATTERN) return false
  try {
    new RegExp(text, 'u')
    return true
  } catch {
    return false
  }
}

type Test = (value: string) => boolean

/**
 * The test of a condition on a value of its field, undefined where the charge does not have the field. Positive
 * operators hold where any of the values does; negations where none does, so they also hold for a missing field.
 */
export function conditionTest(condition: Condition): (value: string | undefined) => boolean {
  const { operator, values } = condition
  if (operator === 'present') return (value) => value !== undefined && value !== ''
  if (operator === 'absent') return (value) => value === undefined || value === ''
  const isNegated = operator === 'isNot' || operator.startsWith('not')
  const test = positiveTest(operator, values)
  return (value) => (value !== undefined && test(value)) !== isNegated
}

function positiveTest(operator: Condition['operator'], values: string[]): Test {
  switch (operator) {
    case 'is':
    case 'isNot': {
      const wanted = new Set(values)
      return (value) => wanted.has(value)
    }
    case 'contains':
    case 'notContains':
      return (value) => values.some((part) => value.includes(part))
    case 'beginsWith':
    case 'notBeginsWith':
      return (value) => values.some((start) => value.startsWith(start))
    case 'atLeast':
      return (value) => values.some((bound) => compare(value, bound) >= 0)
    case 'below':
      return (value) => values.some((bound) => compare(value, bound) < 0)
    default: {
      const patterns = values.map((pattern) => new RegExp(pattern, 'u'))
      return (value) => patterns.some((pattern) => pattern.test(value))
    }
  }
}

const NUMBER = /^[+-]?\d+(\.\d+)?$/
const DATE = /^\d{4}-(0[1-9]|1[0-2])-(0[1-9]|[12]\d|3[01])/
/** Whether a text can be compared by size. */
export const isBound = (text: string): boolean => NUMBER.test(text) || DATE.test(text)

/** Below, equal or above; NaN, which is neither, where the two are not of one kind. */
function compare(value: string, bound: string): number {
  if (NUMBER.test(value) && NUMBER.test(bound)) return Number(value) - Number(bound)
  if (!DATE.test(value) || !DATE.test(bound)) return Number.NaN
  const [day, limit] = [value.slice(0, 10), bound.slice(0, 10)]
  return day < limit ? -1 : day > limit ? 1 : 0
}
