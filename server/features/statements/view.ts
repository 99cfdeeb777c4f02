import { formatAmount } from '../../../core/money/amount.ts'
import type { StatementFigures } from '../../../core/statements/statement.ts'
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
  history: { month: string; amount: string | null }[]
}

export interface FiguresView { amount: string; previous: string; change: string; percent: string | null }

export function viewStatement({ scope, month, previousMonth, hasPrevious, basis, currency, digits, run, isCurrent, statement, history }: FullStatement): StatementView {
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
    history: history.map(({ month: past, amount }) => ({ month: past, amount: amount === null ? null : show(amount) })),
  }
}
