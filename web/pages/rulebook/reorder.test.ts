import { expect, test } from '@jest/globals'
import fc from 'fast-check'
import { moved } from './reorder.ts'

test('a moved thing stands where it was put, the others keep their order, and nothing is lost', () => {
  fc.assert(fc.property(fc.uniqueArray(fc.integer(), { minLength: 1, maxLength: 12 }), fc.nat(11), fc.integer({ min: -2, max: 13 }), (list, at, to) => {
    const from = at % list.length
    const result = moved(list, from, to)
    if (to < 0 || to >= list.length || to === from) return expect(result).toBeNull()
    expect(result![to]).toBe(list[from])
    expect(result!.filter((one) => one !== list[from])).toEqual(list.filter((one) => one !== list[from]))
    // moved back, it is as it was
    expect(moved(result!, to, from)).toEqual(list)
  }))
})
