import { holdsIn, type Month } from './calendar/month.ts'
import { classify, mappedTo, NO_RULE, type Classified } from './classify/evaluate.ts'
import { combinedCode, type KeyTable } from './classify/keyTable.ts'
import { settingOfRule, settledRows } from './classify/settled.ts'
import { settleOutcomes } from './classify/settleOutcomes.ts'
import { clusterDrivers } from './kubernetes/clusterDrivers.ts'
import { convert, type RateTable } from './money/convert.ts'
import { addsUpToHundred, HUNDRED, splitAmounts } from './money/percents.ts'
import { OutcomeSums } from './packed/outcomeSums.ts'
import { driversOfBase, needsDirectCost, poolTarget } from './pools/distribute.ts'
import { sharePools, type PoolLink, type PoolStream, type StreamHeld, type StreamShare } from './pools/sharePools.ts'
import type { Problem } from './problems.ts'
import { BASES, type Amounts, type Basis, type CostCentre, type Drivers, type KeyFigures, type Outcome, type Rule, type Rulebook } from './types.ts'

/** Where a rule sends what it takes; all that go the same way by the same rule share one. */
export interface Way {
  kind: 'costCentre' | 'pool' | 'aside' | 'unassigned'
  /** cost centre or pool; the reason where set aside, empty where unassigned */
  target: string
}

/** What happened to one row of the table, or to a part of it: `rule` is an index into the rulebook, NO_RULE where nobody took it, or the number of a setting. */
export interface KeyOutcome {
  row: number
  key: KeyFigures
  rule: number
  way: Way
  amounts: Amounts
  /** of the row, in 10^-10 per cent */
  percent: bigint
}

export interface Conservation {
  provider: string
  currency: string
  basis: Basis
  total: bigint
  charged: bigint
  held: bigint
  unassigned: bigint
}

export interface PeriodInput {
  month: Month
  /** the keys with charges in the month, cleaned and classified as `prepare` does it */
  table: KeyTable
  rulebook: Rulebook
  centres: readonly CostCentre[]
  rates: RateTable
  drivers: Drivers
}

export interface PeriodResult {
  outcomes: KeyOutcome[]
  shares: StreamShare[]
  held: StreamHeld[]
  links: PoolLink[]
  conservation: Conservation[]
  classified: Classified
  table: KeyTable
}

/** Runs the rulebook over the charges of a month: the way of every unit of money from billed to charged. */
export function allocatePeriod(input: PeriodInput): { result: PeriodResult; problems: Problem[] } {
  const { table } = input
  const classified = classify(input.rulebook.rules, table, input.month, settledRows(table, input.rulebook))
  const { outcomes, problems: targetProblems } = resolveTargets(input, classified)
  const streams = streamsOf(table)
  const directCost = directCosts(outcomes, input, streams)
  const { rulebook, centres, month } = input
  // what workloads of clusters took counts for whom they go to: cost centres, and pools that serve others
  const metered = clusterDrivers(table, outcomes, new Set(rulebook.pools.flatMap(driversOfBase)), ({ kind, target }) => (kind === 'costCentre' ? target : kind === 'pool' ? poolTarget(target) : null))
  const drivers = new Map([...input.drivers, ...metered])
  const { shares, held, links, problems: poolProblems } = sharePools(pooledStreams(table, outcomes, streams), rulebook.pools, rulebook.poolMethod, { centres, directCost, drivers, month, pools: rulebook.pools })
  const conservation = proveConservation(table, outcomes, streams, shares, held)
  return { result: { outcomes, shares, held, links, conservation, classified, table }, problems: [...targetProblems, ...poolProblems] }
}

const UNASSIGNED: Way = { kind: 'unassigned', target: '' }

/** The outcome of each row; money sent to a target that is unknown or retired stays unassigned, and the rule is named. */
function resolveTargets({ table, rulebook, centres, month }: PeriodInput, { ruleOf }: Classified): { outcomes: KeyOutcome[]; problems: Problem[] } {
  const problems = new Map<string, Problem>()
  const centreOf = new Map(centres.map((centre) => [centre.code, centre]))
  const pools = new Set(rulebook.pools.map(({ code }) => code))
  const isUsableBy = (subject: string, sender: string, kind: 'costCentre' | 'pool', code: string): boolean => {
    const centre = centreOf.get(code)
    if (kind === 'pool' ? pools.has(code) : centre && holdsIn(month, centre.validFrom, centre.validTo)) return true
    const isRetired = kind === 'costCentre' && centre !== undefined
    problems.set(`${sender} ${code}`, { code: isRetired ? 'RULE_TARGET_RETIRED' : 'RULE_TARGET_UNKNOWN', subject, message: `${sender} sends charges to ${code || 'nothing'}, which ${isRetired ? 'does not hold in this month' : 'does not exist'}: they stay unassigned.` })
    return false
  }
  const isUsable = ({ name }: Rule, kind: 'costCentre' | 'pool', code: string): boolean => isUsableBy(name, `Rule ${name}`, kind, code)
  const ways = rulebook.rules.map(() => new Map<string, Way>())
  const wayTo = (rule: number, kind: 'costCentre' | 'pool' | 'aside', target: string): Way => {
    let way = ways[rule]!.get(target)
    if (!way) ways[rule]!.set(target, (way = kind === 'aside' || isUsable(rulebook.rules[rule]!, kind, target) ? { kind, target } : UNASSIGNED))
    return way
  }
  const outcomes: KeyOutcome[] = []
  table.keys.forEach((key, row) => {
    const rule = ruleOf[row]!
    if (settingOfRule(rule)) return
    const outcome = rule === NO_RULE ? null : rulebook.rules[rule]!.outcome
    if (outcome?.kind === 'split' && addsUpToHundred(outcome.percents)) {
      for (const { to, percent, amounts } of splitAmounts(key.amounts, outcome.percents)) outcomes.push({ row, key, rule, way: wayTo(rule, 'costCentre', to), amounts, percent })
    } else outcomes.push({ row, key, rule, way: outcome ? wayOf(outcome, (kind, target) => wayTo(rule, kind, target), (field) => table.value(field, row)) : UNASSIGNED, amounts: key.amounts, percent: HUNDRED })
  })
  const settled = settleOutcomes(table, ruleOf, rulebook, outcomes, (name, kind, target) => (kind === 'aside' || isUsableBy(name, name, kind, target) ? { kind, target } : UNASSIGNED))
  for (const problem of settled.problems) problems.set(problem.message, problem)
  return { outcomes: [...outcomes, ...settled.outcomes], problems: [...problems.values()] }
}

/** The way of what a rule takes whole. */
function wayOf(outcome: Outcome, to: (kind: 'costCentre' | 'pool' | 'aside', target: string) => Way, valueOf: (field: string) => string | undefined): Way {
  switch (outcome.kind) {
    case 'costCentre': case 'pool': return to(outcome.kind, outcome.code)
    case 'aside': return to('aside', outcome.reason)
    case 'mapped': return to('costCentre', mappedTo(outcome, valueOf(outcome.field)) ?? '')
    default: return UNASSIGNED
  }
}

/** Direct cost of each cost centre on the charged basis, in 10^-20 of the reporting currency. */
function directCosts(outcomes: readonly KeyOutcome[], { table, rulebook, rates }: PeriodInput, { of, names }: Streams): Map<string, bigint> {
  const costs = new Map<string, bigint>()
  if (!rulebook.pools.some(needsDirectCost)) return costs
  const columns = table.amounts()
  const sums = new OutcomeSums()
  const slots = new Map<Way, number>()
  const used = new Set<number>()
  // conversion is a multiplication, so each cost centre's sum of a provider in a currency is converted once
  for (const outcome of outcomes) {
    if (outcome.way.kind !== 'costCentre') continue
    let first = slots.get(outcome.way)
    if (first === undefined) slots.set(outcome.way, (first = slots.size * names.length))
    const slot = first + of[outcome.row]!
    used.add(slot)
    addOutcome(sums, slot, outcome, columns)
  }
  for (const [{ target }, first] of slots) {
    names.forEach(({ provider, currency }, stream) => {
      if (!used.has(first + stream)) return
      costs.set(target, (costs.get(target) ?? 0n) + convert(sums.amounts(first + stream)[rulebook.chargedBasis], currency, rates, provider))
    })
  }
  return costs
}

/** A whole row is added from its columns, a part of one by its own amounts. */
export function addOutcome(sums: OutcomeSums, slot: number, { row, percent, amounts }: KeyOutcome, columns: ReturnType<KeyTable['amounts']>): void {
  if (percent === HUNDRED) sums.addRow(slot, columns, row)
  else sums.addPart(slot, amounts)
}

/** The provider and currency of each row, as numbers. */
interface Streams { of: Int32Array; names: { provider: string; currency: string }[] }

function streamsOf(table: KeyTable): Streams {
  const columns = [table.column('ProviderName'), table.column('BillingCurrency')]
  const numbers = new Map<number | string, number>()
  const names: Streams['names'] = []
  const of = Int32Array.from(table.keys, (_, index) => {
    const code = combinedCode(columns, index)
    let number = numbers.get(code)
    if (number === undefined) {
      const [provider = '', currency = ''] = columns.map(({ codes, values }) => values[codes[index]!])
      numbers.set(code, (number = names.push({ provider, currency }) - 1))
    }
    return number
  })
  return { of, names }
}

function addTo(sum: Amounts, { billed, effective }: Amounts): void {
  sum.billed += billed
  sum.effective += effective
}

/** What each stream brought to each pool, in the order of provider, currency and pool. */
function pooledStreams(table: KeyTable, outcomes: readonly KeyOutcome[], { of, names }: Streams): PoolStream[] {
  const codes = [...new Set(outcomes.flatMap(({ way: { kind, target } }) => (kind === 'pool' ? [target] : [])))].sort()
  const place = new Map(codes.map((code, index) => [code, index]))
  const sums = new OutcomeSums()
  const used = new Set<number>()
  const columns = table.amounts()
  for (const outcome of outcomes) {
    if (outcome.way.kind !== 'pool') continue
    const slot = of[outcome.row]! * codes.length + place.get(outcome.way.target)!
    used.add(slot)
    addOutcome(sums, slot, outcome, columns)
  }
  const streams = names.flatMap((name, stream) => codes.flatMap((code, index) => (used.has(stream * codes.length + index) ? [{ ...name, code, amounts: sums.amounts(stream * codes.length + index) }] : [])))
  const nameOf = ({ provider, currency, code }: (typeof streams)[number]): string => [provider, currency, code].join('\u0000')
  return streams.sort((a, b) => (nameOf(a) < nameOf(b) ? -1 : 1))
}

/** Billed = charged + held + unassigned for each provider, currency and basis, to the last 10^-10; throws where it is not so. */
function proveConservation(table: KeyTable, outcomes: readonly KeyOutcome[], { of, names }: Streams, shares: readonly StreamShare[], held: readonly StreamHeld[]): Conservation[] {
  const PARTS = ['total', 'charged', 'held', 'unassigned'] as const
  const into = { costCentre: 1, aside: 2, unassigned: 3 } as const
  const added = new OutcomeSums()
  const columns = table.amounts()
  for (let row = 0; row < table.keys.length; row++) added.addRow(of[row]! * PARTS.length, columns, row)
  for (const outcome of outcomes) if (outcome.way.kind !== 'pool') addOutcome(added, of[outcome.row]! * PARTS.length + into[outcome.way.kind], outcome, columns)
  const sums = names.map((name, stream) => {
    const [total, charged, held, unassigned] = PARTS.map((_, part) => added.amounts(stream * PARTS.length + part)) as [Amounts, Amounts, Amounts, Amounts]
    return { ...name, total, charged, held, unassigned }
  })
  const streamOf = (wanted: { provider: string; currency: string }): (typeof sums)[number] => sums.find(({ provider, currency }) => provider === wanted.provider && currency === wanted.currency)!
  for (const share of shares) addTo(streamOf(share).charged, share.amounts)
  for (const kept of held) addTo(streamOf(kept).held, kept.amounts)
  const ordered = sums.sort((a, b) => (a.provider === b.provider ? (a.currency < b.currency ? -1 : 1) : a.provider < b.provider ? -1 : 1))
  return ordered.flatMap(({ provider, currency, ...sum }) => BASES.map((basis) => {
    const line = { provider, currency, basis, total: sum.total[basis], charged: sum.charged[basis], held: sum.held[basis], unassigned: sum.unassigned[basis] }
    if (line.total !== line.charged + line.held + line.unassigned) throw new Error(`the run does not conserve ${provider} in ${currency}, ${basis}`)
    return line
  }))
}
