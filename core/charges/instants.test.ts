import { expect, test } from '@jest/globals'
import fc from 'fast-check'
import { parseInstant } from './instants.ts'

test('every second of the calendar is read as it was written', () => {
  fc.assert(fc.property(fc.date({ min: new Date('1990-01-01T00:00:00Z'), max: new Date('2199-12-31T23:59:59Z'), noInvalidDate: true }), (date) => {
    const text = date.toISOString().slice(0, 19) + 'Z'
    expect(parseInstant(text)).toEqual({ text: text.slice(0, 19).replace('T', ' '), standard: true })
  }))
})

test('days that the calendar does not have are no dates', () => {
  // Gregorian leap years, ISO 8601
  for (const day of ['2024-02-29', '2000-02-29']) expect(parseInstant(`${day}T00:00:00Z`)).not.toBeNull()
  for (const day of ['2026-02-29', '2100-02-29', '2026-04-31', '2026-13-01', '2026-00-10', '2026-10-00', '2026-10-32']) expect([day, parseInstant(`${day}T00:00:00Z`)]).toEqual([day, null])
  for (const time of ['24:00:00', '23:60:00', '23:59:60', '7:00:00']) expect([time, parseInstant(`2026-10-05T${time}Z`)]).toEqual([time, null])
})

test.each([
  ['2026-10-05', '2026-10-05 00:00:00'], ['2026-10-05 14:30', '2026-10-05 14:30:00'], ['2026-10-05T14:30:15.250Z', '2026-10-05 14:30:15'], ['2026-10-05T14:30:15+00:00', '2026-10-05 14:30:15'],
  ['2026-10-05 14:30:15 UTC', '2026-10-05 14:30:15'], ['2026-10-05T14:30:15-0000', '2026-10-05 14:30:15'],
])('%s leaves no doubt, and is told as a near miss', (written, text) => {
  expect(parseInstant(written)).toEqual({ text, standard: false })
})

test.each(['', 'yesterday', '05/10/2026', '10-05-2026', '2026-10-05T14:30:15+02:00', '2026-10-05T14:30:15 CET', '20261005', '1760000000', '2026-10-05T', '2026-10-5'])('%s leaves a doubt, and is none', (written) => {
  expect(parseInstant(written)).toBeNull()
})
