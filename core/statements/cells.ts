import { minorDigits } from '../money/currency.ts'
import { convert, CONVERTED_SCALE, type RateTable } from '../money/convert.ts'
import { roundTo } from '../money/amount.ts'
import { roundTogether } from '../money/apportion.ts'
import type { PeriodResult } from '../allocatePeriod.ts'
import type { Amounts, Basis } from '../types.ts'

export const CELL_KINDS = ['direct', 'pool', 'held', 'unassigned'] as const
export type CellKind = (typeof CELL_KINDS)[number]

/** The smallest figure a statement rounds: what one cost centre bears of one provider and currency under one heading. */
export interface Cell {
  provider: string
  currency: string
  /** empty for held and unassigned money */
  costCentre: string
  kind: CellKind
  /** service of direct and unassigned cost, code of a pool or of held money's pool */
  line: string
  amounts: Amounts
}

/** Sums the outcome of a run into cells, in a stable order. */
export function cellsOf({ outcomes, shares, held }: PeriodResult): Cell[] {
  const cells = new Map<string, Cell>()
  const add = (cell: Cell): void => {
    const name = [cell.provider, cell.currency, cell.costCentre, cell.kind, cell.line].join('\u0000')
    const sum = cells.get(name)
    if (!sum) cells.set(name, { ...cell })
    else sum.amounts = { billed: sum.amounts.billed + cell.amounts.billed, effective: sum.amounts.effective + cell.amounts.effective }
  }
  for (const { key, kind, target } of outcomes) {
    if (kind === 'pool') continue
    const { ProviderName, BillingCurrency, ServiceName } = key.attributes
    const isDirect = kind === 'costCentre'
    add({ provider: ProviderName!, currency: BillingCurrency!, costCentre: isDirect ? target : '', kind: isDirect ? 'direct' : 'unassigned', line: ServiceName ?? '', amounts: key.amounts })
  }
  for (const { provider, currency, costCentre, pool, amounts } of shares) add({ provider, currency, costCentre, kind: 'pool', line: pool, amounts })
  for (const { provider, currency, pool, amounts } of held) add({ provider, currency, costCentre: '', kind: 'held', line: pool, amounts })
  return [...cells].sort(([a], [b]) => (a < b ? -1 : 1)).map(([, cell]) => cell)
}

export interface RoundedCell extends Omit<Cell, 'amounts'> {
  /** on the chosen basis, in 10^-10 of the billing currency */
  amount: bigint
  /** the same in 10^-20 of the reporting currency, exact */
  exact: bigint
  /** in minor units of the reporting currency */
  rounded: bigint
}

/**
 * Rounds the cells of a month to minor units of the reporting currency. Within each provider and currency the rounded
 * cells add up to that provider's rounded total (largest remainder, ties by cost centre, then heading).
 */
export function roundCells(cells: readonly Cell[], basis: Basis, rates: RateTable, reportingCurrency: string): RoundedCell[] {
  const digits = minorDigits(reportingCurrency)
  const divisor = 10n ** BigInt(CONVERTED_SCALE - digits)
  const streams = new Map<string, RoundedCell[]>()
  for (const { amounts, ...cell } of cells) {
    const amount = amounts[basis]
    const name = cell.provider + '\u0000' + cell.currency
    const stream = streams.get(name) ?? []
    stream.push({ ...cell, amount, exact: convert(amount, cell.currency, rates), rounded: 0n })
    streams.set(name, stream)
  }
  for (const stream of streams.values()) {
    const whole = roundTo(stream.reduce((sum, { exact }) => sum + exact, 0n), digits, CONVERTED_SCALE)
    const ranks = rankByCentre(stream)
    const rounded = roundTogether(stream.map(({ exact }) => exact), whole, divisor, (index) => ranks[index]!)
    stream.forEach((cell, index) => { cell.rounded = rounded[index]! })
  }
  return [...streams.values()].flat()
}

function rankByCentre(cells: readonly RoundedCell[]): number[] {
  const nameOf = ({ costCentre, kind, line }: RoundedCell): string => [costCentre || '\uffff', kind, line].join('\u0000')
  const order = cells.map((_, index) => index).sort((a, b) => (nameOf(cells[a]!) < nameOf(cells[b]!) ? -1 : 1))
  const ranks: number[] = []
  order.forEach((index, rank) => { ranks[index] = rank })
  return ranks
}
