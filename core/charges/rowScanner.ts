import { ROW_MODULE } from './rowModule.generated.ts'

interface Exports {
  memory: { buffer: ArrayBuffer }
  scanRow(from: number, end: number, isLast: number): number
  hashCells(list: number, columns: number, seed: number): void
  givenCells(list: number, columns: number): number
  isZero(column: number): number
  readFigures(list: number, columns: number): number
  figuresAt(): number
  startsAt(): number
  endsAt(): number
  doubledAt(): number
  listAt(list: number): number
  resultAt(): number
  bufferAt(): number
  MOST_CELLS: { value: number }
  BUFFER_BYTES: { value: number }
}

/** The part of WebAssembly that is used, which Node and browsers both have and neither library of types shares. */
declare const WebAssembly: { Module: new (bytes: Uint8Array) => object; Instance: new (module: object) => { exports: unknown } }

let compiled: object | null = null
const module = (): object => (compiled ??= new WebAssembly.Module(Uint8Array.from(atob(ROW_MODULE), (char) => char.charCodeAt(0))))

/** Lists of columns that are looked at together, each at its place in the memory. */
const LISTS = ['key', 'detail', 'period', 'mask', 'figure'] as const
export type ColumnList = (typeof LISTS)[number]
const MOST_FIGURES = 32

/** What over-reading by sixteen bytes needs behind the last one. */
const SLACK = 32

/**
 * The memory in which rows are found and hashed by WebAssembly (assembly/rows.ts): a buffer for a row that is not
 * complete yet and a piece of the file, and the ranges of the cells of the row scanned last, as offsets into the buffer.
 */
export class RowScanner {
  readonly bytes: Uint8Array
  readonly starts: Int32Array
  readonly ends: Int32Array
  /** 1 where a cell holds doubled quotation marks that stand for single ones */
  readonly doubled: Uint8Array
  /** after `scan`: cells, lines, 1 where well formed; after `hash`: two halves and the number of bytes */
  readonly result: Int32Array
  /** after `readFigures`: whole units and ten-decimal fractions, both with the sign */
  readonly wholes: Float64Array
  readonly fractions: Float64Array
  /** bytes that a row and a piece may take together */
  readonly room: number
  private readonly exports: Exports
  private readonly lists: Int32Array[]
  private readonly sizes = new Int32Array(LISTS.length)

  constructor() {
    this.exports = new WebAssembly.Instance(module()).exports as Exports
    const { memory: { buffer }, MOST_CELLS: { value: cells }, BUFFER_BYTES: { value: size } } = this.exports
    this.bytes = new Uint8Array(buffer, this.exports.bufferAt(), size)
    this.starts = new Int32Array(buffer, this.exports.startsAt(), cells)
    this.ends = new Int32Array(buffer, this.exports.endsAt(), cells)
    this.doubled = new Uint8Array(buffer, this.exports.doubledAt(), cells)
    this.wholes = new Float64Array(buffer, this.exports.figuresAt(), MOST_FIGURES)
    this.fractions = new Float64Array(buffer, this.exports.figuresAt() + MOST_FIGURES * 8, MOST_FIGURES)
    this.lists = LISTS.map((_, list) => new Int32Array(buffer, this.exports.listAt(list), cells))
    this.result = new Int32Array(buffer, this.exports.resultAt(), 4)
    this.room = size - SLACK
  }

  /** Offset behind the row that begins at `from`, or -1 where it is not complete. The byte at `end` must be a line feed. */
  scan(from: number, end: number, isLast: boolean): number {
    return this.exports.scanRow(from, end, isLast ? 1 : 0)
  }

  /** Says which columns a list names, by their place in the row; -1 is a column that the file lacks. */
  setList(list: ColumnList, columns: Int32Array): void {
    this.sizes[LISTS.indexOf(list)] = columns.length
    this.lists[LISTS.indexOf(list)]!.set(columns)
  }

  /** Hashes the cells of a list into `result`; `seed` stands for what else must agree. */
  hash(list: ColumnList, seed: number): void {
    const at = LISTS.indexOf(list)
    this.exports.hashCells(at, this.sizes[at]!, seed)
  }

  /** A bit for each of up to 31 columns of the list whose cell is not empty. */
  givenCells(list: ColumnList): number {
    const at = LISTS.indexOf(list)
    return this.exports.givenCells(at, this.sizes[at]!)
  }

  /** Whether a cell has no digit but 0. */
  isZero(column: number): boolean {
    return this.exports.isZero(column) !== 0
  }

  /** Reads the cells of a list as plain decimals into `wholes` and `fractions`; a bit for each that is none, also where it is empty. */
  readFigures(list: ColumnList): number {
    const at = LISTS.indexOf(list)
    return this.exports.readFigures(at, this.sizes[at]!)
  }
}
