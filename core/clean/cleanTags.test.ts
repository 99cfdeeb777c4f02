import { describe, expect, test } from '@jest/globals'
import fc from 'fast-check'
import { KeyTable } from '../classify/keyTable.ts'
import type { CleanAct, CleanStep, KeyFigures } from '../types.ts'
import { cleanStepByStep, cleanTags, fold } from './cleanTags.ts'
import { coverageOf } from './coverage.ts'
import { editDistance, proposeSteps } from './proposals.ts'

const step = (act: CleanAct, more: Partial<CleanStep> = {}): CleanStep => ({ id: JSON.stringify(act), enabled: true, from: null, to: null, act, ...more })
const tableOf = (...rows: Record<string, string>[]): KeyTable => new KeyTable(rows.map((attributes, index) => ({ id: index + 1, attributes: { ProviderName: 'P', BillingCurrency: 'EUR', ...attributes }, lines: 1, amounts: { billed: 10n, effective: 10n } })))
const after = (table: KeyTable, field: string, ...acts: CleanAct[]): (string | undefined)[] => {
  const cleaned = cleanTags(table, acts.map((act) => step(act)), '2026-10')
  return table.keys.map((_, row) => cleaned.value(field, row))
}

describe('steps of the tag clean-up', () => {
  test('spellings become one key; the key itself counts before its spellings, and they before later ones', () => {
    const table = tableOf({ 'tag:team': 'a', 'tag:Team': 'b' }, { 'tag:Team': 'b', 'tag:TEAM': 'c' }, { 'tag:TEAM': 'c' }, {})
    const act: CleanAct = { kind: 'key', key: 'team', spellings: ['Team', 'TEAM'] }
    expect(after(table, 'tag:team', act)).toEqual(['a', 'b', 'c', undefined])
    expect(after(table, 'tag:TEAM', act)).toEqual([undefined, undefined, undefined, undefined])
  })
  test('values are replaced as they are, or whatever their case and separators; an empty target removes the tag', () => {
    const table = tableOf({ 'tag:env': 'Prod' }, { 'tag:env': 'pro-d' }, { 'tag:env': 'test' }, { 'tag:env': 'old' })
    expect(after(table, 'tag:env', { kind: 'values', key: 'env', mapping: { Prod: 'production', old: '' }, folded: false })).toEqual(['production', 'pro-d', 'test', undefined])
    expect(after(table, 'tag:env', { kind: 'values', key: 'env', mapping: { PROD: 'production' }, folded: true })).toEqual(['production', 'production', 'test', 'old'])
  })
  test('placeholders count as missing, in the named keys or in all', () => {
    const table = tableOf({ 'tag:a': 'N/A', 'tag:b': 'n/a' }, { 'tag:a': 'x' })
    expect(after(table, 'tag:a', { kind: 'placeholders', keys: ['a'], values: ['n/a'] })).toEqual([undefined, 'x'])
    expect(after(table, 'tag:b', { kind: 'placeholders', keys: ['a'], values: ['n/a'] })).toEqual(['n/a', undefined])
    expect(after(table, 'tag:b', { kind: 'placeholders', keys: [], values: [' N/A '] })).toEqual([undefined, undefined])
  })
  test('a missing tag is taken from the same resource where all agree, and never guessed', () => {
    const table = tableOf({ ResourceId: 'r', 'tag:team': 'a' }, { ResourceId: 'r' }, { ResourceId: 's', 'tag:team': 'a' }, { ResourceId: 's', 'tag:team': 'b' }, { ResourceId: 's' }, {})
    expect(after(table, 'tag:team', { kind: 'inherit', key: 'team', from: 'ResourceId', monthsBack: 0 })).toEqual(['a', 'a', 'a', 'b', undefined, undefined])
  })
  test('tags that vanished are carried forward from the months before, as the earlier steps clean them, the latest month first', () => {
    const now = tableOf({ ResourceId: 'r' }, { ResourceId: 's' }, { ResourceId: 't' })
    const earlier = [{ month: '2026-09', table: tableOf({ ResourceId: 'r', 'tag:Team': 'a' }) }, { month: '2026-08', table: tableOf({ ResourceId: 'r', 'tag:team': 'old' }, { ResourceId: 's', 'tag:team': 'b' }) }]
    const of = (monthsBack: number): (string | undefined)[] => {
      const cleaned = cleanTags(now, [step({ kind: 'key', key: 'team', spellings: ['Team'] }), step({ kind: 'inherit', key: 'team', from: 'ResourceId', monthsBack })], '2026-10', earlier)
      return now.keys.map((_, row) => cleaned.value('tag:team', row))
    }
    expect([of(0), of(1), of(2)]).toEqual([[undefined, undefined, undefined], ['a', undefined, undefined], ['a', 'b', undefined]])
  })
  test('a lookup fills what is missing, a set of resources replaces what is there', () => {
    const table = tableOf({ SubAccountId: 'x', ResourceId: 'r' }, { SubAccountId: 'x', ResourceId: 's', 'tag:team': 'own' }, { SubAccountId: 'y', ResourceId: 't' })
    expect(after(table, 'tag:team', { kind: 'lookup', key: 'team', from: 'SubAccountId', mapping: { x: 'looked' } })).toEqual(['looked', 'own', undefined])
    expect(after(table, 'tag:team', { kind: 'set', key: 'team', value: 'set', resources: ['s', 't', 'nowhere'] })).toEqual([undefined, 'set', 'set'])
    expect(after(table, 'tag:team', { kind: 'set', key: 'team', value: '', resources: ['s'] })).toEqual([undefined, undefined, undefined])
  })
  test('a step holds from month to month, and not where it is off', () => {
    const table = tableOf({ 'tag:a': 'x' })
    const act: CleanAct = { kind: 'values', key: 'a', mapping: { x: 'y' }, folded: false }
    const at = (month: string, more: Partial<CleanStep>): string | undefined => cleanTags(table, [step(act, more)], month).value('tag:a', 0)
    expect([at('2026-10', { from: '2026-11' }), at('2026-11', { from: '2026-11' }), at('2026-12', { to: '2026-11' }), at('2026-10', { enabled: false })]).toEqual(['x', 'y', 'x', 'x'])
  })
  const tag = fc.constantFrom('tag:team', 'tag:Team', 'tag:env')
  const value = fc.constantFrom('a', 'A', 'b', 'none')
  const rows = fc.array(fc.record({ tags: fc.dictionary(tag, value), ResourceId: fc.constantFrom('r', 's', 't') }), { maxLength: 12 })
  const act: fc.Arbitrary<CleanAct> = fc.constantFrom<CleanAct>(
    { kind: 'key', key: 'team', spellings: ['Team'] }, { kind: 'values', key: 'env', mapping: { a: 'b', b: 'a' }, folded: false }, { kind: 'placeholders', keys: [], values: ['none'] },
    { kind: 'inherit', key: 'team', from: 'ResourceId', monthsBack: 0 }, { kind: 'set', key: 'env', value: 'z', resources: ['r'] },
  )
  test('what each step says it changed is the difference between the tags before and after it', () => {
    fc.assert(fc.property(rows, fc.array(act, { maxLength: 5 }), (all, acts) => {
      const table = tableOf(...all.map(({ tags, ResourceId }) => ({ ...tags, ResourceId })))
      const steps = acts.map((one, index) => step(one, { id: String(index) }))
      const { table: cleaned, steps: done } = cleanStepByStep(table, steps, '2026-10')
      const told = table.keys.map(({ attributes }) => ({ ...attributes }) as Record<string, string>)
      for (const { changes } of done) for (const { field, before, after: now, rows: touched } of changes) for (const row of touched) {
        expect(told[row]![field]).toBe(before)
        if (now === undefined) delete told[row]![field]
        else told[row]![field] = now
      }
      expect(table.keys.map((_, row) => cleaned.attributes(row))).toEqual(told)
      // the tags as billed are untouched
      expect(table.keys.map((_, row) => table.attributes(row))).toEqual(all.map(({ tags, ResourceId }) => ({ ProviderName: 'P', BillingCurrency: 'EUR', ...tags, ResourceId })))
    }))
  })
})

describe('proposals', () => {
  const keys = (table: KeyTable): string[] => proposeSteps(table, table.keys.map(() => 1)).map(({ act, rows }) => `${act.kind} ${JSON.stringify(act.kind === 'key' ? [act.key, act.spellings] : act.kind === 'values' ? act.mapping : act.kind === 'inherit' ? act.from : '')} ${rows.length}`)
  test('keys that differ by case, separators or a letter, or by a longer name with the same values', () => {
    const table = tableOf({ 'tag:application': 'a' }, { 'tag:application': 'a' }, { 'tag:Appli-cation': 'a' }, { 'tag:aplication': 'z' }, { 'tag:my_application': 'a' })
    expect(keys(table)).toEqual(['key ["application",["Appli-cation","aplication","my_application"]] 3'])
  })
  test('keys that stand together on a charge are two things', () => {
    expect(keys(tableOf({ 'tag:owner1': 'a', 'tag:owner2': 'b' }, { 'tag:owner1': 'a' }))).toEqual([])
  })
  test('values that differ by case or a letter go to the one with more money; numbers that differ by a digit stay', () => {
    const table = tableOf({ 'tag:t': 'harbour' }, { 'tag:t': 'harbour' }, { 'tag:t': 'Harbour' }, { 'tag:t': 'harbor' }, { 'tag:t': 'release-10' }, { 'tag:t': 'release-11' })
    expect(keys(table)).toEqual(['values {"Harbour":"harbour","harbor":"harbour"} 2'])
  })
  test('placeholders, and tags that a resource carries only at times', () => {
    expect(keys(tableOf({ 'tag:t': 'N/A' }, { ResourceId: 'r', 'tag:u': 'x' }, { ResourceId: 'r' }))).toEqual(['placeholders "" 1', 'inherit "ResourceId" 1'])
  })
  test('the distance between words is that of the dynamic programme of Levenshtein (kitten, sitting: 3, the usual example)', () => {
    expect([editDistance('kitten', 'sitting', 9), editDistance('', 'abc', 9), editDistance('same', 'same'), editDistance('flaw', 'lawn', 9)]).toEqual([3, 3, 0, 2])
    fc.assert(fc.property(fc.string({ maxLength: 6 }), fc.string({ maxLength: 6 }), (a, b) => { expect(editDistance(a, b, 9)).toBe(editDistance(b, a, 9)); expect(editDistance(a, b, 9) === 0).toBe(a === b) }))
  })
  test('folding leaves letters and digits of any script', () => {
    expect([fold('Te-am_1'), fold('Équipe Nord'), fold('部門.A')]).toEqual(['team1', 'équipenord', '部門a'])
  })
})

test('coverage counts money of resources by its size, so that credits do not hide a gap and taxes do not make one', () => {
  const key = (id: number, effective: bigint, tags: Record<string, string>): KeyFigures => ({ id, lines: 1, amounts: { billed: 0n, effective }, attributes: { ProviderName: 'P', BillingCurrency: 'EUR', ResourceId: `r${id}`, ...tags } })
  const tax: KeyFigures = { id: 9, lines: 1, amounts: { billed: 0n, effective: 500n }, attributes: { ProviderName: 'P', BillingCurrency: 'EUR' } }
  const [row] = coverageOf(new KeyTable([key(1, 30n, { 'tag:team': 'a' }), key(2, -10n, {}), key(3, 20n, {}), key(4, 7n, { ChargeClass: 'Correction' }), tax]), ['team'], 'effective', new Map([['EUR', 10n ** 10n]]))
  expect([row!.covered * 2n, row!.total]).toEqual([row!.total, 60n * 10n ** 10n])
})

describe('parts of metered nodes', () => {
  const key = (id: number, attributes: Record<string, string>): KeyFigures => ({ id, lines: 1, amounts: { billed: 1n, effective: 1n }, attributes: { ResourceId: 'node-1', ...attributes } })
  const table = new KeyTable([key(1, { ClusterUse: 'workload', Namespace: 'shop', 'tag:team': 'web' }), key(2, { ClusterUse: 'workload', Namespace: 'shop' }), key(3, { ClusterUse: 'idle' }), key(4, { ClusterUse: 'unmetered' })])
  const inherit = (from: string): (string | undefined)[] => {
    const cleaned = cleanTags(table, [{ id: 's', enabled: true, from: null, to: null, act: { kind: 'inherit', key: 'team', from, monthsBack: 0 } }], '2026-10', [])
    return cleaned.keys.map((_, row) => cleaned.value('tag:team', row))
  }
  test('idle and other workloads do not take the tag of one that runs on the same node; those of the same namespace do', () => {
    expect(inherit('ResourceId')).toEqual(['web', undefined, undefined, undefined])
    expect(inherit('Namespace')).toEqual(['web', 'web', undefined, undefined])
  })
})
