import { describe, expect, test } from '@jest/globals'
import { readMapping } from './csvMapping.ts'

describe('a mapping from CSV', () => {
  test('takes pairs, with or without a head, quotes and a byte-order mark', () => {
    expect(readMapping('\uFEFFfrom,to\r\nradar,1020\r\n"a ""b"", c",2010\r\n\r\n')).toEqual({ mapping: { radar: '1020', 'a "b", c': '2010' }, problems: [] })
    expect(readMapping('x;1\ny\t2').mapping).toEqual({ x: '1', y: '2' })
  })
  test('names the lines that cannot be taken', () => {
    expect(readMapping('x,1\nlonely\nx,2\nx,1').problems).toEqual(['line 2 is no pair of values', 'line 3: x is mapped twice'])
  })
})
