import { holdsIn, type Month } from './calendar/month.ts'
import { classify, NO_RULE, type Classified } from './classify/evaluate.ts'
import { combinedCode, type KeyTable } from './classify/keyTable.ts'
import { convert, type RateTable } from './money/convert.ts'
import { distribute, weightsOf, type PoolShare } from './pools/distribute.ts'
import type { Problem } from './problems.ts'
import { BASES, type Amounts, type Basis, type CostCentre, type KeyFigures, type Rulebook } from './types.ts'

/** What happened to one key: `rule` is an index into the rulebook, NO_RULE where nobody took it. */
export interface KeyOutcome {
  key: KeyFigures
  rule: number
  kind: 'costCentre' | 'pool' | 'unassigned'
  /** cost centre or pool; empty where unassigned */
  target: string
}

/** One stream of money is of one provider and one currency: streams are never added without a rate. */
export interface StreamShare extends PoolShare { provider: string; currency: string }
export interface StreamHeld { provider: string; currency: string; pool: string; amounts: Amounts; reason: string }

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
  /** the keys with charges in the month, in columns: they are kept between runs */
  table: KeyTable
  rulebook: Rulebook
  centres: readonly CostCentre[]
  rates: RateTable
}

export interface PeriodResult {
  outcomes: KeyOutcome[]
  shares: StreamShare[]
  held: StreamHeld[]
  conservation: Conservation[]
  classified: Classified
  table: KeyTable
}

/** Runs the rulebook over the charges of a month: the way of every unit of money from billed to charged. */
export function allocatePeriod(input: PeriodInput): { result: PeriodResult; problems: Problem[] } {
  const { table } = input
  const classified = classify(input.rulebook.rules, table, input.month)
  const { outcomes, problems: targetProblems } = resolveTargets(input, classified)
  const directCost = directCosts(outcomes, input)
  const streams = streamsOf(table)
  const { shares, held, problems: poolProblems } = sharePools(outcomes, streams, directCost, input)
  const conservation = proveConservation(outcomes, streams, shares, held)
  return { result: { outcomes, shares, held, conservation, classified, table }, problems: [...targetProblems, ...poolProblems] }
}

/** The outcome of each key; money sent to a target that is unknown or retired stays unassigned, and the rule is named. */
function resolveTargets({ table: { keys }, rulebook, centres, month }: PeriodInput, { ruleOf }: Classified): { outcomes: KeyOutcome[]; problems: Problem[] } {
  const problems: Problem[] = []
  const centreOf = new Map(centres.map((centre) => [centre.code, centre]))
  const pools = new Set(rulebook.pools.map(({ code }) => code))
  const taken = new Set(ruleOf)
  const usable = rulebook.rules.map((rule, index): boolean => {
    const { kind, code } = rule.outcome
    const centre = centreOf.get(code)
    if (kind === 'pool' ? pools.has(code) : centre && holdsIn(month, centre.validFrom, centre.validTo)) return true
    const isRetired = kind === 'costCentre' && centre !== undefined
    if (taken.has(index)) {
      problems.push({ code: isRetired ? 'RULE_TARGET_RETIRED' : 'RULE_TARGET_UNKNOWN', subject: rule.name, message: `Rule ${rule.name} sends charges to ${code}, which ${isRetired ? 'does not hold in this month' : 'does not exist'}: they stay unassigned.` })
    }
    return false
  })
  const outcomes = keys.map((key, index): KeyOutcome => {
    const rule = ruleOf[index]!
    if (rule === NO_RULE || !usable[rule]) return { key, rule, kind: 'unassigned', target: '' }
    const { kind, code } = rulebook.rules[rule]!.outcome
    return { key, rule, kind, target: code }
  })
  return { outcomes, problems }
}

/** Direct cost of each cost centre on the charged basis, in 10^-20 of the reporting currency. */
function directCosts(outcomes: readonly KeyOutcome[], { rulebook, rates }: PeriodInput): Map<string, bigint> {
  const needsDirect = rulebook.pools.some(({ base }) => base.kind === 'direct')
  const costs = new Map<string, bigint>()
  if (!needsDirect) return costs
  for (const { key, kind, target } of outcomes) {
    if (kind !== 'costCentre') continue
    const amount = convert(key.amounts[rulebook.chargedBasis], key.attributes.BillingCurrency!, rates)
    costs.set(target, (costs.get(target) ?? 0n) + amount)
  }
  return costs
}

/** The provider and currency of each key, as numbers. */
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

const nothing = (): Amounts => ({ billed: 0n, effective: 0n })
function addTo(sum: Amounts, { billed, effective }: Amounts): void {
  sum.billed += billed
  sum.effective += effective
}

/** What each stream brought to each pool, in the order of provider, currency and pool. */
function pooledStreams(outcomes: readonly KeyOutcome[], { of, names }: Streams): { provider: string; currency: string; code: string; amounts: Amounts }[] {
  const sums = new Map<string, { provider: string; currency: string; code: string; amounts: Amounts }>()
  outcomes.forEach(({ key, kind, target }, index) => {
    if (kind !== 'pool') return
    const { provider, currency } = names[of[index]!]!
    const name = [provider, currency, target].join('\u0000')
    let sum = sums.get(name)
    if (!sum) sums.set(name, (sum = { provider, currency, code: target, amounts: nothing() }))
    addTo(sum.amounts, key.amounts)
  })
  return [...sums].sort(([a], [b]) => (a < b ? -1 : 1)).map(([, sum]) => sum)
}

function sharePools(outcomes: readonly KeyOutcome[], streams: Streams, directCost: ReadonlyMap<string, bigint>, { rulebook, centres, month }: PeriodInput): { shares: StreamShare[]; held: StreamHeld[]; problems: Problem[] } {
  const shares: StreamShare[] = []
  const held: StreamHeld[] = []
  const problems = new Map<string, Problem>()
  for (const { provider, currency, code, amounts } of pooledStreams(outcomes, streams)) {
    const pool = rulebook.pools.find((candidate) => candidate.code === code)!
    const result = distribute(pool, amounts, weightsOf(pool, centres, directCost, month))
    shares.push(...result.shares.map((share) => ({ ...share, provider, currency })))
    if (!result.problem) continue
    held.push({ provider, currency, pool: code, amounts: result.held, reason: result.problem.message })
    problems.set(code, result.problem)
  }
  return { shares, held, problems: [...problems.values()] }
}

/** Billed = charged + held + unassigned for each provider, currency and basis, to the last 10^-10; throws where it is not so. */
function proveConservation(outcomes: readonly KeyOutcome[], { of, names }: Streams, shares: readonly StreamShare[], held: readonly StreamHeld[]): Conservation[] {
  const sums = names.map((name) => ({ ...name, total: nothing(), charged: nothing(), held: nothing(), unassigned: nothing() }))
  const streamOf = (wanted: { provider: string; currency: string }): (typeof sums)[number] => sums.find(({ provider, currency }) => provider === wanted.provider && currency === wanted.currency)!
  outcomes.forEach(({ key, kind }, index) => {
    const sum = sums[of[index]!]!
    addTo(sum.total, key.amounts)
    if (kind !== 'pool') addTo(kind === 'costCentre' ? sum.charged : sum.unassigned, key.amounts)
  })
  for (const share of shares) addTo(streamOf(share).charged, share.amounts)
  for (const kept of held) addTo(streamOf(kept).held, kept.amounts)
  const ordered = sums.sort((a, b) => (a.provider === b.provider ? (a.currency < b.currency ? -1 : 1) : a.provider < b.provider ? -1 : 1))
  return ordered.flatMap(({ provider, currency, ...sum }) => BASES.map((basis) => {
    const line = { provider, currency, basis, total: sum.total[basis], charged: sum.charged[basis], held: sum.held[basis], unassigned: sum.unassigned[basis] }
    if (line.total !== line.charged + line.held + line.unassigned) throw new Error(`the run does not conserve ${provider} in ${currency}, ${basis}`)
    return line
  }))
}
