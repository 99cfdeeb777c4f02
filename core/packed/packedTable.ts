/** A column of numbers, one a row. */
export type Column = Int32Array | Uint32Array | Float64Array

const KINDS = { i4: Int32Array, u4: Uint32Array, f8: Float64Array } as const
type Kind = keyof typeof KINDS

/** Columns of one length under their names, with a head of what their numbers stand for. */
export interface PackedTable<Name extends string = string, Head = unknown> {
  rows: number
  head: Head
  columns: Record<Name, Column>
}

const ALIGNED = 8
const aligned = (bytes: number): number => Math.ceil(bytes / ALIGNED) * ALIGNED
const kindOf = (column: Column): Kind => (Object.keys(KINDS) as Kind[]).find((kind) => column instanceof KINDS[kind])!

/**
 * A table as bytes, little-endian: the length of the head as four bytes, the head as JSON with the names and kinds of the
 * columns, then the columns one after the other, each beginning at a multiple of eight. Reading it back copies nothing
 * but the bytes, so a month of a million keys is there in milliseconds.
 */
export function packTable<Name extends string, Head>({ rows, head, columns }: PackedTable<Name, Head>): Uint8Array {
  const entries = Object.entries<Column>(columns)
  const wrong = entries.find(([, column]) => column.length !== rows)
  if (wrong) throw new Error(`column ${wrong[0]} has ${wrong[1].length} rows, not ${rows}`)
  const text = new TextEncoder().encode(JSON.stringify({ rows, head, columns: entries.map(([name, column]) => [name, kindOf(column)]) }))
  const begin = aligned(4 + text.length)
  const bytes = new Uint8Array(entries.reduce((sum, [, column]) => sum + aligned(column.byteLength), begin))
  new DataView(bytes.buffer).setUint32(0, text.length, true)
  bytes.set(text, 4)
  let at = begin
  for (const [, column] of entries) {
    bytes.set(new Uint8Array(column.buffer, column.byteOffset, column.byteLength), at)
    at += aligned(column.byteLength)
  }
  return bytes
}

/** The table that `packTable` wrote. Throws where the bytes are cut short. */
export function unpackTable<Name extends string, Head>(packed: Uint8Array): PackedTable<Name, Head> {
  // a copy: what a driver hands over may lie anywhere in a larger buffer
  const bytes = new Uint8Array(packed)
  const length = new DataView(bytes.buffer).getUint32(0, true)
  const { rows, head, columns: names } = JSON.parse(new TextDecoder().decode(bytes.subarray(4, 4 + length))) as { rows: number; head: Head; columns: [Name, Kind][] }
  const columns = {} as Record<Name, Column>
  let at = aligned(4 + length)
  for (const [name, kind] of names) {
    const Kind = KINDS[kind]
    columns[name] = new Kind(bytes.buffer, at, rows)
    at += aligned(columns[name].byteLength)
  }
  return { rows, head, columns }
}

/** Units of an amount (10^-10) in two floats that hold integers exactly: whole units of currency, and the rest. */
const UNIT = 10_000_000_000n

/** Amounts of a column pair `name` and `name` with `Fraction`. */
export class AmountColumns {
  constructor(readonly wholes: Float64Array, readonly fractions: Float64Array) {}

  static of(amounts: readonly bigint[]): AmountColumns {
    const columns = new AmountColumns(new Float64Array(amounts.length), new Float64Array(amounts.length))
    amounts.forEach((amount, row) => columns.put(row, amount))
    return columns
  }

  put(row: number, units: bigint): void {
    const near = Number(units)
    if (Math.abs(near) < 2 ** 53) {
      // exact as a float, and so are all steps of this
      this.wholes[row] = Math.trunc(near / 1e10)
      this.fractions[row] = near % 1e10
      return
    }
    const whole = units / UNIT
    this.wholes[row] = Number(whole)
    this.fractions[row] = Number(units - whole * UNIT)
    if (!Number.isSafeInteger(this.wholes[row])) throw new RangeError('amount too large')
  }

  copy(row: number, from: AmountColumns, fromRow: number): void {
    this.wholes[row] = from.wholes[fromRow]!
    this.fractions[row] = from.fractions[fromRow]!
  }

  at(row: number): bigint {
    const whole = this.wholes[row]!
    const fraction = this.fractions[row]!
    // most amounts fit a float as a whole number of units
    const units = whole * 1e10 + fraction
    return Number.isSafeInteger(units) && Math.abs(whole) < 900_000 ? BigInt(units) : BigInt(whole) * UNIT + BigInt(fraction)
  }
}
