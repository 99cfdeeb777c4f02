import type { CellRanges } from './csvSplitter.ts'
import type { ColumnList } from './rowScanner.ts'

/**
 * Finds rows that agree in a set of columns: an open-addressing table from a 64-bit hash (and the length) of those
 * cells to a small number. Two different shapes fall together with a chance of about n^2 / 2^65.
 */
export class ShapeTable {
  private first = new Int32Array(1 << 12)
  private second = new Int32Array(1 << 12)
  private lengths = new Int32Array(1 << 12)
  private shapes = new Int32Array(1 << 12).fill(-1)
  private count = 0
  private hash1 = 0
  private hash2 = 0
  private hashedLength = 0

  constructor(private readonly list: ColumnList) {}

  get size(): number {
    return this.count
  }

  /** Number of the shape of the row, or -1 where it is new: then `insert` it next. `mask` stands for what else must agree. */
  find({ scanner }: CellRanges, mask: number): number {
    scanner.hash(this.list, mask)
    const { result } = scanner
    this.hash1 = result[0]!
    this.hash2 = result[1]!
    this.hashedLength = result[2]!
    const at = this.slotOf(this.hash1, this.hash2, this.hashedLength)
    return this.shapes[at]!
  }

  /** Files the row hashed last under a number. */
  insert(shape: number): void {
    if (this.count * 2 > this.shapes.length) this.grow()
    const at = this.slotOf(this.hash1, this.hash2, this.hashedLength)
    this.first[at] = this.hash1
    this.second[at] = this.hash2
    this.lengths[at] = this.hashedLength
    this.shapes[at] = shape
    this.count++
  }

  private slotOf(hash1: number, hash2: number, length: number): number {
    const last = this.shapes.length - 1
    let at = hash1 & last
    while (this.shapes[at] !== -1 && (this.first[at] !== hash1 || this.second[at] !== hash2 || this.lengths[at] !== length)) at = (at + 1) & last
    return at
  }

  private grow(): void {
    const old = { first: this.first, second: this.second, lengths: this.lengths, shapes: this.shapes }
    const size = old.shapes.length * 2
    this.first = new Int32Array(size)
    this.second = new Int32Array(size)
    this.lengths = new Int32Array(size)
    this.shapes = new Int32Array(size).fill(-1)
    for (let from = 0; from < old.shapes.length; from++) {
      if (old.shapes[from] === -1) continue
      const at = this.slotOf(old.first[from]!, old.second[from]!, old.lengths[from]!)
      this.first[at] = old.first[from]!
      this.second[at] = old.second[from]!
      this.lengths[at] = old.lengths[from]!
      this.shapes[at] = old.shapes[from]!
    }
  }
}
