import { describe, expect, test } from '@jest/globals'
import fc from 'fast-check'
import { AmountColumns, packTable, unpackTable } from './packedTable.ts'

const int32 = fc.integer({ min: -(2 ** 31), max: 2 ** 31 - 1 })

describe('packed tables', () => {
  test('come back as they were, whatever their names and lengths', () => {
    fc.assert(fc.property(fc.array(fc.tuple(int32, fc.nat(), fc.double({ noNaN: true }))), fc.string(), (rows, name) => {
      const table = {
        rows: rows.length, head: { name, 'Ünicode €': [1, null] },
        columns: { a: Int32Array.from(rows, ([a]) => a), b: Uint32Array.from(rows, ([, b]) => b), c: Float64Array.from(rows, ([, , c]) => c) },
      }
      // from a view that does not begin at a multiple of eight, as a database driver hands it over
      const packed = packTable(table)
      const shifted = new Uint8Array(packed.length + 3)
      shifted.set(packed, 3)
      expect(unpackTable(Buffer.from(shifted.buffer, 3))).toEqual(table)
    }))
  })
  test('columns of different lengths are refused', () => {
    expect(() => packTable({ rows: 2, head: null, columns: { a: new Int32Array(2), b: new Int32Array(1) } })).toThrow('column b has 1 rows, not 2')
  })
  test('bytes that were cut short are refused', () => {
    const packed = packTable({ rows: 4, head: null, columns: { a: Float64Array.of(1, 2, 3, 4) } })
    expect(() => unpackTable(packed.subarray(0, packed.length - 8))).toThrow(RangeError)
  })
})

describe('amounts in pairs of floats', () => {
  // the range of DECIMAL(22, 10)
  const amount = fc.bigInt({ min: -(10n ** 22n) + 1n, max: 10n ** 22n - 1n })
  test('are exact over the whole range of the database', () => {
    fc.assert(fc.property(fc.array(amount, { maxLength: 20 }), (amounts) => {
      const columns = AmountColumns.of(amounts)
      expect(amounts.map((_, row) => columns.at(row))).toEqual(amounts)
    }))
  })
  test.each([9_007_199_254_740_991n, 9_007_199_254_740_993n, 9_000_000_000_000_001n, -9_007_199_254_740_993n, 10n ** 22n - 1n, -1n, 0n])('hold %s units', (units) => {
    expect(AmountColumns.of([units]).at(0)).toBe(units)
  })
  test('what leaves the range throws', () => {
    expect(() => AmountColumns.of([10n ** 27n])).toThrow('amount too large')
  })
})
