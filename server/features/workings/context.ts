import { senderName } from '../../../core/classify/settled.ts'
import { formatAmount } from '../../../core/money/amount.ts'
import { convert, CONVERTED_SCALE, rateOf } from '../../../core/money/convert.ts'
import type { RoundedCell } from '../../../core/statements/cells.ts'
import { writeFilter, type KeyFilter } from '../../../core/workings/keyFilter.ts'
import { writeRef, type FigureRef, type RuleNote, type Term } from '../../../core/workings/workings.ts'
import type { Database } from '../../db/database.ts'
import type { Viewer } from '../../viewer.ts'
import type { RunRow } from '../allocation/store.ts'
import type { RateKind } from '../rates/store.ts'
import type { RulebookVersion } from '../rulebook/store.ts'

/** What every kind of figure needs to be written out. */
export interface Context {
  database: Database
  viewer: Viewer
  ref: FigureRef
  run: RunRow
  rulebook: RulebookVersion
  rates: ReadonlyMap<string, bigint>
  currency: string
  digits: number
  /** the reporting currency and the rates to it, as the run froze them; `currency` and `rates` are those that are read in */
  base: string
  baseRates: ReadonlyMap<string, bigint>
  rateKind: RateKind
}

export const refTo = ({ ref: { month, basis } }: Context, kind: string, ...parts: string[]): string => writeRef({ kind, month, basis, parts })
export const toKeys = (context: Context, filter: KeyFilter): string => refTo(context, 'keys', ...writeFilter(filter))
export const term = (sign: Term['sign'], label: string, amount: string, unit: string, note = '', opens: string | null = null): Term => ({ sign, label, note, amount, unit, opens })
export const converted = (units: bigint): string => formatAmount(units, 2, CONVERTED_SCALE)
export const minor = (units: bigint, { digits }: Context): string => formatAmount(units, digits, digits)

export function ruleNote({ rulebook }: Context, index: number): RuleNote[] {
  const name = senderName(rulebook.rulebook.rules, index)
  return name ? [{ name: index >= 0 ? `${index + 1} “${name}”` : name, version: rulebook.version, author: rulebook.author, published: rulebook.published.slice(0, 10) }] : []
}

const RATE_KINDS = { average: 'average of', monthEnd: 'at the end of', invoice: 'on the invoices of' } as const

/** Where a rate comes from; one between two foreign currencies is told with both of its own. */
function rateNote({ base, baseRates, currency: to, ref, run, rateKind }: Context, currency: string, provider: string): string {
  const from = `${RATE_KINDS[rateKind]} ${ref.month}, as frozen in run ${run.id}`
  if (to === base) return from
  const one = rateOf(baseRates, currency, provider)
  return one === undefined || !baseRates.has(to) ? from : `${formatAmount(one)} ${base} per ${currency} ÷ ${formatAmount(baseRates.get(to)!)} ${base} per ${to}, to ten decimals; ${from}`
}

/** The terms that turn an amount of the billing currency into the reporting one; none where they are the same. */
export function conversion(context: Context, amount: bigint, currency: string, provider: string): Term[] {
  if (currency === context.currency) return []
  const rate = rateOf(context.rates, currency, provider)!
  return [
    term('×', 'exchange rate', formatAmount(rate), `${context.currency} per ${currency}`, rateNote(context, currency, provider)),
    term('=', 'in the reporting currency', converted(convert(amount, currency, context.rates, provider)), context.currency),
  ]
}

/** What rounding together with the rest of the provider's month added or took away. */
export function roundingTerms(context: Context, cells: readonly RoundedCell[]): Term[] {
  const unit = 10n ** BigInt(CONVERTED_SCALE - context.digits)
  const rounded = cells.reduce((sum, cell) => sum + cell.rounded, 0n)
  const difference = rounded * unit - cells.reduce((sum, cell) => sum + cell.exact, 0n)
  return [
    ...(difference === 0n ? [] : [term('+', 'rounded with the month', formatAmount(difference, 2, CONVERTED_SCALE), context.currency, 'largest remainder over all cost centres of the provider')]),
    term('=', 'on the statement', minor(rounded, context), context.currency),
  ]
}
