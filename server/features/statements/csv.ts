import { writeTable } from '../../csvTable.ts'
import type { StatementView } from './view.ts'

/** One line a figure, plain decimals, so that a spreadsheet adds them up to the total. */
export function statementCsv({ scope, month, basis, currency, runId, version, groups, total, markUps, withMarkUp }: StatementView): string {
  const head = ['scope', 'name', 'month', 'basis', 'currency', 'run', 'rulebook_version', 'group', 'provider', 'line', 'amount', 'previous', 'change', 'change_percent', 'share_percent', 'pool_amount', 'base']
  const common = [scope.code, scope.name, month, basis, currency, String(runId), String(version)]
  const lines = groups.flatMap((group) => group.lines.map((line) => [...common, group.title, line.provider, line.label, line.amount, line.previous, line.change, line.percent ?? '', line.share ?? '', line.poolAmount ?? '', line.base]))
  return writeTable(head, [...lines, [...common, 'Total', '', '', total.amount, total.previous, total.change, total.percent ?? '', '', '', ''],
    ...markUps.map(({ name, amount, note }) => [...common, 'Mark-up', '', name, amount, '', '', '', '', '', note]), ...(withMarkUp === null ? [] : [[...common, 'Total with mark-up', '', '', withMarkUp, '', '', '', '', '', '']])])
}
