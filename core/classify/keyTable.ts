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
    const column = this.source ? gather(this.source.column(field), this.rowOf!) : encodeColumn(this.keys.length, (row) => this.keys[row]!.attributes[field])
    this.encoded.set(field, column)
    return column
  }

  /** The amounts of the keys as pairs of floats, made once: sums over them are some ten times faster than over bigints, and as exact. */
  amounts(): Record<Basis, AmountColumns> {
    if (this.source && !this.rowOf) return this.source.amounts()
    return (this.pairs ??= { billed: AmountColumns.of(this.keys.map(({ amounts }) => amounts.billed)), effective: AmountColumns.of(this.keys.map(({ amounts }) => amounts.effective)) })
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
    if (this.source && !this.rowOf) return this.source.looseColumn(field)
    if (this.source || !this.isDistinct(field)) return this.column(field)
    const values: (string | undefined)[] = [undefined]
    const codes = new Int32Array(this.keys.length)
    this.keys.forEach(({ attributes }, index) => {
      const value = attributes[field]
      if (value !== undefined) codes[index] = values.push(value) - 1
    })
    const column = new FieldColumn(codes, values, new Map())
    this.loose.set(field, column)
    return column
  }

  /** Whether most keys with the field have values that differ, judged by a sample from all over the table. */
  private isDistinct(field: string): boolean {
    const step = Math.max(1, Math.floor(this.keys.length / SAMPLED))
    const seen: string[] = []
    for (let index = 0; index < this.keys.length; index += step) {
      const value = this.keys[index]!.attributes[field]
      if (value !== undefined) seen.push(value)
    }
    return new Set(seen).size > seen.length / 2
  }
}

const gather = ({ codes, values, codeOf }: FieldColumn, rowOf: Int32Array): FieldColumn => new FieldColumn(rowOf.map((row) => codes[row]!), values, codeOf)

/** A column of the values that a function gives for each row. */
export function encodeColumn(rows: number, valueOf: (row: number) => string | undefined): FieldColumn {
  const codes = new Int32Array(rows)
  const values: (string | undefined)[] = [undefined]
  const codeOf = new Map<string, number>()
  for (let row = 0; row < rows; row++) {
    const value = valueOf(row)
    if (value === undefined) continue
    let code = codeOf.get(value)
    if (code === undefined) {
      code = values.push(value) - 1
      codeOf.set(value, code)
    }
    codes[row] = code
  }
  return new FieldColumn(codes, values, codeOf)
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
