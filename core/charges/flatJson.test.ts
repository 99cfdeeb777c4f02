import { describe, expect, test } from '@jest/globals'
import fc from 'fast-check'
import { parseFlatJson } from './flatJson.ts'

const scalar = fc.oneof(fc.string(), fc.string({ unit: 'grapheme' }), fc.boolean(), fc.constant(null), fc.integer(), fc.double({ noNaN: true, noDefaultInfinity: true }))
/** What JSON.parse makes of a text, with scalars as the texts they were written as. */
const asText = (value: unknown): string => (value === null ? '' : typeof value === 'string' ? value : JSON.stringify(value))

describe('tags as JSON', () => {
  test('objects of scalars are read as JSON.parse reads them, whatever the keys', () => {
    fc.assert(fc.property(fc.dictionary(fc.oneof(fc.string(), fc.constantFrom('__proto__', 'constructor', 'toString', '', ' ', '"', '\\', 'ключ', '😀')), scalar), fc.constantFrom(undefined, 1, '\t'), (object, indent) => {
      const text = JSON.stringify(object, null, indent)
      const read = parseFlatJson(text)
      expect(read === null ? null : Object.entries(read)).toEqual(Object.entries(JSON.parse(text) as object).map(([key, value]) => [key, asText(value)]))
    }), { numRuns: 500 })
  })
  test('what JSON.parse refuses is refused, and so is what is no flat object', () => {
    fc.assert(fc.property(fc.oneof(fc.json(), fc.string(), fc.array(fc.constantFrom('{', '}', '"a"', ':', ',', '1', '"b"', ' ', 'null', '[', ']', '01', '+1', 'tru')).map((parts) => parts.join(''))), (text) => {
      let parsed: unknown
      try { parsed = JSON.parse(text) } catch { parsed = undefined }
      const isFlat = typeof parsed === 'object' && parsed !== null && !Array.isArray(parsed) && Object.values(parsed).every((value) => typeof value !== 'object' || value === null)
      const read = parseFlatJson(text)
      if (!isFlat) expect([text, read]).toEqual([text, null])
      // JSON.parse lets keys given twice pass: then there is one fewer than was written
      else if (read !== null) expect(Object.keys(read)).toEqual(Object.keys(parsed as object))
    }), { numRuns: 1_000 })
  })
  test.each(['{"a":"1","a":"2"}', '{"a":1,"b":2,"a":1}', '{"a":"1","\\u0061":"2"}', '{"a":{}}', '{"a":[]}', '[]', '""', 'null', '', ' ', '{', '{"a"}', '{"a":}', '{"a":"b",}', '{,}', "{'a':'b'}", '{"a":"b"} x', '{"a":"\n"}', '{"a":"\\x"}', '{"a":01}', '{"a":-01}', '{"a":1.}', '\u00a0{"a":"b"}', '{"a":"b"}\u2028'])('%s is none', (text) => {
    expect(parseFlatJson(text)).toBeNull()
  })
  test('the same text again gives the same, another one after it its own', () => {
    const [first, second] = [parseFlatJson('{"a":"1"}'), parseFlatJson('{"a":"2"}')]
    expect([first, second, parseFlatJson('{"a":"1"}')].map((read) => read!.a)).toEqual(['1', '2', '1'])
  })
})
