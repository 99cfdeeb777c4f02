import { describe, expect, test } from '@jest/globals'
import { stringify } from 'csv-stringify/sync'
import fc from 'fast-check'
import { CsvSplitter, rowTexts } from './csvSplitter.ts'

function split(text: string | Uint8Array, pieceSize = 7): { rows: string[][]; lines: number[]; wellFormed: boolean[] } {
  const bytes = typeof text === 'string' ? new TextEncoder().encode(text) : text
  const found = { rows: [] as string[][], lines: [] as number[], wellFormed: [] as boolean[] }
  const splitter = new CsvSplitter((row) => { found.rows.push(rowTexts(row)); found.lines.push(row.line); found.wellFormed.push(row.wellFormed) })
  for (let at = 0; at < bytes.length; at += pieceSize) splitter.push(bytes.subarray(at, at + pieceSize))
  splitter.end()
  return found
}

describe('splitting CSV', () => {
  const cell = fc.oneof(fc.string({ unit: 'binary', maxLength: 12 }), fc.constantFrom('', '"', '""', ',', '\n', '\r\n', 'é', '日本', '{"a":"b,c"}')).map((text) => text.replaceAll('\ufeff', '').replaceAll('\0', ''))
  test('whatever csv-stringify writes is read back, in pieces of any size, with LF or CRLF', () => {
    fc.assert(fc.property(fc.array(fc.array(cell, { minLength: 2, maxLength: 5 }), { minLength: 1, maxLength: 8 }), fc.integer({ min: 1, max: 40 }), fc.constantFrom('\n', '\r\n'), (table, size, end) => {
      const text = stringify(table, { record_delimiter: end, quoted_string: true })
      expect(split(text, size).rows).toEqual(table.map((row) => row.map((value) => new TextDecoder().decode(new TextEncoder().encode(value)))))
    }), { numRuns: 400 })
  })
  test('a byte-order mark, a missing last line end and blank lines are no part of the data', () => {
    expect(split('\ufeffa,b\r\n1,2\r\n\r\n3,').rows).toEqual([['a', 'b'], ['1', '2'], ['3', '']])
  })
  test('lines are counted as a text editor counts them', () => {
    expect(split('a\n"x\ny"\nb\n').lines).toEqual([1, 2, 4])
  })
  test('text after a closing mark, and a mark that never closes, are told', () => {
    expect(split('"a"b,c\nd,e\n').wellFormed).toEqual([false, true])
    expect(split('a,"b\nc').wellFormed).toEqual([false])
  })
  test('a row without end is refused before it fills the memory', () => {
    const splitter = new CsvSplitter(() => {})
    expect(() => { for (let piece = 0; piece < 6; piece++) splitter.push(new Uint8Array(1 << 20).fill(piece === 0 ? 34 : 97)) }).toThrow('unclosed quotation mark')
  })
})
