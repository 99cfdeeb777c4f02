import { allocatePeriod, type KeyOutcome } from '../../../core/allocatePeriod.ts'
import { movesBetween } from '../../../core/classify/moves.ts'
import { CONVERTED_SCALE } from '../../../core/money/convert.ts'
import { formatAmount, roundTo } from '../../../core/money/amount.ts'
import { cellsOf, roundCells, type RoundedCell } from '../../../core/statements/cells.ts'
import type { PoolLink } from '../../../core/pools/sharePools.ts'
import type { Problem } from '../../../core/problems.ts'
import { POOL_METHODS, type PoolMethod, type Rulebook } from '../../../core/types.ts'
import { preparedTable } from '../allocation/ledger.ts'
import type { MonthLedger } from './monthLedger.ts'

export interface MovedKey { name: string; provider: string; service: string; amount: string }
/** Money that a draft sends elsewhere, before pools are shared: places are `cc:1010`, `pool:TAX`, `aside`, `unassigned`. */
export interface MovedMoney { from: string; to: string; amount: string; count: number; keys: MovedKey[] }
export interface Effect { month: string; centres: { code: string; before: string; after: string; change: string }[]; moves: MovedMoney[]; moreMoves: number }

const MOST_MOVES = 200
const MOST_KEYS = 25

/** What a month is charged under one rulebook and under the other: by cost centre, rounded as its statement would be, and which money moves. */
export function effectOf(ledger: MonthLedger, before: Rulebook, after: Rulebook): Effect {
  const [old, fresh] = [chargedUnder(ledger, before), chargedUnder(ledger, after)]
  const show = (units: bigint): string => formatAmount(units, ledger.digits, ledger.digits)
  const centres = [...new Set([...old.sums.keys(), ...fresh.sums.keys()])].sort().flatMap((code) => {
    const [was, is] = [old.sums.get(code) ?? 0n, fresh.sums.get(code) ?? 0n]
    return was === is ? [] : [{ code, before: show(was), after: show(is), change: show(is - was) }]
  })
  const moves = movesBetween(old.outcomes, fresh.outcomes, after.chargedBasis, ledger.rates)
  return { month: ledger.month, centres, moves: describe(ledger, moves.slice(0, MOST_MOVES)), moreMoves: Math.max(0, moves.length - MOST_MOVES) }
}

export interface MethodEffect { methods: PoolMethod[]; /** charged under each method, in their order */ centres: { code: string; amounts: string[] }[]; network: { pool: string; to: string; share: number }[]; problems: string[] }

/** What each cost centre is charged under each method of sharing pools that serve each other, and who serves whom under the draft's. */
export function methodsOf(ledger: MonthLedger, rulebook: Rulebook): MethodEffect {
  const runs = POOL_METHODS.map((poolMethod) => chargedUnder(ledger, { ...rulebook, poolMethod }))
  const own = chargedUnder(ledger, { ...rulebook, poolMethod: 'reciprocal' })
  const show = (units: bigint): string => formatAmount(units, ledger.digits, ledger.digits)
  const codes = [...new Set(runs.flatMap(({ sums }) => [...sums.keys()]))].sort()
  return {
    methods: [...POOL_METHODS], centres: codes.map((code) => ({ code, amounts: runs.map(({ sums }) => show(sums.get(code) ?? 0n)) })),
    network: own.links.map(({ pool, to, weight, base }) => ({ pool, to, share: Number((weight * 1_000_000n) / base) / 1_000_000 })),
    problems: [...new Set(runs[POOL_METHODS.indexOf(rulebook.poolMethod)]!.problems.filter(({ code }) => code.startsWith('POOL')).map(({ message }) => message))],
  }
}

function chargedUnder(ledger: MonthLedger, rulebook: Rulebook): { sums: Map<string, bigint>; outcomes: KeyOutcome[]; links: PoolLink[]; problems: Problem[] } {
  const { month, rates, baseRates, currency, centres, drivers } = ledger
  const { result, problems } = allocatePeriod({ month, table: preparedTable(ledger, rulebook), rulebook, centres, rates: baseRates, drivers })
  const sums = new Map<string, bigint>()
  for (const cell of roundCells(cellsOf(result), rulebook.chargedBasis, rates, currency)) {
    const code = bearerOf(cell)
    sums.set(code, (sums.get(code) ?? 0n) + cell.rounded)
  }
  return { sums, outcomes: result.outcomes, links: result.links, problems }
}

/** The cost centre that a cell is charged to, or the word for money that nobody is charged. */
const bearerOf = ({ kind, costCentre }: RoundedCell): string => (kind === 'direct' || kind === 'pool' ? costCentre : kind === 'aside' ? 'held' : kind)

function describe({ table, digits }: MonthLedger, moves: ReturnType<typeof movesBetween>): MovedMoney[] {
  const wanted = new Set(moves.flatMap(({ keys }) => [...keys.keys()]))
  const attributes = new Map(table.keys.flatMap((key) => (wanted.has(key.id) ? [[key.id, key.attributes] as const] : [])))
  const show = (amount: bigint): string => formatAmount(roundTo(amount, digits, CONVERTED_SCALE), digits, digits)
  const size = (amount: bigint): bigint => (amount < 0n ? -amount : amount)
  return moves.map(({ from, to, amount, keys }) => {
    const largest = [...keys].sort(([, a], [, b]) => (size(b) > size(a) ? 1 : size(b) < size(a) ? -1 : 0)).slice(0, MOST_KEYS)
    return {
      from, to, amount: show(amount), count: keys.size,
      keys: largest.map(([key, money]) => {
        const { ResourceName, ResourceId, ServiceName = '', ProviderName = '' } = attributes.get(key)!
        return { name: ResourceName ?? ResourceId ?? 'no resource', service: ServiceName, provider: ProviderName, amount: show(money) }
      }),
    }
  })
}
