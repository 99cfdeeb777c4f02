import { allocatePeriod } from '../../../core/allocatePeriod.ts'
import { classField } from '../../../core/charges/attributes.ts'
import { placeOf } from '../../../core/classify/moves.ts'
import type { KeyTable } from '../../../core/classify/keyTable.ts'
import { convert, CONVERTED_SCALE } from '../../../core/money/convert.ts'
import { roundList } from '../../../core/money/apportion.ts'
import { formatAmount } from '../../../core/money/amount.ts'
import type { Rulebook } from '../../../core/types.ts'
import { preparedTable } from '../allocation/ledger.ts'
import { COST_CENTRE, type MonthLedger } from './monthLedger.ts'

/** A part of the money of a month with what each classification makes of it. */
interface Piece { row: number; amount: bigint }

/** Rows of money with their value in a classification; null where it has none. */
interface Valued { table: KeyTable; pieces: Piece[]; valueOf(classification: string, piece: number): string | null }

/** The charges of a month under a rulebook, split as its rules split them, each with all its values. Cost centres come before pools are shared: places as in moves. */
function valued(ledger: MonthLedger, rulebook: Rulebook): Valued {
  const { month, rates, centres, drivers } = ledger
  const table = preparedTable(ledger, rulebook)
  const { outcomes } = allocatePeriod({ month, table, rulebook, centres, rates, drivers }).result
  const pieces = outcomes.map(({ row, key, amounts }) => ({ row, amount: convert(amounts[rulebook.chargedBasis], key.attributes.BillingCurrency!, rates, key.attributes.ProviderName ?? '') }))
  return {
    table, pieces,
    valueOf(classification, piece) {
      if (classification !== COST_CENTRE) return table.value(classField(classification), pieces[piece]!.row) ?? null
      const place = placeOf(outcomes[piece]!)
      return place === 'unassigned' ? null : place
    },
  }
}

export interface ValueSeries { value: string | null; amount: string; /** of the months asked for, in their order */ months: string[] }

/** Every value of a classification side by side, with its money in each of the months; the last month's total is the one they are ordered by. */
export function valueSeries(ledgers: readonly MonthLedger[], rulebook: Rulebook, classification: string): { months: string[]; values: ValueSeries[]; totals: string[] } {
  const sums = ledgers.map((ledger) => {
    const { pieces, valueOf } = valued(ledger, rulebook)
    const byValue = new Map<string | null, bigint>()
    pieces.forEach(({ amount }, piece) => { const value = valueOf(classification, piece); byValue.set(value, (byValue.get(value) ?? 0n) + amount) })
    return byValue
  })
  const names = [...new Set(sums.flatMap((one) => [...one.keys()]))]
  const columns = sums.map((one, index) => rounded(names.map((name) => one.get(name) ?? 0n), ledgers[index]!.digits))
  const values = names.map((value, row): ValueSeries => ({ value, amount: columns.at(-1)!.parts[row]!, months: columns.map(({ parts }) => parts[row]!) }))
  return {
    months: ledgers.map(({ month }) => month), totals: columns.map(({ total }) => total),
    values: values.sort((a, b) => (a.value === null ? 1 : b.value === null ? -1 : Math.abs(Number(b.amount)) - Math.abs(Number(a.amount)) || (a.value < b.value ? -1 : 1))),
  }
}

function rounded(exact: readonly bigint[], digits: number): { parts: string[]; total: string } {
  const { rounded: parts, total } = roundList(exact, digits, CONVERTED_SCALE)
  return { parts: parts.map((part) => formatAmount(part, digits, digits)), total: formatAmount(total, digits, digits) }
}

export interface Matrix { rows: (string | null)[]; columns: (string | null)[]; /** by row and column; empty where nothing meets */ cells: string[][]; rowTotals: string[]; columnTotals: string[]; total: string }

/** Two classifications crossed. Cells are rounded together; the margins are sums of them. */
export function matrixOf(ledger: MonthLedger, rulebook: Rulebook, across: string, down: string): Matrix {
  const { pieces, valueOf } = valued(ledger, rulebook)
  const sums = new Map<string, { row: string | null; column: string | null; amount: bigint }>()
  pieces.forEach(({ amount }, piece) => {
    const [row, column] = [valueOf(down, piece), valueOf(across, piece)]
    const name = JSON.stringify([row, column])
    const cell = sums.get(name) ?? { row, column, amount: 0n }
    cell.amount += amount
    sums.set(name, cell)
  })
  const cells = [...sums.values()]
  const { rounded: parts, total } = roundList(cells.map(({ amount }) => amount), ledger.digits, CONVERTED_SCALE)
  const totalsBy = (nameOf: (cell: (typeof cells)[number]) => string | null): Map<string | null, bigint> => {
    const totals = new Map<string | null, bigint>()
    cells.forEach((cell, index) => totals.set(nameOf(cell), (totals.get(nameOf(cell)) ?? 0n) + parts[index]!))
    return totals
  }
  const [byRow, byColumn] = [totalsBy(({ row }) => row), totalsBy(({ column }) => column)]
  const size = (amount: bigint): bigint => (amount < 0n ? -amount : amount)
  const ordered = (totals: Map<string | null, bigint>): (string | null)[] => [...totals].sort(([a, x], [b, y]) => (a === null ? 1 : b === null ? -1 : size(y) > size(x) ? 1 : size(y) < size(x) ? -1 : a < b ? -1 : 1)).map(([name]) => name)
  const show = (units: bigint): string => formatAmount(units, ledger.digits, ledger.digits)
  const [rows, columns] = [ordered(byRow), ordered(byColumn)]
  const at = new Map(cells.map(({ row, column }, index) => [JSON.stringify([row, column]), parts[index]!]))
  return {
    rows, columns, cells: rows.map((row) => columns.map((column) => { const part = at.get(JSON.stringify([row, column])); return part === undefined ? '' : show(part) })),
    rowTotals: rows.map((row) => show(byRow.get(row)!)), columnTotals: columns.map((column) => show(byColumn.get(column)!)), total: show(total),
  }
}
