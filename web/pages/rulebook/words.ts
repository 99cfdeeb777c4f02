import { fieldLabel } from '../../../core/charges/attributes.ts'
import type { Condition, Operator } from '../../../core/types.ts'

export const OPERATOR_WORDS: Record<Operator, string> = {
  is: 'is', isNot: 'is not', contains: 'contains', notContains: 'does not contain', beginsWith: 'begins with', notBeginsWith: 'does not begin with', matches: 'matches', notMatches: 'does not match', present: 'is present', absent: 'is absent',
}
export const needsValues = (operator: Operator): boolean => operator !== 'present' && operator !== 'absent'

export function conditionText({ field, operator, values }: Condition): string {
  const many = values.length > 3 ? `${values.slice(0, 2).join(', ')} or ${values.length - 2} more` : values.join(' or ')
  const word = values.length > 1 && operator === 'is' ? 'is one of' : OPERATOR_WORDS[operator]
  return `${fieldLabel(field)} ${word}${needsValues(operator) ? ` ${many || '…'}` : ''}`
}
