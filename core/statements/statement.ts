import { roundTo } from '../money/amount.ts'
import type { RoundedCell } from './cells.ts'

/** A statement is data: screen, PDF and CSV render this one structure. Amounts are minor units of the reporting currency. */
export interface Statement {
  groups: StatementGroup[]
  total: StatementFigures
}

export interface StatementGroup {
  kind: 'direct' | 'pool'
  title: string
  lines: StatementLine[]
  figures: StatementFigures
}

export interface StatementFigures {
  amount: bigint
  previous: bigint
  change: bigint
  /** change in tenths of a percent of the month before; null where that was zero */
  permille: bigint | null
}

export interface StatementLine extends StatementFigures {
  /** provider of direct cost; empty for a pool */
  provider: string
  /** service of direct cost, code of a pool */
  line: string
  label: string
  /** the part of the pool in 10^-8 (so six decimals of a percent); null for direct cost */
  share: bigint | null
  /** whole pool in minor units and what it is shared in proportion to; empty for direct cost */
  poolAmount: bigint | null
  base: string
}

export interface PoolNote {
  name: string
  /** whole pool in minor units */
  amount: bigint
  base: string
  /** part of the scope in 10^-8 */
  share: bigint
}

export function figuresOf(amount: bigint, previous: bigint): StatementFigures {
  const change = amount - previous
  const magnitude = previous < 0n ? -previous : previous
  return { amount, previous, change, permille: previous === 0n ? null : roundTo((change * 1000n * 10n ** 10n) / magnitude, 0) }
}

const sum = (cells: readonly RoundedCell[]): bigint => cells.reduce((total, { rounded }) => total + rounded, 0n)

const TITLES = { direct: 'Direct cost', pool: 'Shares of pools' } as const

/** Sets the rounded cells of a scope (one cost centre, or those of a unit) against those of the month before. */
export function buildStatement(now: readonly RoundedCell[], before: readonly RoundedCell[], pools: ReadonlyMap<string, PoolNote>): Statement {
  const groups = (['direct', 'pool'] as const).map((kind) => buildGroup(kind, now, before, pools)).filter(({ lines }) => lines.length > 0)
  return { groups, total: figuresOf(sum(now), sum(before)) }
}

function buildGroup(kind: 'direct' | 'pool', now: readonly RoundedCell[], before: readonly RoundedCell[], pools: ReadonlyMap<string, PoolNote>): StatementGroup {
  const ofKind = (cells: readonly RoundedCell[]): RoundedCell[] => cells.filter((cell) => cell.kind === kind)
  const nameOf = (cell: RoundedCell): string => (kind === 'direct' ? cell.provider + '\u0000' : '\u0000') + cell.line
  const names = [...new Set([...ofKind(now), ...ofKind(before)].map(nameOf))].sort()
  const lines = names.map((name): StatementLine => {
    const [provider, line] = name.split('\u0000') as [string, string]
    const matching = (cells: readonly RoundedCell[]): bigint => sum(ofKind(cells).filter((cell) => nameOf(cell) === name))
    const pool = kind === 'pool' ? pools.get(line) : undefined
    return {
      provider, line, ...figuresOf(matching(now), matching(before)),
      label: kind === 'direct' ? `${provider} · ${line || 'no service'}` : (pool?.name ?? line),
      share: pool?.share ?? null,
      poolAmount: pool?.amount ?? null,
      base: pool?.base ?? '',
    }
  })
  return { kind, title: TITLES[kind], lines, figures: figuresOf(sum(ofKind(now)), sum(ofKind(before))) }
}
