import type { KeyFigures } from '../types.ts'

/** One field over all keys: each key's value as a number into the dictionary; 0 stands for a missing field. */
export interface FieldColumn {
  codes: Int32Array
  /** values by code; the first is undefined */
  values: (string | undefined)[]
  /** the keys sorted by code, and where each code begins in them (one entry more than codes) */
  keysByCode: Int32Array
  begins: Int32Array
}

/**
 * Keys turned into columns of codes, field by field and only when asked for, so that a condition is decided once per
 * distinct value and a rule looks only at the keys that have one of the values it wants.
 */
export class KeyTable {
  private readonly columns = new Map<string, FieldColumn>()

  constructor(readonly keys: readonly KeyFigures[]) {}

  column(field: string): FieldColumn {
    let column = this.columns.get(field)
    if (!column) this.columns.set(field, (column = this.encode(field)))
    return column
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
    return { codes, values, ...sortByCode(codes, values.length) }
  }
}

/** One number for what a key has in several columns: equal where all codes are. Exact below 2^53, else a text. */
export function combinedCode(columns: readonly FieldColumn[], key: number): number | string {
  let combined = 0
  for (const { codes, values } of columns) combined = combined * values.length + codes[key]!
  return Number.isSafeInteger(combined) ? combined : columns.map(({ codes }) => codes[key]!).join(' ')
}

/** Counting sort. */
function sortByCode(codes: Int32Array, count: number): { keysByCode: Int32Array; begins: Int32Array } {
  const begins = new Int32Array(count + 1)
  for (const code of codes) begins[code + 1]!++
  for (let code = 0; code < count; code++) begins[code + 1]! += begins[code]!
  const next = begins.slice()
  const keysByCode = new Int32Array(codes.length)
  for (let key = 0; key < codes.length; key++) keysByCode[next[codes[key]!]!++] = key
  return { keysByCode, begins }
}
