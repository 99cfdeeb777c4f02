import { AmountColumns } from '../packed/packedTable.ts'
import type { Basis, KeyFigures } from '../types.ts'

/** The keys sorted by their code in a column, and where each code begins in them (one entry more than codes). */
export interface ByCode { keysByCode: Int32Array; begins: Int32Array }

/** One field over all keys: each key's value as a number into the dictionary; 0 stands for a missing field. */
export class FieldColumn {
  private sorted: ByCode | null = null

  /** `values` by code, the first undefined; `codeOf` is the way back */
  constructor(readonly codes: Int32Array, readonly values: readonly (string | undefined)[], readonly codeOf: ReadonlyMap<string, number>) {}

  /** Sorted when first asked for: only columns that a rule starts from need it. */
  get byCode(): ByCode {
    return (this.sorted ??= sortByCode(this.codes, this.values.length))
  }

  /** Number of keys with a code. */
  countOf(code: number): number {
    const { begins } = this.byCode
    return begins[code + 1]! - begins[code]!
  }
}

/** Enough keys that a dictionary of the size that is decided whole shows as one. */
const SAMPLED = 4_000

/**
 * Keys turned into columns of codes, field by field and only when asked for, so that a condition is decided once per
 * distinct value and a rule looks only at the keys that have one of the values it wants. Fields may be replaced (cleaned
 * tags, classifications): the attributes of the keys stay as billed, the table tells what counts.
 */
export class KeyTable {
  private readonly encoded = new Map<string, FieldColumn>()
  private readonly loose = new Map<string, FieldColumn>()
  private pairs: Record<Basis, AmountColumns> | null = null
  private counted: { ids: Uint32Array; lines: Uint32Array } | null = null

  /**
   * `source`: the table that has the columns of all fields which are not replaced; `rowOf`: where the rows are not the
   * same, the row of the source that each row comes from
   */
  constructor(readonly keys: readonly KeyFigures[], private readonly replaced: ReadonlyMap<string, FieldColumn> = new Map(), private readonly source: KeyTable | null = null, private readonly rowOf: Int32Array | null = null) {}

  /** The same keys with some fields replaced. */
  with(columns: ReadonlyMap<string, FieldColumn>): KeyTable {
    return this.rowOf ? new KeyTable(this.keys, new Map([...this.replaced, ...columns]), this.source, this.rowOf) : new KeyTable(this.keys, new Map([...this.replaced, ...columns]), this.source ?? this)
  }

  /** Keys, or parts of keys, by the row of this table that each comes from. */
  take(keys: readonly KeyFigures[], rowOf: Int32Array): KeyTable {
    return new KeyTable(keys, new Map([...this.replaced].map(([field, column]) => [field, gather(column, rowOf)])), this, rowOf)
  }

  column(field: string): FieldColumn {
    const known = this.replaced.get(field) ?? this.encoded.get(field)
    if (known) return known
    if (this.source && !this.rowOf) return this.source.column(field)
    if (this.source) this.encoded.set(field, gather(this.source.column(field), this.rowOf!))
    else this.encode([field], [])
    return this.encoded.get(field)!
  }

  /** The amounts of the keys as pairs of floats, made once: sums over them are some ten times faster than over bigints, and as exact. */
  amounts(): Record<Basis, AmountColumns> {
    if (this.source && !this.rowOf) return this.source.amounts()
    return (this.pairs ??= { billed: AmountColumns.of(this.keys.map(({ amounts }) => amounts.billed)), effective: AmountColumns.of(this.keys.map(({ amounts }) => amounts.effective)) })
  }

  /** The number of each key and that of its charge lines. */
  numbers(): { ids: Uint32Array; lines: Uint32Array } {
    if (this.source && !this.rowOf) return this.source.numbers()
    return (this.counted ??= { ids: Uint32Array.from(this.keys, ({ id }) => id), lines: Uint32Array.from(this.keys, ({ lines }) => lines) })
  }

  /** What a row has in a field. */
  value(field: string, row: number): string | undefined {
    const column = this.replaced.get(field)
    return column ? column.values[column.codes[row]!] : this.keys[row]!.attributes[field]
  }

  /** All fields of a row. */
  attributes(row: number): Record<string, string> {
    const all: Record<string, string> = { ...this.keys[row]!.attributes }
    for (const field of this.replaced.keys()) {
      const value = this.value(field, row)
      if (value === undefined) delete all[field]
      else all[field] = value
    }
    return all
  }

  /** The fields that at least one key has, with the number of keys that have it. */
  fields(): Map<string, number> {
    const counts = new Map<string, number>()
    for (const { attributes } of this.keys) for (const field of Object.keys(attributes)) if (!this.replaced.has(field)) counts.set(field, (counts.get(field) ?? 0) + 1)
    for (const [field, { codes }] of this.replaced) {
      const count = codes.reduce((sum, code) => sum + (code > 0 ? 1 : 0), 0)
      if (count > 0) counts.set(field, count)
    }
    return counts
  }

  /**
   * The column for conditions that must look at values one by one. Where nearly every key has a value of its own, as
   * names of resources are, a dictionary gains nothing: each key then is a code of its own, equal values or not.
   */
  looseColumn(field: string): FieldColumn {
    const known = this.replaced.get(field) ?? this.encoded.get(field) ?? this.loose.get(field)
    if (known) return known
    if (this.source) return this.rowOf ? this.column(field) : this.source.looseColumn(field)
    this.encode([], [field])
    return this.looseColumn(field)
  }

  /**
   * Encodes the fields that are not there yet in one walk over the keys: reaching a key takes longer than reading one
   * field of it. `loose`: fields whose values are looked at one by one.
   */
  encode(fields: Iterable<string>, loose: Iterable<string>): void {
    if (this.source) return this.rowOf ? undefined : this.source.encode(fields, loose)
    const isNew = (field: string): boolean => !this.encoded.has(field) && !this.loose.has(field)
    const wanted = new Set([...fields].filter((field) => !this.encoded.has(field)))
    const distinct = this.distinct([...loose].filter((field) => isNew(field) && !wanted.has(field)))
    for (const [field, isDistinct] of distinct) if (!isDistinct) wanted.add(field)
    const columns = [...wanted].map((field) => new ColumnBuilder(field, this.keys.length))
    const others = [...distinct].flatMap(([field, isDistinct]) => (isDistinct ? [new ColumnBuilder(field, this.keys.length, false)] : []))
    const all = [...columns, ...others]
    for (let row = 0; row < this.keys.length; row++) {
      const { attributes } = this.keys[row]!
      for (const builder of all) builder.add(row, attributes[builder.field])
    }
    for (const builder of columns) this.encoded.set(builder.field, builder.column())
    for (const builder of others) this.loose.set(builder.field, builder.column())
  }

  /** Whether most keys with a field have values that differ, judged by a sample from all over the table. */
  private distinct(fields: readonly string[]): Map<string, boolean> {
    const step = Math.max(1, Math.floor(this.keys.length / SAMPLED))
    const seen = fields.map(() => ({ values: new Set<string>(), count: 0 }))
    for (let row = 0; fields.length > 0 && row < this.keys.length; row += step) {
      const { attributes } = this.keys[row]!
      fields.forEach((field, index) => {
        const value = attributes[field]
        if (value === undefined) return
        seen[index]!.values.add(value)
        seen[index]!.count++
      })
    }
    return new Map(fields.map((field, index) => [field, seen[index]!.values.size > seen[index]!.count / 2]))
  }
}

const gather = ({ codes, values, codeOf }: FieldColumn, rowOf: Int32Array): FieldColumn => new FieldColumn(rowOf.map((row) => codes[row]!), values, codeOf)

/** Builds a column value by value; `shared`: equal values share a code. */
class ColumnBuilder {
  private readonly codes: Int32Array
  private readonly values: (string | undefined)[] = [undefined]
  private readonly codeOf = new Map<string, number>()

  constructor(readonly field: string, rows: number, private readonly shared = true) {
    this.codes = new Int32Array(rows)
  }

  add(row: number, value: string | undefined): void {
    if (value === undefined) return
    let code = this.shared ? this.codeOf.get(value) : undefined
    if (code === undefined) {
      code = this.values.push(value) - 1
      if (this.shared) this.codeOf.set(value, code)
    }
    this.codes[row] = code
  }

  column(): FieldColumn {
    return new FieldColumn(this.codes, this.values, this.codeOf)
  }
}

/** A column of the values that a function gives for each row. */
export function encodeColumn(rows: number, valueOf: (row: number) => string | undefined): FieldColumn {
  const builder = new ColumnBuilder('', rows)
  for (let row = 0; row < rows; row++) builder.add(row, valueOf(row))
  return builder.column()
}

/** One number for what a key has in several columns: equal where all codes are. Exact below 2^53, else a text. */
export function combinedCode(columns: readonly FieldColumn[], key: number): number | string {
  let combined = 0
  for (const { codes, values } of columns) combined = combined * values.length + codes[key]!
  return Number.isSafeInteger(combined) ? combined : columns.map(({ codes }) => codes[key]!).join(' ')
}

/** Counting sort. */
function sortByCode(codes: Int32Array, count: number): ByCode {
  const begins = new Int32Array(count + 1)
  for (const code of codes) begins[code + 1]!++
  for (let code = 0; code < count; code++) begins[code + 1]! += begins[code]!
  const next = begins.slice()
  const keysByCode = new Int32Array(codes.length)
  for (let key = 0; key < codes.length; key++) keysByCode[next[codes[key]!]!++] = key
  return { keysByCode, begins }
}
