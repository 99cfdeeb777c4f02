import { addMonths } from '../../../core/calendar/month.ts'
import { amountOf, formatAmount, roundTo } from '../../../core/money/amount.ts'
import { convert, CONVERTED_SCALE, rateName, rateOf } from '../../../core/money/convert.ts'
import { minorDigits } from '../../../core/money/currency.ts'
import { Fraction } from '../../../core/money/fraction.ts'
import { senderName } from '../../../core/classify/settled.ts'
import { clusterService } from '../../../core/kubernetes/expandClusters.ts'
import { baseLabel, POOL_TARGET, poolTarget } from '../../../core/pools/distribute.ts'
import type { RoundedCell } from '../../../core/statements/cells.ts'
import { writeFilter, type KeyFilter } from '../../../core/workings/keyFilter.ts'
import { writeRef, type FigureRef, type RuleNote, type Term, type Workings } from '../../../core/workings/workings.ts'
import type { Pool } from '../../../core/types.ts'
import type { Database } from '../../db/database.ts'
import { invalid, notFound } from '../../refusal.ts'
import { baseCurrency, reportingCurrency } from '../../settingsTable.ts'
import { rateKindOf, type RateKind } from '../rates/store.ts'
import type { Viewer } from '../../viewer.ts'
import { frozenRates, latestRun, roundedCells, runRates, type RunRow } from '../allocation/store.ts'
import { filterOf } from '../charges/filter.ts'
import { keyNames } from '../charges/store.ts'
import { countLines, type OutcomeRow } from '../../../core/workings/outcomeTable.ts'
import { HUNDRED } from '../../../core/money/percents.ts'
import { readOutcomes } from '../allocation/outcomes.ts'
import { exact, readScope, readStatement, readWeights, type StatementScope } from '../statements/read.ts'
import { readPassing, type Passing } from './passing.ts'
import { rulebookVersion, type RulebookVersion } from '../rulebook/store.ts'

/** What every kind of figure needs to be written out. */
interface Context {
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

const KINDS: Record<string, (context: Context) => Promise<Workings>> = { keys: keysWorkings, statement: statementWorkings, line: lineWorkings, share: shareWorkings, pool: poolWorkings, change: changeWorkings, rates: ratesWorkings, charged: chargedWorkings }

/** Largest terms written out one by one; the rest is one term. */
const MOST_TERMS = 24

export async function writeWorkings(database: Database, ref: FigureRef, viewer: Viewer): Promise<Workings> {
  const write = KINDS[ref.kind]
  if (!write) throw invalid('The address of the figure cannot be read.')
  const run = await latestRun(database, ref.month)
  if (!run) throw notFound(`An allocation run of ${ref.month}`)
  const [rulebook, rates, currency, base, baseRates, rateKind] = await Promise.all([rulebookVersion(database, run.version), runRates(database, run.id), reportingCurrency(database), baseCurrency(database), frozenRates(database, run.id), rateKindOf(database, ref.month)])
  return write({ database, viewer, ref, run, rulebook: rulebook!, rates, currency, digits: minorDigits(currency), base, baseRates, rateKind })
}

const refTo = ({ ref: { month, basis } }: Context, kind: string, ...parts: string[]): string => writeRef({ kind, month, basis, parts })
const toKeys = (context: Context, filter: KeyFilter): string => refTo(context, 'keys', ...writeFilter(filter))
const term = (sign: Term['sign'], label: string, amount: string, unit: string, note = '', opens: string | null = null): Term => ({ sign, label, note, amount, unit, opens })
const converted = (units: bigint): string => formatAmount(units, 2, CONVERTED_SCALE)
const minor = (units: bigint, { digits }: Context): string => formatAmount(units, digits, digits)

function ruleNote({ rulebook }: Context, index: number): RuleNote[] {
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
function conversion(context: Context, amount: bigint, currency: string, provider: string): Term[] {
  if (currency === context.currency) return []
  const rate = rateOf(context.rates, currency, provider)!
  return [
    term('×', 'exchange rate', formatAmount(rate), `${context.currency} per ${currency}`, rateNote(context, currency, provider)),
    term('=', 'in the reporting currency', converted(convert(amount, currency, context.rates, provider)), context.currency),
  ]
}

/** A sum over charge keys: by provider, then rule, then service, then resource, down to one key. */
async function keysWorkings(context: Context): Promise<Workings> {
  const { database, ref, run, viewer, rates, currency, rulebook } = context
  const filter = filterOf(ref, viewer)
  const sums = await readOutcomes(database, run.id, filter)
  const amountIn = (sum: OutcomeRow): bigint => sum.amounts[ref.basis]
  const total = sums.reduce((whole, sum) => whole + convert(amountIn(sum), sum.currency, rates, sum.provider), 0n)
  const steps: { name: keyof KeyFilter; valueOf: (sum: OutcomeRow) => string; labelOf: (value: string, sum: OutcomeRow) => string }[] = [
    { name: 'provider', valueOf: (sum) => sum.provider, labelOf: (value) => value },
    { name: 'kind', valueOf: () => filter.kind ?? '', labelOf: (value) => value },
    { name: 'rule', valueOf: (sum) => String(sum.rule), labelOf: (value) => { const name = senderName(rulebook.rulebook.rules, Number(value)); return name === null ? 'no rule takes these' : Number(value) >= 0 ? `rule ${Number(value) + 1} “${name}”` : name } },
    { name: 'service', valueOf: (sum) => sum.service, labelOf: (value) => value || 'no service' },
    { name: 'key', valueOf: (sum) => String(sum.key), labelOf: (value) => value },
  ]
  const step = steps.find(({ name, valueOf }) => filter[name] === undefined && new Set(sums.map(valueOf)).size > 1) ?? null
  const currencies = new Set(sums.map((sum) => sum.currency))
  const providers = new Set(sums.map(({ provider }) => provider))
  const only = currencies.size === 1 ? [...currencies][0]! : null
  // providers with rates of their own are converted one by one
  const ownRate = [...providers].some((provider) => context.baseRates.has(rateName(only ?? '', provider))) && providers.size > 1 ? null : ([...providers][0] ?? '')
  const terms = step ? await groupTerms(context, sums, filter, step, amountIn, only) : []
  const sum = sums.reduce((whole, one) => whole + amountIn(one), 0n)
  const lines = countLines(sums)
  if (only) {
    if (terms.length === 0) terms.push(...(await splitTerms(context, sums, amountIn, lines, only)))
    if (terms.length === 0) terms.push(term('', `${lines} charge line${lines === 1 ? '' : 's'}`, formatAmount(sum, 2), only, `${ref.basis} cost`))
    else if (step) terms.push(term('=', 'sum', formatAmount(sum, 2), only))
    terms.push(...(ownRate === null ? [term('=', 'in the reporting currency', converted(total), currency, 'each provider at the rate of its invoices')] : conversion(context, sum, only, ownRate)))
  } else terms.push(term('=', 'sum', converted(total), currency))
  const rules = [...new Set(sums.map(({ rule }) => rule))]
  return {
    title: titleOf(context, filter), subtitle: `${lines} charge lines, ${ref.month}, ${ref.basis} cost`, amount: converted(total), currency,
    terms, rules: rules.length <= 3 ? rules.flatMap((rule) => ruleNote(context, rule)) : [], charges: lines > 0 ? toKeys(context, filter) : null,
  }
}

/** How the part of a key that a rule splits comes about; none where the figure is the whole key. */
async function splitTerms({ database, run, ref }: Context, sums: readonly OutcomeRow[], amountIn: (sum: OutcomeRow) => bigint, lines: number, unit: string): Promise<Term[]> {
  const [own] = sums
  if (sums.length !== 1 || !own) return []
  const all = await readOutcomes(database, run.id, { key: String(own.key) })
  const whole = all.reduce((sum, one) => sum + amountIn(one), 0n)
  if (whole === amountIn(own)) return []
  if (all.some(({ service }) => service !== own.service) || own.service.startsWith(clusterService(''))) {
    return [
      term('', `${lines} charge line${lines === 1 ? '' : 's'} of the node, or of what serves workloads`, formatAmount(whole, 2), unit, `${ref.basis} cost`),
      term('×', 'part of it', formatAmount(whole === 0n ? 0n : (amountIn(own) * HUNDRED) / whole), '%', 'what was metered, day by day; the node and its workloads are in Allocation, Clusters'),
      term('=', 'this part', formatAmount(amountIn(own), 2), unit, 'to the tenth decimal, largest remainder'),
    ]
  }
  const isOnePart = all.every(({ part }) => part === own.part)
  const percentOfWhole = isOnePart || whole === 0n ? BigInt(own.percent) : (amountIn(own) * HUNDRED) / whole
  return [
    term('', `${lines} charge line${lines === 1 ? '' : 's'}, all payers`, formatAmount(whole, 2), unit, `${ref.basis} cost`),
    term('×', 'split', formatAmount(percentOfWhole), '%', isOnePart ? 'fixed percentage of the rule' : 'percentages of the rules, one after the other'),
    term('=', 'share', formatAmount(amountIn(own), 2), unit, 'to the tenth decimal, largest remainder'),
  ]
}

async function groupTerms(context: Context, sums: OutcomeRow[], filter: KeyFilter, step: { name: keyof KeyFilter; valueOf: (sum: OutcomeRow) => string; labelOf: (value: string, sum: OutcomeRow) => string }, amountIn: (sum: OutcomeRow) => bigint, only: string | null): Promise<Term[]> {
  const groups = new Map<string, OutcomeRow[]>()
  for (const sum of sums) {
    const value = step.valueOf(sum)
    const members = groups.get(value)
    if (members) members.push(sum)
    else groups.set(value, [sum])
  }
  const valued = [...groups].map(([value, members]) => ({
    value, members, lines: countLines(members),
    amount: members.reduce((whole, sum) => whole + (only ? amountIn(sum) : convert(amountIn(sum), sum.currency, context.rates, sum.provider)), 0n),
  })).sort((a, b) => (abs(b.amount) > abs(a.amount) ? 1 : -1))
  const show = (amount: bigint): string => (only ? formatAmount(amount, 2) : converted(amount))
  const unit = only ?? context.currency
  const shown = valued.length > MOST_TERMS ? valued.slice(0, MOST_TERMS - 1) : valued
  const rest = valued.slice(shown.length)
  const names = step.name === 'key' ? await keyNames(context.database, shown.map(({ value }) => Number(value))) : null
  const terms = shown.map(({ value, members, amount, lines }, index) =>
    term(index === 0 ? '' : '+', names?.get(Number(value)) ?? step.labelOf(value, members[0]!), show(amount), unit, `${lines} charge lines`, toKeys(context, { ...filter, [step.name]: value })))
  if (rest.length > 0) terms.push(term('+', `${rest.length} smaller ones`, show(rest.reduce((whole, { amount }) => whole + amount, 0n)), unit, 'open the charge lines to see each'))
  return terms
}

const abs = (value: bigint): bigint => (value < 0n ? -value : value)

function titleOf({ rulebook }: Context, { kind, target, provider, service, rule, key }: KeyFilter): string {
  const pool = rulebook.rulebook.pools.find(({ code }) => code === target)
  const place = kind === 'direct' ? `Direct cost${target ? ` of ${target}` : ''}` : kind === 'pool' ? `Pool ${pool?.name ?? target ?? ''}` : kind === 'aside' ? `Set aside${target ? `: ${target}` : ''}` : kind === 'unassigned' ? 'Unassigned' : 'Billed'
  return [place, provider, service, rule === undefined ? '' : (senderName(rulebook.rulebook.rules, Number(rule)) ?? ''), key ? 'one charge key' : ''].filter(Boolean).join(' · ')
}

/** The total of a statement: its lines. */
async function statementWorkings(context: Context): Promise<Workings> {
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

/** A change against the month before: this month's figure less that one's, each open. The parts are those of the figure: its kind, then its own. */
async function changeWorkings(context: Context): Promise<Workings> {
  const { ref, database, viewer, currency } = context
  const [kind = '', ...parts] = ref.parts
  if (kind !== 'statement' && kind !== 'line') throw invalid('The address of the figure cannot be read.')
  const before = addMonths(ref.month, -1)
  const refs = [ref.month, before].map((month): FigureRef => ({ ...ref, kind, month, parts }))
  const [now, then] = await Promise.all(refs.map((each) => writeWorkings(database, each, viewer)))
  const change = amountOf(now!.amount) - amountOf(then!.amount)
  return {
    title: now!.title, subtitle: `change against ${before}, ${ref.basis} cost`, amount: formatAmount(change, context.digits), currency,
    terms: [term('', ref.month, now!.amount, currency, '', writeRef(refs[0]!)), term('−', before, then!.amount, currency, '', writeRef(refs[1]!)), term('=', 'change', formatAmount(change, context.digits), currency)],
    rules: [], charges: null,
  }
}

/** What exchange rates alone have made of the change against the month before: each currency's cost at both rates. */
async function ratesWorkings(context: Context): Promise<Workings> {
  const { ref, database, viewer, currency, digits } = context
  const { scope, currencyEffect, previousMonth } = await readStatement(database, ref.parts[0] ?? '', ref.month, ref.basis, viewer)
  const total = currencyEffect.reduce((sum, { effect }) => sum + effect, 0n)
  return {
    title: `${scope.code} ${scope.name}`, subtitle: `change by exchange rates alone, ${ref.month} against ${previousMonth}, ${ref.basis} cost`, amount: formatAmount(roundTo(total, digits, CONVERTED_SCALE), digits, digits), currency,
    terms: [
      ...currencyEffect.map(({ provider, currency: code, amount, before, now, effect }, index) => term(index === 0 ? '' : '+', `${formatAmount(amount, 2)} ${code} of ${provider}`, converted(effect), currency, `× (${formatAmount(now)} − ${formatAmount(before)})`)),
      term('=', 'exactly', converted(total), currency, 'this month’s cost at this month’s rates, less the same at those of the month before'),
    ],
    rules: [], charges: null,
  }
}

/** What is charged to all cost centres of the viewer: statement by statement. */
async function chargedWorkings(context: Context): Promise<Workings> {
  const { ref, database, viewer, run, currency } = context
  const cells = (await roundedCells(database, run.id, ref.basis)).filter(({ costCentre, kind }) => (kind === 'direct' || kind === 'pool') && (viewer.centres?.includes(costCentre) ?? true))
  const sums = new Map<string, bigint>()
  for (const { costCentre, rounded } of cells) sums.set(costCentre, (sums.get(costCentre) ?? 0n) + rounded)
  const total = [...sums.values()].reduce((sum, one) => sum + one, 0n)
  const terms = [...sums].sort().map(([code, amount], index) => term(index === 0 ? '' : '+', `statement of ${code}`, minor(amount, context), currency, '', refTo(context, 'statement', `cc:${code}`)))
  return { title: 'Charged', subtitle: `all cost centres, ${ref.month}, ${ref.basis} cost`, amount: minor(total, context), currency, terms: [...terms, term('=', 'sum', minor(total, context), currency)], rules: [], charges: null }
}

/** A line of a statement: where the scope has several cost centres, theirs; for one, the exact sum and its rounding. */
async function lineWorkings(context: Context): Promise<Workings> {
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

/** What rounding together with the rest of the provider's month added or took away. */
function roundingTerms(context: Context, cells: readonly RoundedCell[]): Term[] {
  const unit = 10n ** BigInt(CONVERTED_SCALE - context.digits)
  const rounded = cells.reduce((sum, cell) => sum + cell.rounded, 0n)
  const difference = rounded * unit - cells.reduce((sum, cell) => sum + cell.exact, 0n)
  return [
    ...(difference === 0n ? [] : [term('+', 'rounded with the month', formatAmount(difference, 2, CONVERTED_SCALE), context.currency, 'largest remainder over all cost centres of the provider')]),
    term('=', 'on the statement', minor(rounded, context), context.currency),
  ]
}

function poolLineTerms(context: Context, scope: StatementScope, cells: RoundedCell[], pool: string): Term[] {
  const shares = cells.map((cell, index) => term(index === 0 ? '' : '+', `share of what ${cell.provider} billed`, converted(cell.exact), context.currency, '', refTo(context, 'share', scope.code, pool, cell.provider, cell.currency)))
  return [...shares, ...roundingTerms(context, cells)]
}

/** One cost centre's share of one provider's part of a pool: amount × weight ÷ base. */
async function shareWorkings(context: Context): Promise<Workings> {
  const { ref, database, viewer, run, currency } = context
  const [centre = '', code = '', provider = '', billing = ''] = ref.parts
  await readScope(database, `cc:${centre}`, viewer)
  const [cells, weights] = await Promise.all([roundedCells(database, run.id, ref.basis), readWeights(database, run.id)])
  const stream = cells.filter((cell) => cell.kind === 'pool' && cell.line === code && cell.provider === provider && cell.currency === billing)
  const own = stream.find((cell) => cell.costCentre === centre)
  const weight = weights.find((row) => row.pool === code && row.cost_centre === centre)
  const pool = context.rulebook.rulebook.pools.find((candidate) => candidate.code === code)
  if (!own || !weight || !pool) throw notFound('This share')
  const passing = (await readPassing(database, run.id, ref.basis, provider, billing)).get(code)
  const isServing = passing !== undefined && passing.received.length + passing.gives.length > 0
  const amount = stream.reduce((sum, cell) => sum + cell.amount, 0n)
  const isDirect = pool.base.kind === 'direct'
  const unit = isDirect ? currency : pool.base.kind === 'fixed' ? '%' : ''
  const seesAll = viewer.centres === null
  const payers = weights.filter((row) => row.pool === code)
  const served = payers.filter((row) => row.cost_centre.startsWith(POOL_TARGET)).length
  const members = payers.length - served
  return {
    title: `${pool.name}, ${provider}`, subtitle: `share of ${centre}, ${ref.month}, ${ref.basis} cost`, amount: converted(own.exact), currency,
    terms: [
      ...(isServing ? passingTerms(context, pool, passing, provider, billing) : [term('', `pool ${pool.name}`, formatAmount(amount, 2), billing, `billed by ${provider}`, seesAll ? toKeys(context, { kind: 'pool', target: code, provider }) : null)]),
      term('×', isDirect ? `direct cost of ${centre}` : pool.base.kind === 'driver' ? `quantity of ${centre}` : `weight of ${centre}`, trimmed(weight.weight), unit, baseLabel(pool), isDirect ? toKeys(context, { kind: 'direct', target: centre }) : null),
      term('÷', isDirect ? 'direct cost of all payers' : pool.base.kind === 'driver' ? 'quantity of all that it serves' : 'sum of the weights', trimmed(weight.base), unit, served > 0 ? `${members} cost centres and ${served} pool${served > 1 ? 's' : ''}` : `${members} cost centres`, seesAll ? refTo(context, 'pool', code) : null),
      term('=', 'share', formatAmount(own.amount, 2), billing, `${percent(weight)} %; to the tenth decimal, largest remainder`),
      ...conversion(context, own.amount, billing, provider),
    ],
    rules: [], charges: null,
  }
}

/** The equations of the month, as a text book prints them: x for what passes through each pool, its own cost and parts of the others; and what solves them. One set for each stream. */
async function equationTerms(context: Context): Promise<Term[]> {
  const { database, run, ref } = context
  const streams = new Map((await readOutcomes(database, run.id, { kind: 'pool' })).map(({ provider, currency }) => [`${provider}\u0000${currency}`, { provider, currency }]))
  const terms: Term[] = []
  for (const { provider, currency } of streams.values()) {
    const network = [...(await readPassing(database, run.id, ref.basis, provider, currency))].filter(([, { received, gives }]) => received.length + gives.length > 0)
    for (const [code, { own, received, through }] of network) {
      if (own === 0n && through.isZero) continue
      const equation = [`x(${code}) = ${formatAmount(own, 2)}`, ...received.map(({ from, part }) => `${part} · x(${from})`)].join(' + ')
      terms.push(term('', equation, fractionText(through), currency, `${provider}: x(${code}) = ${through.dividedBy(Fraction.of(10n ** 10n))}`))
    }
  }
  return terms
}

/** A pool's own cost, what each pool that serves it gives, and what passes through it: its equation with the solution filled in. */
function passingTerms(context: Context, pool: Pool, { own, received, through }: Passing, provider: string, billing: string): Term[] {
  const nameOf = (code: string): string => context.rulebook.rulebook.pools.find((other) => other.code === code)?.name ?? code
  const show = (fraction: Fraction): string => fractionText(fraction)
  const method = { direct: '', stepDown: 'step-down: in the order of the pools', reciprocal: 'reciprocal: all equations at once' }[context.rulebook.rulebook.poolMethod]
  return [
    term('', `own cost of ${pool.name}`, formatAmount(own, 2), billing, `billed by ${provider}`, context.viewer.centres ? null : toKeys(context, { kind: 'pool', target: pool.code, provider })),
    ...received.map(({ from, through: given, part }) => term('+', `from ${nameOf(from)}`, show(given.times(part)), billing, `${part} of ${show(given)} ${billing} that pass through it`)),
    term('=', `passes through ${pool.name}`, show(through), billing, method),
  ]
}

/** An amount of a fraction of 10^-10, cut after the tenth decimal; exact fractions stand in the equations. */
const fractionText = (fraction: Fraction): string => formatAmount(fraction.whole, 2)

/** A pool: what came in, what each cost centre takes, what is held. For those who may see everything. */
async function poolWorkings(context: Context): Promise<Workings> {
  const { ref, database, viewer, run, currency } = context
  const [code = ''] = ref.parts
  if (viewer.centres) throw invalid('Only those who see every cost centre can open a whole pool.')
  const [cells, weights] = await Promise.all([roundedCells(database, run.id, ref.basis), readWeights(database, run.id)])
  const pool = context.rulebook.rulebook.pools.find((candidate) => candidate.code === code)
  if (!pool) throw notFound(`Pool ${code}`)
  const own = cells.filter(({ kind, line }) => (kind === 'pool' || kind === 'held') && line === code)
  const isServing = weights.some((row) => (row.pool === code && row.cost_centre.startsWith(POOL_TARGET)) || row.cost_centre === poolTarget(code))
  const total = own.reduce((sum, cell) => sum + cell.rounded, 0n)
  const centres = [...new Set(own.map(({ costCentre }) => costCentre))].sort()
  const amountOfCentre = (centre: string): bigint => own.filter(({ costCentre }) => costCentre === centre).reduce((sum, cell) => sum + cell.rounded, 0n)
  const noteOf = (centre: string): string => { const weight = weights.find((row) => row.pool === code && row.cost_centre === centre); return weight ? `${percent(weight)} %` : '' }
  return {
    title: `Pool ${pool.name}`, subtitle: `shared ${baseLabel(pool as Pool)}, ${ref.month}, ${ref.basis} cost`, amount: minor(total, context), currency,
    terms: [
      ...centres.map((centre, index) => term(index === 0 ? '' : '+', centre ? `to ${centre}` : 'held', minor(amountOfCentre(centre), context), currency, noteOf(centre), centre ? refTo(context, 'line', `cc:${centre}`, 'pool', '', code) : null)),
      term('=', isServing ? 'goes to cost centres' : 'the whole pool', minor(total, context), currency, 'open to see what came in', toKeys(context, { kind: 'pool', target: code })),
      ...(isServing ? await equationTerms(context) : []),
    ],
    rules: [], charges: toKeys(context, { kind: 'pool', target: code }),
  }
}

const trimmed = (decimal: string): string => (decimal.includes('.') ? decimal.replace(/0+$/, '').replace(/\.$/, '') : decimal)
const percent = ({ weight, base }: { weight: string; base: string }): string => formatAmount((exact(weight) * 10n ** 8n) / exact(base), 2, 6)
