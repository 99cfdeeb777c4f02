import { RowScanner } from './rowScanner.ts'

const LF = 10

/** The cells of one row as ranges of the buffer; valid only during the call that hands it over. */
export interface CellRanges {
  bytes: Uint8Array
  starts: Int32Array
  ends: Int32Array
  /** 1 where the cell holds doubled quotation marks that stand for single ones */
  doubled: Uint8Array
  count: number
  /** physical line on which the row begins, the head being line 1 */
  line: number
  /** false where a quoted cell is followed by anything but a comma or the end of the line */
  wellFormed: boolean
  /** what found the row, to hash its cells */
  scanner: RowScanner
}

/** A row longer than this is taken for an unclosed quotation mark. */
const LONGEST_ROW = 4 << 20

/**
 * Splits CSV (RFC 4180: CRLF or LF, quoted cells with line breaks, optional byte-order mark) into rows of byte ranges
 * without decoding. Feed it with `push`, finish with `end`. Memory: one row and a piece of a megabyte.
 */
export class CsvSplitter {
  /** bytes at the start of the buffer that belong to a row not complete yet */
  private rest = 0
  private line = 1
  private isFirst = true
  private readonly row: CellRanges

  constructor(private readonly onRow: (row: CellRanges) => void) {
    const scanner = new RowScanner()
    const { bytes, starts, ends, doubled } = scanner
    this.row = { scanner, bytes, starts, ends, doubled, count: 0, line: 1, wellFormed: true }
  }

  push(piece: Uint8Array): void {
    const { room } = this.row.scanner
    for (let at = 0; at < piece.length;) {
      const size = Math.min(piece.length - at, room - this.rest - 1)
      this.scan(piece.subarray(at, at + size), false)
      at += size
      if (this.rest > LONGEST_ROW) throw new RangeError(`line ${this.line} is longer than ${LONGEST_ROW} bytes: look for an unclosed quotation mark`)
    }
  }

  end(): void {
    this.scan(new Uint8Array(0), true)
    this.rest = 0
  }

  /** Hands over the complete rows of the rest and the piece, and keeps what is left at the start of the buffer. */
  private scan(piece: Uint8Array, isLast: boolean): void {
    const { row } = this
    const { bytes, scanner } = row
    const end = this.rest + piece.length
    bytes.set(piece, this.rest)
    bytes[end] = LF
    let at = 0
    if (this.isFirst && (end >= 3 || isLast)) {
      if (end >= 3 && bytes[0] === 0xef && bytes[1] === 0xbb && bytes[2] === 0xbf) at = 3
      this.isFirst = false
    }
    for (;;) {
      const next = this.isFirst ? -1 : scanner.scan(at, end, isLast)
      if (next < 0) break
      const { result } = scanner
      const lines = result[1]!
      row.count = result[0]!
      row.line = this.line
      row.wellFormed = result[2] === 1
      if (row.count !== 1 || row.starts[0] !== row.ends[0]) this.onRow(row)
      this.line += lines
      at = next
    }
    bytes.copyWithin(0, at, end)
    this.rest = Math.max(0, end - at)
  }
}

const decoder = new TextDecoder('utf-8')

/** The text of a cell; empty for an empty one. */
export function cellText(row: CellRanges, index: number): string {
  const text = decoder.decode(row.bytes.subarray(row.starts[index]!, row.ends[index]!))
  return row.doubled[index] ? text.replaceAll('""', '"') : text
}

/** The texts of all cells: decoded at one go where the row is ASCII, as most are. */
export function rowTexts(row: CellRanges): string[] {
  const first = row.starts[0]!
  const last = row.ends[row.count - 1]!
  const text = decoder.decode(row.bytes.subarray(first, last))
  if (text.length !== last - first) return Array.from({ length: row.count }, (_, index) => cellText(row, index))
  return Array.from({ length: row.count }, (_, index) => {
    const cell = text.slice(row.starts[index]! - first, row.ends[index]! - first)
    return row.doubled[index] ? cell.replaceAll('""', '"') : cell
  })
}
