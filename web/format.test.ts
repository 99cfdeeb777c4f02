import { beforeAll, describe, expect, test } from '@jest/globals'

const load = () => import('./format.ts')
let format: Awaited<ReturnType<typeof load>>
beforeAll(async () => {
  Object.defineProperty(globalThis, 'navigator', { value: { language: 'de-DE' }, configurable: true })
  format = await load()
})

describe('amounts as people read them', () => {
  test('are grouped as the locale does, with a true minus, and never go through a float', () => {
    expect(format.amount('123456789012345678.10')).toBe('123.456.789.012.345.678,10')
    expect(format.amount('-1234.50')).toBe('\u22121.234,50')
    expect(format.amount('0.00')).toBe('0,00')
    expect(format.amount(null)).toBe('–')
  })
  test('gains get a plus where it is asked for, zero does not', () => {
    expect([format.amount('5.00', { signed: true }), format.amount('0.00', { signed: true }), format.amount('-5.00', { signed: true })]).toEqual(['+5,00', '0,00', '\u22125,00'])
  })
  test('long fractions are cut and say so', () => {
    expect(format.amount('1.123456789012', { most: 10 })).toBe('1,1234567890…')
  })
  test('zero is told whatever its decimals', () => {
    expect(['0', '0.00', '-0.00', '0.01', '-10'].map(format.isZero)).toEqual([true, true, true, false, false])
  })
  test('months, days and sizes', () => {
    expect([format.monthName('2026-10'), format.monthShortYear('2026-01'), format.dayName('2026-11-20')]).toEqual(['October 2026', 'Jan 26', '20 Nov 2026'])
    expect([format.bytes(900), format.bytes(6_100_000), format.bytes(2_340_000_000)]).toEqual(['1 kB', '6.1 MB', '2.34 GB'])
  })
})
