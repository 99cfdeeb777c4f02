import { minorDigits } from '../money/currency.ts'
import { convert, CONVERTED_SCALE, type RateTable } from '../money/convert.ts'
import { roundTo } from '../money/amount.ts'
import { roundTogether } from '../money/apportion.ts'
import { addOutcome, type PeriodResult, type Way } from '../allocatePeriod.ts'
import { OutcomeSums } from '../packed/outcomeSums.ts'
import { combinedCode } from '../classify/keyTable.ts'
import type { Amounts, Basis } from '../types.ts'

export const CELL_KINDS = ['direct', 'pool', 'held', 'aside', 'unassigned'] as const
export type CellKind = (typeof CELL_KINDS)[number]

/** The smallest figure a statement rounds: what one cost centre bears of one provider and currency under one heading. */
export interface Cell {
  provider: string
  currency: string
  /** empty for money that is charged to nobody */
  costCentre: string
  kind: CellKind
  /** service of direct and unassigned cost, code of a pool or of held money's pool, the reason of what is set aside */
  line: string
  amounts: Amounts
}

const nameOf = ({ provider, currency, costCentre, kind, line }: Omit<Cell, 'amounts'>): string => [provider, currency, costCentre, kind, line].join('\u0000')

/** Sums the outcome of a run into cells, in a stable order. */
export function cellsOf({ outcomes, shares, held, table }: PeriodResult): Cell[] {
  const cells = new Map<string, { cell: Omit<Cell, 'amounts'>; slot: number }>()
  const sums = new OutcomeSums()
  const slotOf = (cell: Omit<Cell, 'amounts'>): number => {
    const name = nameOf(cell)
    let found = cells.get(name)
    if (!found) cells.set(name, (found = { cell, slot: cells.size }))
    return found.slot
  }
  const columns = [table.column('ProviderName'), table.column('BillingCurrency'), table.column('ServiceName')]
  const amounts = table.amounts()
  // rows that go the same way from the same service share a cell: found by a number, made once
  const byWay = new Map<Way, Map<number | string, number>>()
  for (const outcome of outcomes) {
    const { row, way } = outcome
    if (way.kind === 'pool') continue
    let ways = byWay.get(way)
    if (!ways) byWay.set(way, (ways = new Map()))
    const code = combinedCode(columns, row)
    let slot = ways.get(code)
    if (slot === undefined) {
      const [provider = '', currency = '', service = ''] = columns.map(({ codes, values }) => values[codes[row]!])
      const isDirect = way.kind === 'costCentre'
      ways.set(code, (slot = slotOf({ provider, currency, costCentre: isDirect ? way.target : '', kind: way.kind === 'costCentre' ? 'direct' : way.kind, line: way.kind === 'aside' ? way.target : service })))
    }
    addOutcome(sums, slot, outcome, amounts)
  }
  for (const { provider, currency, costCentre, pool, amounts: share } of shares) sums.addPart(slotOf({ provider, currency, costCentre, kind: 'pool', line: pool }), share)
  for (const { provider, currency, pool, amounts: kept } of held) sums.addPart(slotOf({ provider, currency, costCentre: '', kind: 'held', line: pool }), kept)
  return [...cells].sort(([a], [b]) => (a < b ? -1 : 1)).map(([, { cell, slot }]) => ({ ...cell, amounts: sums.amounts(slot) }))
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
    stream.push({ ...cell, amount, exact: convert(amount, cell.currency, rates, cell.provider), rounded: 0n })
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
  const rankName = ({ costCentre, kind, line }: RoundedCell): string => [costCentre || '\uffff', kind, line].join('\u0000')
  const order = cells.map((_, index) => index).sort((a, b) => (rankName(cells[a]!) < rankName(cells[b]!) ? -1 : 1))
  const ranks: number[] = []
  order.forEach((index, rank) => { ranks[index] = rank })
  return ranks
}
