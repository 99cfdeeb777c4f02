import { isMonth } from '../calendar/month.ts'

/** How a figure comes about, written out term by term; each term may open further by its own reference. */
export interface Workings {
  title: string
  subtitle: string
  /** the figure, as a plain decimal */
  amount: string
  currency: string
  terms: Term[]
  /** rules that took the money, with the version of the rulebook */
  rules: RuleNote[]
  /** reference of the charge lines behind the figure; null where it is not made of charge lines alone */
  charges: string | null
}

export interface Term {
  /** how the term joins the ones before it; empty for the first */
  sign: '' | '+' | '−' | '×' | '÷' | '='
  label: string
  note: string
  amount: string
  /** unit of the amount: a currency, or empty for a number */
  unit: string
  /** reference under which the term opens */
  opens: string | null
}

export interface RuleNote {
  name: string
  version: number
  author: string
  published: string
}

/**
 * A figure's address: what it is of, in fixed order, so that it can stand in the address bar.
 * `kind~month~basis~part~part…`, with ~ and % inside a part percent-encoded.
 */
export interface FigureRef {
  kind: string
  month: string
  basis: 'billed' | 'effective'
  parts: string[]
}

export const writeRef = ({ kind, month, basis, parts }: FigureRef): string =>
  [kind, month, basis, ...parts].map((part) => part.replaceAll('%', '%25').replaceAll('~', '%7E')).join('~')

/** Reads an address; null where it is none. */
export function readRef(text: string): FigureRef | null {
  const [kind, month, basis, ...parts] = text.split('~').map((part) => part.replaceAll('%7E', '~').replaceAll('%25', '%'))
  if (!kind || !month || !isMonth(month) || (basis !== 'billed' && basis !== 'effective')) return null
  return { kind, month, basis, parts }
}

/** The workings as plain text, for the clipboard. */
export function workingsText(workings: Workings): string {
  const lines = workings.terms.map(({ sign, label, note, amount, unit }) => `${sign.padEnd(2)}${amount} ${unit}`.trimEnd() + `  ${label}${note ? ` (${note})` : ''}`)
  const rules = workings.rules.map(({ name, version, author, published }) => `rule ${name}, rulebook ${version}, ${author}, ${published}`)
  return [`${workings.title}: ${workings.subtitle}`, `${workings.amount} ${workings.currency}`, '', ...lines, ...(rules.length > 0 ? ['', ...rules] : [])].join('\n')
}
