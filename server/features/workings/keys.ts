import { senderName } from '../../../core/classify/settled.ts'
import { clusterService } from '../../../core/kubernetes/expandClusters.ts'
import { formatAmount } from '../../../core/money/amount.ts'
import { convert, rateName } from '../../../core/money/convert.ts'
import { HUNDRED } from '../../../core/money/percents.ts'
import type { KeyFilter } from '../../../core/workings/keyFilter.ts'
import { countLines, type OutcomeRow } from '../../../core/workings/outcomeTable.ts'
import type { Term, Workings } from '../../../core/workings/workings.ts'
import { readOutcomes } from '../allocation/outcomes.ts'
import { filterOf } from '../charges/filter.ts'
import { keyNames } from '../charges/store.ts'
import { conversion, converted, ruleNote, term, toKeys, type Context } from './context.ts'

/** Largest terms written out one by one; the rest is one term. */
const MOST_TERMS = 24

/** A sum over charge keys: by provider, then rule, then service, then resource, down to one key. */
export async function keysWorkings(context: Context): Promise<Workings> {
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
