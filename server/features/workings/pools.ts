import { formatAmount } from '../../../core/money/amount.ts'
import { convert } from '../../../core/money/convert.ts'
import { Fraction } from '../../../core/money/fraction.ts'
import { baseLabel, POOL_TARGET, poolTarget } from '../../../core/pools/distribute.ts'
import type { RoundedCell } from '../../../core/statements/cells.ts'
import type { Pool } from '../../../core/types.ts'
import { writeFilter } from '../../../core/workings/keyFilter.ts'
import { writeRef, type Term, type Workings } from '../../../core/workings/workings.ts'
import { notFound, Refusal } from '../../refusal.ts'
import { readOutcomes } from '../allocation/outcomes.ts'
import { roundedCells } from '../allocation/store.ts'
import { exact, readScope, readWeights, type StatementScope, type WeightRow } from '../statements/read.ts'
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
  const unit = unitOf(context, pool)
  const seesAll = viewer.centres === null
  const payers = weights.filter((row) => row.pool === code)
  const served = payers.filter((row) => row.cost_centre.startsWith(POOL_TARGET)).length
  const members = payers.length - served
  return {
    title: `${pool.name}, ${provider}`, subtitle: `share of ${centre}, ${ref.month}, ${ref.basis} cost`, amount: converted(own.exact), currency,
    terms: [
      ...(isServing ? passingTerms(context, pool, passing, provider, billing) : [term('', `pool ${pool.name}`, formatAmount(amount, 2), billing, `billed by ${provider}`, seesAll ? toKeys(context, { kind: 'pool', target: code, provider }) : null)]),
      term('×', isDirect ? `direct cost of ${centre}` : pool.base.kind === 'driver' ? `quantity of ${centre}` : `weight of ${centre}`, trimmed(weight.weight), unit, baseLabel(pool), isDirect ? directCost(context, centre) : null),
      term('÷', isDirect ? 'direct cost of all payers' : pool.base.kind === 'driver' ? 'quantity of all that it serves' : 'sum of the weights', trimmed(weight.base), unit, served > 0 ? `${members} cost centres and ${served} pool${served > 1 ? 's' : ''}` : `${members} cost centres`, seesAll ? refTo(context, 'weights', code) : null),
      term('=', 'share', formatAmount(own.amount, 2), billing, `${percent(weight)} %; to the tenth decimal, largest remainder`),
      ...conversion(context, own.amount, billing, provider),
    ],
    rules: [], charges: null,
  }
}

/** A pool: what came in, what each cost centre takes, what is held. For those who may see everything. */
/** A whole pool: whom it went to, and what came in for it, to the digit that rounding leaves. */
export async function poolWorkings(context: Context): Promise<Workings> {
  const { ref, database, run, currency, rates } = context
  const { code, pool } = wholePool(context)
  const [cells, weights, billed] = await Promise.all([roundedCells(database, run.id, ref.basis), readWeights(database, run.id), readOutcomes(database, run.id, { kind: 'pool', target: code })])
  const own = cells.filter(({ kind, line }) => (kind === 'pool' || kind === 'held') && line === code)
  const isServing = weights.some((row) => (row.pool === code && row.cost_centre.startsWith(POOL_TARGET)) || row.cost_centre === poolTarget(code))
  const total = own.reduce((sum, cell) => sum + cell.rounded, 0n)
  const exactly = own.reduce((sum, cell) => sum + cell.exact, 0n)
  const cameIn = billed.reduce((sum, { amounts, currency: of, provider }) => sum + convert(amounts[ref.basis], of, rates, provider), 0n)
  const centres = [...new Set(own.map(({ costCentre }) => costCentre))].sort()
  const amountOfCentre = (centre: string): bigint => own.filter(({ costCentre }) => costCentre === centre).reduce((sum, cell) => sum + cell.rounded, 0n)
  const noteOf = (centre: string): string => { const weight = weights.find((row) => row.pool === code && row.cost_centre === centre); return weight ? `${percent(weight)} %` : '' }
  return {
    title: `Pool ${pool.name}`, subtitle: `shared ${baseLabel(pool)}, ${ref.month}, ${ref.basis} cost`, amount: minor(total, context), currency,
    terms: [
      ...centres.map((centre, index) => term(index === 0 ? '' : '+', centre ? `to ${centre}` : 'held', minor(amountOfCentre(centre), context), currency, noteOf(centre), centre ? refTo(context, 'line', `cc:${centre}`, 'pool', '', code) : null)),
      term('=', isServing ? 'goes to cost centres' : 'the whole pool', minor(total, context), currency),
      term('', 'billed to the pool', converted(cameIn), currency, '', toKeys(context, { kind: 'pool', target: code })),
      ...(isServing ? [term('+', 'from other pools, less to them', converted(exactly - cameIn), currency, 'by the equations below')] : []),
      ...roundingTerms(context, own),
      ...(isServing ? await equationTerms(context) : []),
    ],
    rules: [], charges: toKeys(context, { kind: 'pool', target: code }),
  }
}

/** What a pool is shared by: the weight of each that shares it. */
export async function weightsWorkings(context: Context): Promise<Workings> {
  const { ref, database, run } = context
  const { code, pool } = wholePool(context)
  const rows = (await readWeights(database, run.id)).filter((row) => row.pool === code).sort((a, b) => (a.cost_centre < b.cost_centre ? -1 : 1))
  if (rows.length === 0) throw notFound('What this pool is shared by')
  const unit = unitOf(context, pool)
  const payer = (row: WeightRow): string => (row.cost_centre.startsWith(POOL_TARGET) ? `pool ${row.cost_centre.slice(POOL_TARGET.length)}` : row.cost_centre)
  const opens = (row: WeightRow): string | null => (pool.base.kind === 'direct' ? directCost(context, row.cost_centre) : null)
  return {
    title: `What pool ${pool.name} is shared by`, subtitle: `${baseLabel(pool)}, ${ref.month}, ${ref.basis} cost`, amount: trimmed(rows[0]!.base), currency: unit,
    terms: [...rows.map((row, index) => term(index === 0 ? '' : '+', payer(row), trimmed(row.weight), unit, `${percent(row)} %`, opens(row))), term('=', 'sum', trimmed(rows[0]!.base), unit)],
    rules: [], charges: null,
  }
}

function wholePool({ ref, viewer, rulebook }: Context): { code: string; pool: Pool } {
  const [code = ''] = ref.parts
  if (viewer.centres) throw new Refusal(403, 'OUT_OF_SCOPE', 'Only those who see every cost centre can open a whole pool.')
  const pool = rulebook.rulebook.pools.find((candidate) => candidate.code === code)
  if (!pool) throw notFound(`Pool ${code}`)
  return { code, pool }
}

/** Pools are shared by direct cost of the charged basis, whichever is read. */
const directCost = ({ ref: { month }, rulebook }: Context, target: string): string => writeRef({ kind: 'keys', month, basis: rulebook.rulebook.chargedBasis, parts: writeFilter({ kind: 'direct', target }) })

/** Direct cost is kept in the reporting currency, whatever is read in. */
const unitOf = ({ base }: Context, pool: Pool): string => (pool.base.kind === 'direct' ? base : pool.base.kind === 'fixed' ? '%' : '')

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
