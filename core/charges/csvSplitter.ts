const QUOTE = 34
const COMMA = 44
const LF = 10
const CR = 13

const NOTHING = new Uint8Array(0)

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
  private rest: Uint8Array = NOTHING
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
    const bytes = withSentinel(this.rest, piece)
    let at = 0
    if (this.isFirst && bytes.length > 3) {
      if (bytes[0] === 0xef && bytes[1] === 0xbb && bytes[2] === 0xbf) at = 3
      this.isFirst = false
    }
    for (;;) {
      const next = this.scanRow(bytes, at, false)
      if (next < 0) break
      at = next
    }
    this.rest = bytes.slice(at, bytes.length - 1)
    if (this.rest.length > LONGEST_ROW) throw new RangeError(`line ${this.line} is longer than ${LONGEST_ROW} bytes: look for an unclosed quotation mark`)
  }

  end(): void {
    if (this.rest.length > 0) this.scanRow(withSentinel(this.rest, NOTHING), 0, true)
    this.rest = NOTHING
  }

  /**
   * Scans one row from `at`; hands it over and returns where the next begins, or -1 where the row is not complete yet.
   * The last byte is a line feed put there so that no loop has to look for the end.
   */
  private scanRow(bytes: Uint8Array, at: number, isLast: boolean): number {
    const { starts, ends, doubled } = this.row
    const end = bytes.length - 1
    const mostCells = starts.length
    let count = 0
    let lines = 1
    let wellFormed = true
    let i = at
    if (i >= end) return -1
    for (;;) {
      let byte = bytes[i]!
      if (byte === QUOTE) {
        const start = i + 1
        let hasDoubled = 0
        for (;;) {
          byte = bytes[++i]!
          if (byte === QUOTE) {
            if (bytes[i + 1] !== QUOTE) break
            hasDoubled = 1
            i++
          } else if (byte === LF) {
            if (i >= end) break
            lines++
          }
        }
        // the closing mark may be the first of a doubled one whose second has not arrived
        if (i >= end - 1 && !isLast) return -1
        if (i >= end) wellFormed = false
        starts[count] = start
        ends[count] = i < end ? i : end
        doubled[count++] = hasDoubled
        byte = bytes[i < end ? ++i : i]!
        if (byte !== COMMA && byte !== LF && byte !== CR) wellFormed = false
        while (byte !== COMMA && byte !== LF) byte = bytes[++i]!
      } else {
        starts[count] = i
        while (byte !== COMMA && byte !== LF) byte = bytes[++i]!
        ends[count] = byte === LF && i > starts[count]! && bytes[i - 1] === CR ? i - 1 : i
        doubled[count++] = 0
      }
      if (byte === COMMA && count < mostCells) i++
      else break
    }
    // the line feed that ended the row is the one put at the end: there may be more to come
    if (i >= end && !isLast) return -1
    const isBlank = count === 1 && starts[0] === ends[0]
    const { row } = this
    row.bytes = bytes
    row.count = count
    row.line = this.line
    row.wellFormed = wellFormed
    if (!isBlank) this.onRow(row)
    this.line += lines
    return i + 1
  }
}

function withSentinel(first: Uint8Array, second: Uint8Array): Uint8Array {
  const bytes = new Uint8Array(first.length + second.length + 1)
  bytes.set(first)
  bytes.set(second, first.length)
  bytes[bytes.length - 1] = LF
  return bytes
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
