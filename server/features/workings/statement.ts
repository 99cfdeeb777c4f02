import { formatAmount, roundTo } from '../../../core/money/amount.ts'
import { CONVERTED_SCALE } from '../../../core/money/convert.ts'
import type { RoundedCell } from '../../../core/statements/cells.ts'
import type { KeyFilter } from '../../../core/workings/keyFilter.ts'
import { countLines } from '../../../core/workings/outcomeTable.ts'
import type { Workings } from '../../../core/workings/workings.ts'
import { readOutcomes } from '../allocation/outcomes.ts'
import { roundedCells } from '../allocation/store.ts'
import { readScope, readStatement } from '../statements/read.ts'
import { conversion, converted, minor, refTo, roundingTerms, ruleNote, term, toKeys, type Context } from './context.ts'
import { poolLineTerms } from './pools.ts'

/** The total of a statement: its lines. */
export async function statementWorkings(context: Context): Promise<Workings> {
  const { ref, database, viewer, currency } = context
  const [scopeText, group] = ref.parts as [string, string | undefined]
  const { scope, statement } = await readStatement(database, scopeText, ref.month, ref.basis, viewer)
  const groups = statement.groups.filter(({ kind }) => !group || kind === group)
  const lines = groups.flatMap(({ kind, lines: all }) => all.filter(({ amount }) => amount !== 0n).map((line) => ({ kind, ...line })))
  const total = groups.reduce((sum, { figures }) => sum + figures.amount, 0n)
  return {
    title: `${scope.code} ${scope.name}`, subtitle: `${group ? groups[0]?.title ?? '' : 'Charged'}, ${ref.month}, ${ref.basis} cost`, amount: minor(total, context), currency,
    terms: [
      ...lines.map(({ kind, label, amount, base, provider, line }, index) => term(index === 0 ? '' : '+', label, minor(amount, context), currency, base, refTo(context, 'line', scopeText, kind, provider, line))),
      term('=', 'sum', minor(total, context), currency),
    ],
    rules: [], charges: null,
  }
}

/** What exchange rates alone have made of the change against the month before: each currency's cost at both rates. */
export async function ratesWorkings(context: Context): Promise<Workings> {
  const { ref, database, viewer, currency, digits } = context
  const { scope, currencyEffect, previousMonth } = await readStatement(database, ref.parts[0] ?? '', ref.month, ref.basis, viewer)
  const total = currencyEffect.reduce((sum, { effect }) => sum + effect, 0n)
  const rounded = roundTo(total, digits, CONVERTED_SCALE)
  return {
    title: `${scope.code} ${scope.name}`, subtitle: `change by exchange rates alone, ${ref.month} against ${previousMonth}, ${ref.basis} cost`, amount: formatAmount(rounded, digits, digits), currency,
    terms: [
      ...currencyEffect.map(({ provider, currency: code, amount, before, now, effect }, index) => term(index === 0 ? '' : '+', `${formatAmount(amount, 2)} ${code} of ${provider}`, converted(effect), currency, `× (${formatAmount(now)} − ${formatAmount(before)})`)),
      term('=', 'exactly', converted(total), currency, 'this month’s cost at this month’s rates, less the same at those of the month before'),
      term('+', 'rounded', converted(rounded * 10n ** BigInt(CONVERTED_SCALE - digits) - total), currency), term('=', 'by exchange rates', formatAmount(rounded, digits, digits), currency),
    ],
    rules: [], charges: null,
  }
}

/** What is charged to all cost centres of the viewer: statement by statement. */
export async function chargedWorkings(context: Context): Promise<Workings> {
  const { ref, database, viewer, run, currency } = context
  const cells = (await roundedCells(database, run.id, ref.basis)).filter(({ costCentre, kind }) => (kind === 'direct' || kind === 'pool') && (viewer.centres?.includes(costCentre) ?? true))
  const sums = new Map<string, bigint>()
  for (const { costCentre, rounded } of cells) sums.set(costCentre, (sums.get(costCentre) ?? 0n) + rounded)
  const total = [...sums.values()].reduce((sum, one) => sum + one, 0n)
  const terms = [...sums].sort().map(([code, amount], index) => term(index === 0 ? '' : '+', `statement of ${code}`, minor(amount, context), currency, '', refTo(context, 'statement', `cc:${code}`)))
  return { title: 'Charged', subtitle: `all cost centres, ${ref.month}, ${ref.basis} cost`, amount: minor(total, context), currency, terms: [...terms, term('=', 'sum', minor(total, context), currency)], rules: [], charges: null }
}

/** A line of a statement: where the scope has several cost centres, theirs; for one, the exact sum and its rounding. */
export async function lineWorkings(context: Context): Promise<Workings> {
  const { ref, database, viewer, run, currency } = context
  const [scopeText, kind, provider = '', line = ''] = ref.parts as [string, string, string?, string?]
  const scope = await readScope(database, scopeText, viewer)
  const cells = (await roundedCells(database, run.id, ref.basis)).filter((cell) => scope.centres.includes(cell.costCentre) && cell.kind === kind && cell.line === line && (kind === 'pool' || cell.provider === provider))
  const rounded = cells.reduce((sum, cell) => sum + cell.rounded, 0n)
  const pool = context.rulebook.rulebook.pools.find(({ code }) => code === line)
  const label = kind === 'pool' ? (pool?.name ?? line) : `${provider} · ${line || 'no service'}`
  const common = { title: label, subtitle: `${scope.code} ${scope.name}, ${ref.month}, ${ref.basis} cost`, amount: minor(rounded, context), currency }
  const byCentre = new Map<string, RoundedCell[]>()
  for (const cell of cells) byCentre.set(cell.costCentre, [...(byCentre.get(cell.costCentre) ?? []), cell])
  if (scope.kind === 'unit') {
    const terms = [...byCentre].sort().map(([code, own], index) => term(index === 0 ? '' : '+', `cost centre ${code}`, minor(own.reduce((sum, cell) => sum + cell.rounded, 0n), context), currency, '', refTo(context, 'line', `cc:${code}`, kind, provider, line)))
    return { ...common, terms: [...terms, term('=', 'sum', common.amount, currency)], rules: [], charges: null }
  }
  if (kind === 'pool') return { ...common, terms: poolLineTerms(context, scope, cells, line), rules: [], charges: null }
  return directLine(context, common, cells, { kind: 'direct', target: scope.code, provider, service: line })
}

async function directLine(context: Context, common: Pick<Workings, 'title' | 'subtitle' | 'amount' | 'currency'>, cells: RoundedCell[], filter: KeyFilter): Promise<Workings> {
  const sums = await readOutcomes(context.database, context.run.id, filter)
  const lines = countLines(sums)
  const rules = [...new Set(sums.map(({ rule }) => rule))]
  const terms = cells.flatMap((cell, index) => [
    term(index === 0 ? '' : '+', `${lines} charge lines of ${cell.provider}`, formatAmount(cell.amount, 2), cell.currency, `${context.ref.basis} cost`, toKeys(context, filter)),
    ...conversion(context, cell.amount, cell.currency, cell.provider),
  ])
  return { ...common, terms: [...terms, ...roundingTerms(context, cells)], rules: rules.flatMap((rule) => ruleNote(context, rule)), charges: toKeys(context, filter) }
}
