import type { KeyFigures } from '../types.ts'

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
 * distinct value and a rule looks only at the keys that have one of the values it wants.
 */
export class KeyTable {
  private readonly columns = new Map<string, FieldColumn>()
  private readonly loose = new Map<string, FieldColumn>()

  constructor(readonly keys: readonly KeyFigures[]) {}

  column(field: string): FieldColumn {
    let column = this.columns.get(field)
    if (!column) this.columns.set(field, (column = this.encode(field)))
    return column
  }

  /**
   * The column for conditions that must look at values one by one. Where nearly every key has a value of its own, as
   * names of resources are, a dictionary gains nothing: each key then is a code of its own, equal values or not.
   */
  looseColumn(field: string): FieldColumn {
    const known = this.columns.get(field) ?? this.loose.get(field)
    if (known) return known
    if (!this.isDistinct(field)) return this.column(field)
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

  private encode(field: string): FieldColumn {
    const { keys } = this
    const codes = new Int32Array(keys.length)
    const values: (string | undefined)[] = [undefined]
    const codeOf = new Map<string, number>()
    for (let index = 0; index < keys.length; index++) {
      const value = keys[index]!.attributes[field]
      if (value === undefined) continue
      let code = codeOf.get(value)
      if (code === undefined) {
        code = values.push(value) - 1
        codeOf.set(value, code)
      }
      codes[index] = code
    }
    return new FieldColumn(codes, values, codeOf)
  }
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
