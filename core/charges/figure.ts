import { cellText, type CellRanges } from './csvSplitter.ts'
import { formatAmount, parseAmount } from '../money/amount.ts'

/** A figure of a charge: whole units and ten-decimal fraction (both with the sign), and where its text stands. */
export interface Figure {
  given: boolean
  whole: number
  fraction: number
  /** range of the row's bytes that holds it as a plain decimal, unless `text` was written for it */
  start: number
  end: number
  text: string | null
  /** false where digits beyond the tenth decimal were rounded */
  exact: boolean
  tooLarge?: boolean
}

const LARGEST = 999_999_999_999

/** A figure that stands as a plain decimal between two bytes of its row. */
export function putFigure(figure: Figure, whole: number, fraction: number, start: number, end: number): void {
  figure.given = true
  figure.exact = true
  figure.tooLarge = false
  figure.whole = whole
  figure.fraction = fraction
  figure.start = start
  figure.end = end
  figure.text = null
}

/**
 * Reads a cell that is no plain decimal: empty (not given), an exponent, more than ten decimals and everything unusual,
 * exactly, by way of the general parser. False where it is no decimal or too large.
 */
export function readUnusual(row: CellRanges, column: number, figure: Figure): boolean {
  figure.tooLarge = false
  figure.exact = true
  figure.whole = figure.fraction = 0
  figure.given = row.ends[column]! > row.starts[column]!
  if (!figure.given) return true
  const parsed = parseAmount(cellText(row, column))
  if (!parsed) return false
  const whole = parsed.units / 10_000_000_000n
  if (whole > BigInt(LARGEST) || whole < -BigInt(LARGEST)) {
    figure.tooLarge = true
    return false
  }
  figure.whole = Number(whole)
  figure.fraction = Number(parsed.units % 10_000_000_000n)
  figure.text = formatAmount(parsed.units)
  figure.exact = parsed.exact
  return true
}
