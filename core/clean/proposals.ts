import { tagField } from '../charges/attributes.ts'
import type { FieldColumn, KeyTable } from '../classify/keyTable.ts'
import type { CleanAct } from '../types.ts'
import { fold } from './cleanTags.ts'
import { tagKeysOf } from './coverage.ts'
import { placeColumn } from './places.ts'

/** A step that the program would take, why, and the rows it would touch. */
export interface Proposal { act: CleanAct; reason: string; rows: number[] }

/** Texts that stand for nothing, in the languages that exports are written in. */
const PLACEHOLDERS = ['', '-', '--', '?', 'n/a', 'na', 'none', 'nil', 'null', 'undefined', 'unknown', 'unset', 'tbd', 'todo', 'not set', 'no value', 'default']

/** Money of each row, by size: what makes one spelling the main one. */
type Sizes = readonly number[]

/**
 * Looks for what the tags of a month seem to mean: keys and values that differ by case, separators or a letter, keys with
 * the values or the resources of another, placeholders, and tags that are missing where all else around has one.
 */
export function proposeSteps(table: KeyTable, sizes: Sizes): Proposal[] {
  const keys = tagKeysOf(table)
  const columns = new Map(keys.map((key) => [key, table.column(tagField(key))]))
  return [...placeholders(columns), ...keySpellings(keys, columns, table, sizes), ...valueSpellings(columns, sizes), ...vanished(table, columns, sizes)]
}

const rowsWith = ({ codes }: FieldColumn, isWanted: (code: number) => boolean): number[] => {
  const rows: number[] = []
  codes.forEach((code, row) => { if (isWanted(code)) rows.push(row) })
  return rows
}
const moneyOf = (rows: readonly number[], sizes: Sizes): number => rows.reduce((sum, row) => sum + sizes[row]!, 0)

/** One proposal for all keys: the same few words stand for nothing everywhere. */
function placeholders(columns: ReadonlyMap<string, FieldColumn>): Proposal[] {
  const values = new Set<string>()
  const rows = new Set<number>()
  const keys = [...columns].flatMap(([key, column]) => {
    const found = column.values.filter((value) => value !== undefined && PLACEHOLDERS.includes(value.trim().toLowerCase())) as string[]
    if (found.length === 0) return []
    const codes = new Set(found.map((value) => column.codeOf.get(value)!))
    found.forEach((value) => values.add(value))
    rowsWith(column, (code) => codes.has(code)).forEach((row) => rows.add(row))
    return [key]
  })
  if (keys.length === 0) return []
  const words = [...values].sort()
  return [{ act: { kind: 'placeholders', keys, values: words }, reason: `${words.map((value) => value || 'an empty text').join(', ')} ${words.length > 1 ? 'say' : 'says'} nothing`, rows: [...rows].sort((a, b) => a - b) }]
}

/** How two texts differ by letters: insertions, removals and replacements (Levenshtein), counted up to a limit. */
export function editDistance(a: string, b: string, most = 3): number {
  if (Math.abs(a.length - b.length) >= most) return most
  let above = Array.from({ length: b.length + 1 }, (_, index) => index)
  for (let i = 1; i <= a.length; i++) {
    const row = [i]
    for (let j = 1; j <= b.length; j++) row.push(Math.min(above[j]! + 1, row[j - 1]! + 1, above[j - 1]! + (a[i - 1] === b[j - 1] ? 0 : 1)))
    above = row
  }
  return Math.min(most, above[b.length]!)
}

/** Short words differ by a letter and mean different things. */
const LEAST_LENGTH = 5

function keySpellings(keys: readonly string[], columns: ReadonlyMap<string, FieldColumn>, table: KeyTable, sizes: Sizes): Proposal[] {
  const present = new Map(keys.map((key) => [key, rowsWith(columns.get(key)!, (code) => code > 0)]))
  const byMoney = [...keys].sort((a, b) => moneyOf(present.get(b)!, sizes) - moneyOf(present.get(a)!, sizes) || (a < b ? -1 : 1))
  const resources = placeColumn(table, 'ResourceId')
  const places = new Map<string, Map<number, string | undefined>>()
  const placesOf = (key: string): Map<number, string | undefined> => {
    const { codes, values } = columns.get(key)!
    if (!places.has(key)) places.set(key, new Map(present.get(key)!.map((row) => [resources.codes[row]!, values[codes[row]!]])))
    return places.get(key)!
  }
  const taken = new Set<string>()
  return byMoney.flatMap((key) => {
    if (taken.has(key)) return []
    const spellings: string[] = []
    const reasons = new Set<string>()
    for (const other of byMoney) {
      if (other === key || taken.has(other)) continue
      const reason = likeness(key, other, columns, present, resources, placesOf)
      if (!reason) continue
      spellings.push(other)
      taken.add(other)
      reasons.add(reason)
    }
    if (spellings.length === 0) return []
    taken.add(key)
    return [{ act: { kind: 'key', key, spellings }, reason: [...reasons].join('; '), rows: spellings.flatMap((other) => present.get(other)!) }]
  })
}

function likeness(key: string, other: string, columns: ReadonlyMap<string, FieldColumn>, present: ReadonlyMap<string, number[]>, resources: FieldColumn, placesOf: (key: string) => ReadonlyMap<number, string | undefined>): string | null {
  if (fold(key) === fold(other)) return 'case and separators differ'
  const [a, b] = [fold(key), fold(other)]
  const [main, second] = [columns.get(key)!, columns.get(other)!]
  // charges that carry both mean two different things
  if (present.get(other)!.some((row) => main.codes[row]! > 0)) return null
  if (isALetterApart(a, b)) return 'a letter differs'
  const values = second.values.filter((value) => value !== undefined) as string[]
  const shared = values.filter((value) => main.codeOf.has(value))
  if (values.length > 0 && shared.length === values.length && (a.includes(b) || b.includes(a))) return 'all its values occur under the other, and the names are alike'
  const places = placesOf(key)
  const same = present.get(other)!.filter((row) => resources.codes[row]! > 0 && places.get(resources.codes[row]!) === second.values[second.codes[row]!])
  return same.length > 0 && same.length * 2 > present.get(other)!.length ? 'the same resources carry the same values under both' : null
}

const MOST_VALUES = 2_000

function valueSpellings(columns: ReadonlyMap<string, FieldColumn>, sizes: Sizes): Proposal[] {
  return [...columns].flatMap(([key, column]): Proposal[] => {
    if (column.values.length > MOST_VALUES) return []
    const money = column.values.map(() => 0)
    column.codes.forEach((code, row) => { money[code]! += sizes[row]! })
    const byMoney = column.values.map((_, code) => code).slice(1).sort((a, b) => money[b]! - money[a]!)
    const mapping: Record<string, string> = {}
    const reasons = new Set<string>()
    for (const code of byMoney) {
      const value = column.values[code]!
      const main = byMoney.find((other) => other !== code && money[other]! > money[code]! && !(column.values[other]! in mapping) && isSpelling(column.values[other]!, value))
      if (main === undefined) continue
      mapping[value] = column.values[main]!
      reasons.add(fold(value) === fold(column.values[main]!) ? 'case and separators differ' : 'a letter differs')
    }
    const codes = new Set(Object.keys(mapping).map((value) => column.codeOf.get(value)!))
    return codes.size > 0 ? [{ act: { kind: 'values', key, mapping, folded: false }, reason: [...reasons].join('; '), rows: rowsWith(column, (code) => codes.has(code)) }] : []
  })
}

function isSpelling(main: string, other: string): boolean {
  const [a, b] = [fold(main), fold(other)]
  if (a === b) return a !== ''
  return isALetterApart(a, b)
}

/** Versions and numbers differ by a digit on purpose. */
const isALetterApart = (a: string, b: string): boolean => a.length >= LEAST_LENGTH && !/\d/.test(a + b) && editDistance(a, b) === 1

/** `least`: how much of the money there must carry the tag: a resource is one thing, an account holds many. */
const PLACES = [{ from: 'ResourceId', word: 'resources', least: 0 }, { from: 'SubAccountId', word: 'sub accounts', least: 0.5 }] as const

/** Tags that are missing where everything else of the same resource, or most of a sub account, agrees on one. */
function vanished(table: KeyTable, columns: ReadonlyMap<string, FieldColumn>, sizes: Sizes): Proposal[] {
  return PLACES.flatMap(({ from, word, least }) => [...columns].flatMap(([key, tag]): Proposal[] => {
    const place = placeColumn(table, from)
    const there = place.values.map(() => ({ code: -1, carried: 0, money: 0 }))
    tag.codes.forEach((code, row) => {
      const one = there[place.codes[row]!]!
      one.money += sizes[row]!
      if (code === 0) return
      one.carried += sizes[row]!
      one.code = one.code === -1 || one.code === code ? code : 0
    })
    const isAgreed = there.map(({ code, carried, money }, where) => where > 0 && code > 0 && carried >= money * least)
    const rows = rowsWith(tag, (code) => code === 0).filter((row) => isAgreed[place.codes[row]!])
    const count = new Set(rows.map((row) => place.codes[row]!)).size
    return rows.length > 0 ? [{ act: { kind: 'inherit', key, from, monthsBack: 0 }, reason: `${count} ${count === 1 ? word.slice(0, -1) : word} carry the tag in ${least > 0 ? 'most' : 'some'} of their charges and not in others`.replace(/^1 (\w+(?: \w+)?) carry the tag in (\w+) of their/, '1 $1 carries the tag in $2 of its'), rows }] : []
  }))
}
