import { afterEach, beforeEach, expect, jest, test } from '@jest/globals'
import { createPinia, setActivePinia } from 'pinia'
import { useNotes } from './notes.ts'

beforeEach(() => {
  jest.useFakeTimers()
  setActivePinia(createPinia())
})
afterEach(() => { jest.useRealTimers() })

test('notes go after a while, errors later; the newest three stay', () => {
  const notes = useNotes()
  notes.say('a')
  notes.fail(new Error('b'))
  jest.advanceTimersByTime(8_000)
  expect(notes.notes.map(({ text }) => text)).toEqual(['b'])
  for (const text of ['c', 'd', 'e']) notes.say(text)
  expect(notes.notes.map(({ text }) => text)).toEqual(['c', 'd', 'e'])
  jest.advanceTimersByTime(15_000)
  expect(notes.notes).toEqual([])
})

test('one can be shut, and one can lose its undo and stay', () => {
  const notes = useNotes()
  const [first, second] = [notes.say('a', { undo: () => {} }), notes.say('b', { undo: () => {} })]
  notes.withdrawUndo(first)
  expect(notes.notes.map(({ undo }) => undo !== null)).toEqual([false, true])
  notes.dismiss(second)
  notes.withdrawUndo(second)
  expect(notes.notes.map(({ text }) => text)).toEqual(['a'])
})
