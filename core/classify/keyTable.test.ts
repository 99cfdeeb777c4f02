import { describe, expect, test } from '@jest/globals'
import fc from 'fast-check'
import type { KeyFigures } from '../types.ts'
import { combinedCode, encodeColumn, KeyTable } from './keyTable.ts'

const field = fc.constantFrom('ServiceName', 'ResourceId', 'tag:team', 'tag:env')
const keys = fc.array(fc.record({ attributes: fc.dictionary(field, fc.constantFrom('a', 'b', 'c', '')), lines: fc.nat(9), billed: fc.bigInt({ min: -(10n ** 18n), max: 10n ** 18n }) }), { minLength: 1, maxLength: 20 })
  .map((all) => all.map(({ attributes, lines, billed }, index): KeyFigures => ({ id: 3 * index + 1, attributes, lines, amounts: { billed, effective: -billed } })))
const FIELDS = ['ServiceName', 'ResourceId', 'tag:team', 'tag:env', 'nowhere']
const read = (table: KeyTable, name: string, loose = false): (string | undefined)[] => { const { codes, values } = loose ? table.looseColumn(name) : table.column(name); return [...codes].map((code) => values[code]) }

describe('a table of keys', () => {
  test('has in its columns what the keys have, however they are asked for', () => {
    fc.assert(fc.property(keys, fc.subarray(FIELDS), fc.subarray(FIELDS), (all, exact, loose) => {
      const table = new KeyTable(all)
      table.encode(exact, loose)
      for (const name of FIELDS) {
        const wanted = all.map(({ attributes }) => attributes[name])
        expect(read(table, name)).toEqual(wanted)
        expect(read(table, name, true)).toEqual(wanted)
        all.forEach((_, row) => expect(table.value(name, row)).toBe(wanted[row]))
      }
    }))
  })
  test('a sorted column holds each key once, under its code', () => {
    fc.assert(fc.property(keys, field, (all, name) => {
      const column = new KeyTable(all).column(name)
      const { keysByCode, begins } = column.byCode
      expect([...keysByCode].sort((a, b) => a - b)).toEqual(all.map((_, row) => row))
      column.values.forEach((value, code) => {
        const own = [...keysByCode.subarray(begins[code], begins[code + 1])]
        expect(own.length).toBe(column.countOf(code))
        for (const row of own) expect(all[row]!.attributes[name]).toBe(value)
      })
    }))
  })
  test('replaced fields count, the rest is as billed, and the keys stay as they are', () => {
    fc.assert(fc.property(keys, fc.array(fc.option(fc.constantFrom('x', 'y'), { nil: undefined }), { minLength: 20, maxLength: 20 }), (all, values) => {
      const billed = new KeyTable(all)
      const table = billed.with(new Map([['tag:team', encodeColumn(all.length, (row) => values[row])]]))
      expect(read(table, 'tag:team')).toEqual(all.map((_, row) => values[row]))
      expect(read(table, 'ServiceName')).toEqual(all.map(({ attributes }) => attributes.ServiceName))
      expect(read(billed, 'tag:team')).toEqual(all.map(({ attributes }) => attributes['tag:team']))
      all.forEach(({ attributes }, row) => {
        const others = Object.entries(attributes).filter(([name]) => name !== 'tag:team')
        expect(table.attributes(row)).toEqual(Object.fromEntries(values[row] === undefined ? others : [...others, ['tag:team', values[row]]]))
      })
      const counts = table.fields()
      expect(counts.get('tag:team') ?? 0).toBe(all.filter((_, row) => values[row] !== undefined).length)
    }))
  })
  test('rows taken twice, once or not at all keep their fields, replaced ones too', () => {
    fc.assert(fc.property(keys, fc.array(fc.nat(), { maxLength: 30 }), (all, picks) => {
      const rows = picks.map((pick) => pick % all.length)
      const replaced = new KeyTable(all).with(new Map([['class:p', encodeColumn(all.length, (row) => `p${row % 3}`)]]))
      const taken = replaced.take(rows.map((row) => all[row]!), Int32Array.from(rows)).with(new Map([['class:q', encodeColumn(rows.length, (row) => `q${row}`)]]))
      expect(read(taken, 'class:p')).toEqual(rows.map((row) => `p${row % 3}`))
      expect(read(taken, 'class:q')).toEqual(rows.map((_, row) => `q${row}`))
      expect(read(taken, 'tag:env')).toEqual(rows.map((row) => all[row]!.attributes['tag:env']))
      expect(read(taken, 'tag:env', true)).toEqual(rows.map((row) => all[row]!.attributes['tag:env']))
      expect([...taken.numbers().ids]).toEqual(rows.map((row) => all[row]!.id))
      expect(rows.map((_, row) => taken.amounts().billed.at(row))).toEqual(rows.map((row) => all[row]!.amounts.billed))
    }))
  })
  test('one number for several columns is the same exactly where all of them are', () => {
    fc.assert(fc.property(keys, (all) => {
      const columns = ['ServiceName', 'tag:team', 'tag:env'].map((name) => new KeyTable(all).column(name))
      const textOf = (row: number): string => JSON.stringify(columns.map(({ codes }) => codes[row]))
      for (let a = 0; a < all.length; a++) for (let b = 0; b < a; b++) expect(combinedCode(columns, a) === combinedCode(columns, b)).toBe(textOf(a) === textOf(b))
    }))
  })
})
