import { formatAmount, roundTo } from '../../../core/money/amount.ts'
import { CONVERTED_SCALE } from '../../../core/money/convert.ts'
import type { StatementFigures } from '../../../core/statements/statement.ts'
import type { MarkUpLine } from '../../../core/markUp/markUp.ts'
import type { MarkUp } from '../../../core/types.ts'
import type { FullStatement } from './read.ts'

/** The statement with its amounts as decimals: what the page, the PDF and the CSV render. */
export interface StatementView {
  scope: { kind: 'cc' | 'unit'; code: string; name: string; unitName: string; owner: string; centres: string[] }
  month: string
  previousMonth: string
  hasPrevious: boolean
  basis: 'billed' | 'effective'
  currency: string
  runId: number
  version: number
  isCurrent: boolean
  groups: { kind: 'direct' | 'pool'; title: string; figures: FiguresView; lines: (FiguresView & { provider: string; line: string; label: string; poolAmount: string | null; base: string; share: string | null })[] }[]
  total: FiguresView
  /** fees on top, by name; `note`: what of, at how much */
  markUps: { id: string; name: string; amount: string; note: string; recoveryAccount: string }[]
  /** what of the change the exchange rates alone have made; null where they made none */
  currencyEffect: string | null
  /** charged cost and mark-up together; null where there is no mark-up */
  withMarkUp: string | null
  history: { month: string; amount: string | null }[]
}

export interface FiguresView { amount: string; previous: string; change: string; percent: string | null }

export function viewStatement({ scope, month, previousMonth, hasPrevious, basis, currency, digits, run, isCurrent, statement, markUps, currencyEffect, history }: FullStatement): StatementView {
  const show = (units: bigint): string => formatAmount(units, digits, digits)
  const view = ({ amount, previous, change, permille }: StatementFigures): FiguresView =>
    ({ amount: show(amount), previous: show(previous), change: show(change), percent: permille === null ? null : formatAmount(permille, 1, 1) })
  return {
    scope, month, previousMonth, hasPrevious, basis, currency, runId: run.id, version: run.version, isCurrent,
    groups: statement.groups.map(({ kind, title, figures, lines }) => ({
      kind, title, figures: view(figures),
      lines: lines.map((line) => ({ ...view(line), provider: line.provider, line: line.line, label: line.label, poolAmount: line.poolAmount === null ? null : show(line.poolAmount), base: line.base, share: line.share === null ? null : formatAmount(line.share, 2, 6) })),
    })),
    total: view(statement.total),
    markUps: byName(markUps).map(({ markUp, base, amount }) => ({ id: markUp.id, name: markUp.name, amount: show(amount), note: feeText(markUp, show(base)), recoveryAccount: markUp.recoveryAccount })),
    currencyEffect: currencyEffect.length > 0 ? show(roundTo(currencyEffect.reduce((sum, { effect }) => sum + effect, 0n), digits, CONVERTED_SCALE)) : null,
    withMarkUp: markUps.length > 0 ? show(statement.total.amount + markUps.reduce((sum, { amount }) => sum + amount, 0n)) : null,
    history: history.map(({ month: past, amount }) => ({ month: past, amount: amount === null ? null : show(amount) })),
  }
}

const ON = { all: 'all charged cost', direct: 'direct cost', pools: 'shares of pools' } as const
export const feeText = ({ fee, on }: MarkUp, base: string): string => (fee.kind === 'percent' ? `${fee.percent} % of ${base}, ${ON[on]}` : `${fee.amount} a month and cost centre`)

/** The lines of each mark-up added up: a unit has several cost centres. */
function byName(lines: readonly MarkUpLine[]): Omit<MarkUpLine, 'costCentre'>[] {
  const sums = new Map<string, Omit<MarkUpLine, 'costCentre'>>()
  for (const { markUp, base, amount } of lines) {
    const sum = sums.get(markUp.id) ?? { markUp, base: 0n, amount: 0n }
    sums.set(markUp.id, { markUp, base: sum.base + base, amount: sum.amount + amount })
  }
  return [...sums.values()]
}
