import { holdsIn, type Month } from './calendar/month.ts'
import { classify, NO_RULE, type Classified } from './classify/evaluate.ts'
import { KeyTable } from './classify/keyTable.ts'
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
  keys: readonly KeyFigures[]
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
}

/** Runs the rulebook over the charges of a month: the way of every unit of money from billed to charged. */
export function allocatePeriod(input: PeriodInput): { result: PeriodResult; problems: Problem[] } {
  const table = new KeyTable(input.keys)
  const classified = classify(input.rulebook.rules, table, input.month)
  const { outcomes, problems: targetProblems } = resolveTargets(input, classified)
  const directCost = directCosts(outcomes, input)
  const { shares, held, problems: poolProblems } = sharePools(outcomes, directCost, input)
  const conservation = proveConservation(outcomes, shares, held)
  return { result: { outcomes, shares, held, conservation, classified }, problems: [...targetProblems, ...poolProblems] }
}

/** The outcome of each key; money sent to a target that is unknown or retired stays unassigned, and the rule is named. */
function resolveTargets({ keys, rulebook, centres, month }: PeriodInput, { ruleOf }: Classified): { outcomes: KeyOutcome[]; problems: Problem[] } {
  const problems: Problem[] = []
  const centreOf = new Map(centres.map((centre) => [centre.code, centre]))
  const pools = new Set(rulebook.pools.map(({ code }) => code))
  const usable = rulebook.rules.map((rule): boolean => {
    const { kind, code } = rule.outcome
    const centre = centreOf.get(code)
    if (kind === 'pool' ? pools.has(code) : centre && holdsIn(month, centre.validFrom, centre.validTo)) return true
    const isRetired = kind === 'costCentre' && centre !== undefined
    if (ruleOf.includes(rulebook.rules.indexOf(rule))) {
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

/** Sums amounts by a text of provider, currency and more, in a stable order. */
function sumBy<T>(items: Iterable<T>, nameOf: (item: T) => string, amountsOf: (item: T) => Amounts): Map<string, Amounts> {
  const sums = new Map<string, Amounts>()
  for (const item of items) {
    const name = nameOf(item)
    const sum = sums.get(name) ?? { billed: 0n, effective: 0n }
    const amounts = amountsOf(item)
    sums.set(name, { billed: sum.billed + amounts.billed, effective: sum.effective + amounts.effective })
  }
  return new Map([...sums].sort(([a], [b]) => (a < b ? -1 : 1)))
}

const SEPARATOR = '\u0000'
const streamOf = ({ attributes }: KeyFigures): string => attributes.ProviderName! + SEPARATOR + attributes.BillingCurrency!

function sharePools(outcomes: readonly KeyOutcome[], directCost: ReadonlyMap<string, bigint>, { rulebook, centres, month }: PeriodInput): { shares: StreamShare[]; held: StreamHeld[]; problems: Problem[] } {
  const shares: StreamShare[] = []
  const held: StreamHeld[] = []
  const problems = new Map<string, Problem>()
  const pooled = outcomes.filter(({ kind }) => kind === 'pool')
  const streams = sumBy(pooled, ({ key, target }) => streamOf(key) + SEPARATOR + target, ({ key }) => key.amounts)
  for (const [name, amounts] of streams) {
    const [provider, currency, code] = name.split(SEPARATOR) as [string, string, string]
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
function proveConservation(outcomes: readonly KeyOutcome[], shares: readonly StreamShare[], held: readonly StreamHeld[]): Conservation[] {
  const totals = sumBy(outcomes, ({ key }) => streamOf(key), ({ key }) => key.amounts)
  const keyed = (kind: KeyOutcome['kind']): Map<string, Amounts> =>
    sumBy(outcomes.filter((outcome) => outcome.kind === kind), ({ key }) => streamOf(key), ({ key }) => key.amounts)
  const streamed = (items: readonly (StreamShare | StreamHeld)[]): Map<string, Amounts> =>
    sumBy(items, ({ provider, currency }) => provider + SEPARATOR + currency, ({ amounts }) => amounts)
  const [direct, unassigned, shared, kept] = [keyed('costCentre'), keyed('unassigned'), streamed(shares), streamed(held)]
  return [...totals].flatMap(([stream, total]) => BASES.map((basis) => {
    const [provider, currency] = stream.split(SEPARATOR) as [string, string]
    const of = (sums: Map<string, Amounts>): bigint => sums.get(stream)?.[basis] ?? 0n
    const line = { provider, currency, basis, total: total[basis], charged: of(direct) + of(shared), held: of(kept), unassigned: of(unassigned) }
    if (line.total !== line.charged + line.held + line.unassigned) throw new Error(`the run does not conserve ${provider} in ${currency}, ${basis}`)
    return line
  }))
}
