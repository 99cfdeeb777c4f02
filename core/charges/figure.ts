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
const POWERS = Array.from({ length: 11 }, (_, index) => 10 ** index)

/** Reads a cell into the figure; false where it is no plain decimal or too large. An empty cell is a figure not given. */
export function readFigure(row: CellRanges, column: number, figure: Figure): boolean {
  const { bytes } = row
  let at = row.starts[column]!
  const end = row.ends[column]!
  figure.tooLarge = false
  figure.exact = true
  figure.whole = figure.fraction = 0
  figure.given = end > at
  if (!figure.given) return true
  const start = at
  const negative = bytes[at] === 45
  if (negative) at++
  let whole = 0
  let fraction = 0
  const wholeStart = at
  for (; at < end && bytes[at]! >= 48 && bytes[at]! <= 57; at++) whole = whole * 10 + bytes[at]! - 48
  const wholeDigits = at - wholeStart
  let decimals = 0
  if (at < end && bytes[at] === 46) {
    at++
    const fractionStart = at
    for (; at < end && bytes[at]! >= 48 && bytes[at]! <= 57 && at - fractionStart < 10; at++) fraction = fraction * 10 + bytes[at]! - 48
    decimals = at - fractionStart
  }
  if (at < end || wholeDigits === 0 || wholeDigits > 12) return readSlowly(row, column, figure)
  fraction *= POWERS[10 - decimals]!
  figure.whole = negative ? -whole : whole
  figure.fraction = negative ? -fraction : fraction
  figure.start = start
  figure.end = end
  figure.text = null
  return true
}

/** Exponents, more than ten decimals and everything unusual: exact, by way of the general parser. */
function readSlowly(row: CellRanges, column: number, figure: Figure): boolean {
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
