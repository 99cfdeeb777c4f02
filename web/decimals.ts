import { amountOf, formatAmount } from '../core/money/amount.ts'

const longest = (decimals: readonly string[]): number => Math.max(0, ...decimals.map((text) => text.split('.')[1]?.length ?? 0))

/** Exact sum of decimals, with as many decimals as the longest of them. */
export const addDecimals = (decimals: readonly string[]): string => formatAmount(decimals.reduce((sum, text) => sum + amountOf(text), 0n), longest(decimals))

/** Decimals filled up to those of the longest, so that they stand under each other in a column. */
export function evenDecimals(decimals: readonly string[]): string[] {
  const digits = longest(decimals)
  return decimals.map((text) => formatAmount(amountOf(text), digits))
}

/** The same over some columns of some rows. */
export function evenRows<Column extends string, Row extends Record<Column, string>>(rows: readonly Row[], ...columns: Column[]): Row[] {
  const even = evenDecimals(rows.flatMap((row) => columns.map((column) => row[column])))
  return rows.map((row, index) => ({ ...row, ...Object.fromEntries(columns.map((column, at) => [column, even[index * columns.length + at]!])) }))
}
