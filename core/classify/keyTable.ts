import type { KeyFigures } from '../types.ts'

/** One field over all keys: each key's value as a number into the dictionary; 0 stands for a missing field. */
export interface FieldColumn {
  codes: Int32Array
  /** values by code; the first is undefined */
  values: (string | undefined)[]
}

/**
 * Keys turned into columns of codes, field by field and only when asked for, so that a condition is decided once per
 * distinct value and a rule is a few array look-ups per key.
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
    const codes = new Int32Array(this.keys.length)
    const values: (string | undefined)[] = [undefined]
    const codeOf = new Map<string, number>()
    this.keys.forEach((key, index) => {
      const value = key.attributes[field]
      if (value === undefined) return
      let code = codeOf.get(value)
      if (code === undefined) {
        code = values.push(value) - 1
        codeOf.set(value, code)
      }
      codes[index] = code
    })
    return { codes, values }
  }
}
