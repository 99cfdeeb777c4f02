import { fieldLabel } from '../../../core/charges/attributes.ts'
import type { CleanAct, Condition, CostCentre, Operator, Outcome, Pool } from '../../../core/types.ts'

export const OPERATOR_WORDS: Record<Operator, string> = {
  is: 'is', isNot: 'is not', contains: 'contains', notContains: 'does not contain', beginsWith: 'begins with', notBeginsWith: 'does not begin with', matches: 'matches', notMatches: 'does not match', atLeast: 'is at least', below: 'is below', present: 'is present', absent: 'is absent',
}
export const needsValues = (operator: Operator): boolean => operator !== 'present' && operator !== 'absent'

export function conditionText({ field, operator, values }: Condition): string {
  const many = values.length > 3 ? `${values.slice(0, 2).join(', ')} or ${values.length - 2} more` : values.join(' or ')
  const word = values.length > 1 && operator === 'is' ? 'is one of' : OPERATOR_WORDS[operator]
  return `${fieldLabel(field)} ${word}${needsValues(operator) ? ` ${many || '…'}` : ''}`
}

/** `1010 Model Runs`, or the code alone where it is not known. */
export const centreName = (code: string, centres: readonly CostCentre[]): string => [code, centres.find((centre) => centre.code === code)?.name].filter(Boolean).join(' ')

/** Where a rule sends what it takes. */
export function outcomeText(outcome: Outcome, centres: readonly CostCentre[], pools: readonly Pool[]): string {
  switch (outcome.kind) {
    case 'costCentre': return centreName(outcome.code, centres)
    case 'pool': return `pool ${pools.find(({ code }) => code === outcome.code)?.name ?? outcome.code}`
    case 'value': return outcome.code
    case 'split': return Object.entries(outcome.percents).map(([code, percent]) => `${percent} % ${centreName(code, centres)}`).join(', ')
    case 'aside': return `set aside: ${outcome.reason}`
    case 'mapped': { const count = Object.keys(outcome.mapping).length; return `by ${inSentence(outcome.field)}${count > 0 ? `, ${count} value${count === 1 ? '' : 's'} mapped` : ''}${outcome.elseItself ? ', else the value itself' : ''}` }
  }
}

/** A place that money is at, as moves and values name it. */
export function placeText(place: string | null, centres: readonly CostCentre[], pools: readonly Pool[]): string {
  if (place === null || place === 'unassigned') return 'Unassigned'
  if (place === 'aside') return 'Set aside'
  if (place.startsWith('cc:')) return centreName(place.slice(3), centres)
  if (place.startsWith('pool:')) return `Pool ${pools.find(({ code }) => code === place.slice(5))?.name ?? place.slice(5)}`
  return place
}

const some = (texts: readonly string[], most = 4): string => (texts.length > most ? `${texts.slice(0, most - 1).join(', ')} and ${texts.length - most + 1} more` : texts.join(', '))

/** The name of a field inside a sentence. */
const inSentence = (field: string): string => fieldLabel(field).replace(/^[A-Z](?=[a-z])/, (letter) => letter.toLowerCase())

/** A step of the tag clean-up in words. */
export function actText(act: CleanAct): string {
  switch (act.kind) {
    case 'key': return `${some(act.spellings)} ${act.spellings.length > 1 ? 'are' : 'is'} the tag ${act.key}`
    case 'values': return `In ${act.key}, ${some(Object.entries(act.mapping).map(([from, to]) => `${from || 'an empty text'} becomes ${to || 'no tag'}`), 3)}${act.folded ? ', whatever the case and separators' : ''}`
    case 'placeholders': return `${some(act.values.map((value) => value || 'an empty text'))} in ${act.keys.length > 0 ? some(act.keys) : 'any tag'} count${act.values.length === 1 ? 's' : ''} as missing`
    case 'inherit': return `A missing ${act.key} is taken from the other charges of the same ${inSentence(act.from)}${act.monthsBack > 0 ? `, up to ${act.monthsBack} month${act.monthsBack > 1 ? 's' : ''} back` : ''}`
    case 'lookup': return `A missing ${act.key} is looked up by ${inSentence(act.from)}, ${Object.keys(act.mapping).length} value${Object.keys(act.mapping).length === 1 ? '' : 's'}`
    case 'set': return `${act.value ? `${act.key} is ${act.value}` : `${act.key} is removed`} on ${act.resources.length === 1 ? act.resources[0]! : `${act.resources.length} resources`}`
  }
}

export const monthsText = ({ from, to }: { from: string | null; to: string | null }): string => (from && to ? `${from} to ${to}` : from ? `from ${from}` : to ? `to ${to}` : '')
