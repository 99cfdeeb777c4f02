import { afterEach, beforeEach, describe, expect, jest, test } from '@jest/globals'
import { createPinia, setActivePinia } from 'pinia'
import { emptyRulebook, type Rule, type Rulebook } from '../../core/types.ts'
import { useDraft } from './draft.ts'
import { useNotes } from './notes.ts'

const rule = (name: string): Rule => ({ id: name, name, enabled: true, from: null, to: null, conditions: [], outcome: { kind: 'costCentre', code: '10' } })
const book = (...names: string[]): Rulebook => ({ ...emptyRulebook(), rules: names.map(rule) })

/** A server that keeps one draft, as the true one does: a save must have read the revision that is there. */
class FakeServer {
  draft = book('first')
  published = book('first')
  revision = 4
  version = 2
  saves: string[][] = []
  isAway = false
  /** what is saved waits for this */
  gate: Promise<void> = Promise.resolve()

  async fetch(path: string, init: { method?: string; body?: string } = {}): Promise<Response> {
    await this.gate
    if (this.isAway) throw new TypeError('fetch failed')
    const body: { revision?: number; rulebook?: Rulebook } = init.body === undefined ? {} : (JSON.parse(init.body) as { revision: number; rulebook?: Rulebook })
    const answer = (status: number, value: object): Response => new Response(JSON.stringify(value), { status })
    const isChanged = (): boolean => JSON.stringify(this.draft) !== JSON.stringify(this.published)
    if (path === '/api/rulebook') return answer(200, { draft: { revision: this.revision, rulebook: this.draft }, latest: this.version, isChanged: isChanged(), problems: [] })
    if (path === '/api/session') return answer(200, { viewer: null, csrf: 'x', state: null })
    if (body.revision !== undefined && body.revision !== this.revision) return answer(409, { code: 'CONFLICT', message: 'Somebody saved the draft after you opened it.' })
    if (path === '/api/rulebook/publish') {
      this.published = this.draft
      return answer(200, { version: ++this.version })
    }
    if (body.rulebook) this.draft = body.rulebook
    this.saves.push(this.draft.rules.map(({ name }) => name))
    return answer(200, { revision: ++this.revision, problems: [], isChanged: isChanged() })
  }
}

let server: FakeServer
const before = { fetch: globalThis.fetch, location: (globalThis as { location?: unknown }).location }
/** taken before the clock is stopped: notes would keep the test running until they go */
const realTurn = setImmediate
const settle = async (): Promise<void> => { for (let turn = 0; turn < 20; turn++) await new Promise((done) => { realTurn(done) }) }
const names = (draft: ReturnType<typeof useDraft>): string[] => draft.rulebook!.rules.map(({ name }) => name)
const undoOf = (text: string): (() => void) | null => useNotes().notes.find((note) => note.text === text)!.undo

beforeEach(() => {
  jest.useFakeTimers()
  setActivePinia(createPinia())
  server = new FakeServer()
  Object.assign(globalThis, { fetch: (path: string, init: { method?: string; body?: string }) => server.fetch(path, init), location: { search: '' } })
})
afterEach(() => {
  jest.useRealTimers()
  Object.assign(globalThis, before)
})

describe('the draft', () => {
  test('is saved act by act, in the order of the acts, each on what was saved before it', async () => {
    const draft = useDraft()
    await draft.open()
    let release = (): void => {}
    server.gate = new Promise((done) => { release = done })
    for (const name of ['second', 'third', 'fourth']) draft.changeRules('', [...draft.rulebook!.rules, rule(name)])
    expect(names(draft)).toEqual(['first', 'second', 'third', 'fourth'])
    release()
    await settle()
    expect([server.saves.at(-1), server.revision, draft.revision, draft.conflict]).toEqual([['first', 'second', 'third', 'fourth'], 7, 7, ''])
  })
  test('is as published again when what was changed is changed back', async () => {
    const draft = useDraft()
    await draft.open()
    expect(draft.isChanged).toBe(false)
    draft.change(book('first', 'second'))
    await settle()
    expect(draft.isChanged).toBe(true)
    draft.change(book('first'))
    await settle()
    expect(draft.isChanged).toBe(false)
  })
  test('another person’s save is not overwritten: both are told, and mine goes on top only when asked', async () => {
    const draft = useDraft()
    await draft.open()
    server.revision++
    server.draft = book('theirs')
    draft.change(book('mine'))
    await settle()
    expect([draft.conflict, names(draft), server.draft.rules[0]!.name]).toEqual(['Somebody saved the draft after you opened it.', ['mine'], 'theirs'])
    // nothing more is sent until it is decided
    draft.change(book('mine', 'more'))
    await settle()
    expect(server.draft.rules[0]!.name).toBe('theirs')
    await draft.putMineOver()
    await settle()
    expect([draft.conflict, server.draft.rules.map(({ name }) => name)]).toEqual(['', ['mine', 'more']])
  })
  test('what could not be sent is kept and told, and goes with the next act', async () => {
    const draft = useDraft()
    await draft.open()
    server.isAway = true
    draft.change(book('first', 'typed'))
    await settle()
    expect([names(draft), useNotes().notes.at(-1)]).toEqual([['first', 'typed'], expect.objectContaining({ isError: true, text: expect.stringContaining('does not answer') as unknown })])
    server.isAway = false
    draft.change(book('first', 'typed', 'more'))
    await settle()
    expect(server.saves).toEqual([['first', 'typed', 'more']])
  })
  test('is published as it was saved last', async () => {
    const draft = useDraft()
    await draft.open()
    draft.change(book('first', 'second'), 'added')
    expect(await draft.publish('why')).toBe(3)
    expect([server.published.rules.length, draft.isChanged, draft.latest]).toEqual([2, false, 3])
    expect(undoOf('added')).toBeNull()
  })
})

describe('undo', () => {
  test('takes the last change back and saves that', async () => {
    const draft = useDraft()
    await draft.open()
    draft.changeRules('', [], 'first is deleted')
    await settle()
    undoOf('first is deleted')!()
    await settle()
    expect([names(draft), server.saves]).toEqual([['first'], [[], ['first']]])
  })
  test('of an earlier change is withdrawn by a later one, which would go with it', async () => {
    const draft = useDraft()
    await draft.open()
    draft.changeRules('', [], 'first is deleted')
    draft.changeRules('', [rule('other')], 'other is added')
    expect([undoOf('first is deleted'), typeof undoOf('other is added')]).toEqual([null, 'function'])
    draft.change(book('other', 'silent'))
    expect(undoOf('other is added')).toBeNull()
    await settle()
  })
})

test('rules of a classification change in that one alone', async () => {
  const draft = useDraft()
  server.draft = { ...book('first'), classifications: [{ code: 'product', name: 'Product', rules: [rule('p')] }, { code: 'env', name: 'Environment', rules: [rule('e')] }] }
  await draft.open()
  draft.changeRules('env', [rule('e'), rule('e2')])
  await settle()
  expect([draft.rulesOf('').length, draft.rulesOf('product').length, draft.rulesOf('env').length, draft.rulesOf('none')]).toEqual([1, 1, 2, []])
  expect(server.draft.classifications.map(({ rules }) => rules.length)).toEqual([1, 2])
})
