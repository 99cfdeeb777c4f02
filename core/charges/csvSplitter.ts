const QUOTE = 34
const COMMA = 44
const LF = 10
const CR = 13

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
}

/** A row longer than this is taken for an unclosed quotation mark. */
const LONGEST_ROW = 4 << 20

/**
 * Splits CSV (RFC 4180: CRLF or LF, quoted cells with line breaks, optional byte-order mark) into rows of byte ranges
 * without copying or decoding. Feed it with `push`, finish with `end`. Memory: one row beyond the pushed piece.
 */
export class CsvSplitter {
  private rest: Uint8Array = new Uint8Array(0)
  private line = 1
  private isFirst = true
  private readonly row: CellRanges

  constructor(private readonly onRow: (row: CellRanges) => void, mostCells = 4096) {
    this.row = {
      bytes: this.rest, starts: new Int32Array(mostCells), ends: new Int32Array(mostCells), doubled: new Uint8Array(mostCells),
      count: 0, line: 1, wellFormed: true,
    }
  }

  push(piece: Uint8Array): void {
    const bytes = this.rest.length === 0 ? piece : joined(this.rest, piece)
    let at = 0
    if (this.isFirst && bytes.length >= 3) {
      if (bytes[0] === 0xef && bytes[1] === 0xbb && bytes[2] === 0xbf) at = 3
      this.isFirst = false
    }
    for (;;) {
      const next = this.scanRow(bytes, at, false)
      if (next < 0) break
      at = next
    }
    this.rest = bytes.slice(at)
    if (this.rest.length > LONGEST_ROW) throw new RangeError(`line ${this.line} is longer than ${LONGEST_ROW} bytes: look for an unclosed quotation mark`)
  }

  end(): void {
    if (this.rest.length > 0) this.scanRow(this.rest, 0, true)
    this.rest = new Uint8Array(0)
  }

  /** Scans one row from `at`; hands it over and returns where the next begins, or -1 where the row is not complete yet. */
  private scanRow(bytes: Uint8Array, at: number, isLast: boolean): number {
    const { starts, ends, doubled } = this.row
    const length = bytes.length
    let count = 0
    let lines = 1
    let wellFormed = true
    let i = at
    if (i >= length) return -1
    for (;;) {
      if (bytes[i] === QUOTE) {
        let hasDoubled = 0
        let j = i + 1
        for (; j < length; j++) {
          const byte = bytes[j]
          if (byte === QUOTE) {
            if (bytes[j + 1] !== QUOTE) break
            hasDoubled = 1
            j++
          } else if (byte === LF) lines++
        }
        // the closing mark may be the first of a doubled one whose second has not arrived
        if (j >= length - 1 && !isLast) return -1
        if (j >= length) wellFormed = false
        starts[count] = i + 1
        ends[count] = Math.min(j, length)
        doubled[count++] = hasDoubled
        i = j + 1
        if (i < length && bytes[i] !== COMMA && bytes[i] !== LF && bytes[i] !== CR) {
          wellFormed = false
          while (i < length && bytes[i] !== COMMA && bytes[i] !== LF) i++
        }
      } else {
        const start = i
        while (i < length && bytes[i] !== COMMA && bytes[i] !== LF) i++
        if (i >= length && !isLast) return -1
        starts[count] = start
        ends[count] = i > start && bytes[i - 1] === CR && bytes[i] !== COMMA ? i - 1 : i
        doubled[count++] = 0
      }
      if (i < length && bytes[i] === COMMA && count < starts.length) {
        i++
        if (i < length) continue
        if (!isLast) return -1
        starts[count] = ends[count] = i
        doubled[count++] = 0
      }
      break
    }
    if (i < length && bytes[i] === CR) i++
    if (i >= length && !isLast) return -1
    const isBlank = count === 1 && starts[0] === ends[0]
    Object.assign(this.row, { bytes, count, line: this.line, wellFormed })
    if (!isBlank) this.onRow(this.row)
    this.line += lines
    return i + 1
  }
}

function joined(first: Uint8Array, second: Uint8Array): Uint8Array {
  const bytes = new Uint8Array(first.length + second.length)
  bytes.set(first)
  bytes.set(second, first.length)
  return bytes
}

const decoder = new TextDecoder('utf-8')

/** The text of a cell; empty for an empty one. */
export function cellText(row: CellRanges, index: number): string {
  const text = decoder.decode(row.bytes.subarray(row.starts[index]!, row.ends[index]!))
  return row.doubled[index] ? text.replaceAll('""', '"') : text
}
