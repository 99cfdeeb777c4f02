import { afterEach, beforeEach, describe, expect, test } from '@jest/globals'
import { createSSRApp, effectScope, nextTick, reactive, ref, type EffectScope } from 'vue'
import { routeLocationKey, type RouteLocationNormalizedLoaded } from 'vue-router'
import { staleAnswers, useAnswer, type Answer } from './useAnswer.ts'

/** What is asked, and how it is answered or refused: by hand, in whatever order. */
interface Asked { question: unknown; signal: AbortSignal; answer: (value: string) => Promise<void>; refuse: (message: string) => Promise<void> }

let scope: EffectScope
let route: { query: Record<string, string> }
let asked: Asked[]
const settle = async (): Promise<void> => { for (let turn = 0; turn < 4; turn++) await nextTick() }

beforeEach(() => {
  scope = effectScope()
  route = reactive({ query: { month: '2026-10' } })
  asked = []
})
afterEach(() => {
  scope.stop()
  expect(staleAnswers.size).toBe(0)
})

function use(question: () => unknown, options?: { keep?: boolean }): Answer<string> {
  const app = createSSRApp({})
  app.provide(routeLocationKey, route as unknown as RouteLocationNormalizedLoaded)
  return scope.run(() => app.runWithContext(() => useAnswer(question, (of, signal) => new Promise<string>((done, fail) => {
    asked.push({ question: of, signal, answer: async (value) => { done(value); await settle() }, refuse: async (message) => { fail(new Error(message)); await settle() } })
  }), options)))!
}

describe('an answer', () => {
  test('is asked for again when the question or the currency changes, and only then', async () => {
    const month = ref('2026-10')
    const answer = use(() => ({ month: month.value }))
    await asked[0]!.answer('october')
    expect([answer.data.value, answer.isLoading.value, asked.length]).toEqual(['october', false, 1])
    route.query = { month: '2026-10', other: 'x' }
    await settle()
    expect(asked).toHaveLength(1)
    route.query = { month: '2026-10', currency: 'USD' }
    await settle()
    expect(asked).toHaveLength(2)
    month.value = '2026-09'
    await settle()
    expect(asked[2]!.question).toEqual({ month: '2026-09' })
  })
  test('that comes late, to a question no longer asked, is ignored, and its asking is given up', async () => {
    const text = ref('a')
    const answer = use(() => text.value)
    text.value = 'ab'
    await settle()
    expect(asked[0]!.signal.aborted).toBe(true)
    await asked[1]!.answer('newer')
    await asked[0]!.answer('older')
    expect(answer.data.value).toBe('newer')
    await asked[0]!.refuse('too late')
    expect(answer.error.value).toBeNull()
  })
  test('to no question is none', async () => {
    const text = ref<string | null>('a')
    const answer = use(() => text.value)
    await asked[0]!.answer('something')
    text.value = null
    await settle()
    expect([answer.data.value, answer.isLoading.value, asked.length]).toEqual([null, false, 1])
  })
  test('that fails leaves what was there beside the error, and asking again mends it', async () => {
    const text = ref('a')
    const answer = use(() => text.value)
    await asked[0]!.answer('first')
    text.value = 'b'
    await settle()
    await asked[1]!.refuse('no server')
    expect([answer.data.value, answer.error.value?.message]).toEqual(['first', 'no server'])
    void answer.again()
    await asked[2]!.answer('second')
    expect([answer.data.value, answer.error.value]).toEqual(['second', null])
  })
})

describe('an answer of another month, basis or currency than the address names', () => {
  test.each([['month', '2026-09'], ['basis', 'billed'], ['currency', 'USD']])('is stale until that of the new %s is there', async (name, value) => {
    const answer = use(() => ({ ...route.query }))
    await asked[0]!.answer('old')
    expect(staleAnswers.size).toBe(0)
    route.query = { month: '2026-10', [name]: value }
    await settle()
    expect([answer.data.value, staleAnswers.size]).toEqual(['old', 1])
    await asked[1]!.answer('new')
    expect([answer.data.value, staleAnswers.size]).toEqual(['new', 0])
  })
  test('goes where the new one fails: it must not stand under another name', async () => {
    const answer = use(() => ({ ...route.query }))
    await asked[0]!.answer('euros')
    route.query = { month: '2026-10', currency: 'JPY' }
    await settle()
    await asked[1]!.refuse('no rate for JPY')
    expect([answer.data.value, answer.error.value?.message, staleAnswers.size]).toEqual([null, 'no rate for JPY', 0])
  })
  test('is not stale where only a word that is searched changes', async () => {
    const text = ref('a')
    use(() => text.value)
    await asked[0]!.answer('old')
    text.value = 'ab'
    await settle()
    expect(staleAnswers.size).toBe(0)
  })
  test('is not shown at all where it is not to be kept', async () => {
    const answer = use(() => ({ ...route.query }), { keep: false })
    await asked[0]!.answer('old')
    route.query = { month: '2026-09' }
    await settle()
    expect([answer.data.value, staleAnswers.size]).toEqual([null, 0])
  })
  test('is forgotten with its page', async () => {
    use(() => ({ ...route.query }))
    await asked[0]!.answer('old')
    route.query = { month: '2026-09' }
    await settle()
    expect(staleAnswers.size).toBe(1)
    scope.stop()
    expect([staleAnswers.size, asked[1]!.signal.aborted]).toEqual([0, true])
  })
})
