import { formatAmount } from '../../../core/money/amount.ts'
import { Fraction } from '../../../core/money/fraction.ts'
import { baseLabel, POOL_TARGET, poolTarget } from '../../../core/pools/distribute.ts'
import type { RoundedCell } from '../../../core/statements/cells.ts'
import type { Pool } from '../../../core/types.ts'
import type { Term, Workings } from '../../../core/workings/workings.ts'
import { invalid, notFound } from '../../refusal.ts'
import { readOutcomes } from '../allocation/outcomes.ts'
import { roundedCells } from '../allocation/store.ts'
import { exact, readScope, readWeights, type StatementScope } from '../statements/read.ts'
import { conversion, converted, minor, refTo, roundingTerms, term, toKeys, type Context } from './context.ts'
import { readPassing, type Passing } from './passing.ts'

export function poolLineTerms(context: Context, scope: StatementScope, cells: RoundedCell[], pool: string): Term[] {
  const shares = cells.map((cell, index) => term(index === 0 ? '' : '+', `share of what ${cell.provider} billed`, converted(cell.exact), context.currency, '', refTo(context, 'share', scope.code, pool, cell.provider, cell.currency)))
  return [...shares, ...roundingTerms(context, cells)]
}

/** One cost centre's share of one provider's part of a pool: amount × weight ÷ base. */
export async function shareWorkings(context: Context): Promise<Workings> {
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

/** A pool: what came in, what each cost centre takes, what is held. For those who may see everything. */
export async function poolWorkings(context: Context): Promise<Workings> {
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

const trimmed = (decimal: string): string => (decimal.includes('.') ? decimal.replace(/0+$/, '').replace(/\.$/, '') : decimal)
const percent = ({ weight, base }: { weight: string; base: string }): string => formatAmount((exact(weight) * 10n ** 8n) / exact(base), 2, 6)
