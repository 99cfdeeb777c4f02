import { holdsIn, type Month } from '../calendar/month.ts'
import { TAG_FIELD, tagField } from '../charges/attributes.ts'
import { encodeColumn, type FieldColumn, type KeyTable } from '../classify/keyTable.ts'
import type { CleanAct, CleanStep } from '../types.ts'
import { placeColumn } from './places.ts'

/** What counts as the same when case and separators do not matter. */
export const fold = (text: string): string => text.normalize('NFKC').toLowerCase().replace(/[\s._:/\\-]+/gu, '')

/** One thing that a step did: a tag of the rows had one value and has another. */
export interface TagChange { field: string; before: string | undefined; after: string | undefined; rows: number[] }

export interface CleanedStep { step: CleanStep; changes: TagChange[] }

/** Tables of the months before, the latest first: where tags are looked for that have vanished. */
export type Earlier = readonly { month: Month; table: KeyTable }[]

/**
 * Takes the steps that hold in the month in their order over the tags of all keys. The keys stay as billed; the result
 * has columns of its own for the tags that a step changed. Work is done once per distinct value.
 */
export function cleanTags(table: KeyTable, steps: readonly CleanStep[], month: Month, earlier: Earlier = []): KeyTable {
  return holding(steps, month).reduce((cleaned, step) => cleaned.with(actOn(cleaned, step.act, () => agreedBefore(step, steps, earlier))), table)
}

/** The same, step by step, with what each changed: for the view of before and after. */
export function cleanStepByStep(table: KeyTable, steps: readonly CleanStep[], month: Month, earlier: Earlier = []): { table: KeyTable; steps: CleanedStep[] } {
  let cleaned = table
  const done = holding(steps, month).map((step): CleanedStep => {
    const columns = actOn(cleaned, step.act, () => agreedBefore(step, steps, earlier))
    const changes = [...columns].flatMap(([field, column]) => changesOf(field, cleaned.column(field), column))
    cleaned = cleaned.with(columns)
    return { step, changes }
  })
  return { table: cleaned, steps: done }
}

const holding = (steps: readonly CleanStep[], month: Month): CleanStep[] => steps.filter(({ enabled, from, to }) => enabled && holdsIn(month, from, to))

/** How many months before its own a clean-up looks at. */
export const monthsBackOf = (steps: readonly CleanStep[]): number => Math.max(0, ...steps.map(({ enabled, act }) => (enabled && act.kind === 'inherit' ? act.monthsBack : 0)))

type Columns = Map<string, FieldColumn>

function actOn(table: KeyTable, act: CleanAct, agreed: () => Agreed[]): Columns {
  switch (act.kind) {
    case 'key': return renameKey(table, act.key, act.spellings)
    case 'values': return mapValues(table, tagField(act.key), replacer(act))
    case 'placeholders': return dropPlaceholders(table, act)
    case 'inherit': return inherit(table, act, agreed())
    case 'lookup': return fillMissing(table, act.key, table.column(act.from), (value) => act.mapping[value])
    case 'set': return setOnResources(table, act)
  }
}

function renameKey(table: KeyTable, key: string, spellings: readonly string[]): Columns {
  const fields = [...new Set([key, ...spellings])].map(tagField)
  const sources = fields.map((field) => table.column(field))
  const merged = encodeColumn(table.keys.length, (row) => {
    for (const { codes, values } of sources) if (codes[row]! > 0) return values[codes[row]!]
    return undefined
  })
  const none = encodeColumn(table.keys.length, () => undefined)
  return new Map([...fields.slice(1).map((field) => [field, none] as const), [fields[0]!, merged]])
}

function replacer({ mapping, folded }: { mapping: Record<string, string>; folded: boolean }): (value: string) => string | undefined {
  const wanted = new Map(Object.entries(mapping).map(([from, to]) => [folded ? fold(from) : from, to]))
  return (value) => {
    const to = wanted.get(folded ? fold(value) : value)
    return to === undefined ? value : to === '' ? undefined : to
  }
}

/** Each distinct value replaced; undefined takes it away. */
function mapValues(table: KeyTable, field: string, replace: (value: string) => string | undefined): Columns {
  const { codes, values } = table.column(field)
  const replaced = values.map((value) => (value === undefined ? undefined : replace(value)))
  return replaced.every((value, code) => value === values[code]) ? new Map() : new Map([[field, encodeColumn(codes.length, (row) => replaced[codes[row]!])]])
}

function dropPlaceholders(table: KeyTable, { keys, values }: { keys: string[]; values: string[] }): Columns {
  const dropped = new Set(values.map((value) => value.trim().toLowerCase()))
  const fields = keys.length > 0 ? keys.map(tagField) : [...table.fields().keys()].filter((field) => field.startsWith(TAG_FIELD))
  return new Map(fields.flatMap((field) => [...mapValues(table, field, (value) => (dropped.has(value.trim().toLowerCase()) ? undefined : value))]))
}

/** For each value of a field the one value that the tag has there; null where there are several. */
type Agreed = ReadonlyMap<string, string | null>

function agreedIn(table: KeyTable, key: string, from: string): Agreed {
  const [place, tag] = [placeColumn(table, from), table.column(tagField(key))]
  const agreed = new Map<string, string | null>()
  for (let row = 0; row < table.keys.length; row++) {
    const [where, value] = [place.values[place.codes[row]!], tag.values[tag.codes[row]!]]
    if (where === undefined || value === undefined) continue
    const known = agreed.get(where)
    if (known === undefined) agreed.set(where, value)
    else if (known !== value) agreed.set(where, null)
  }
  return agreed
}

/** What was carried in the months before, as the steps before this one would have cleaned it. */
function agreedBefore({ id, act }: CleanStep, steps: readonly CleanStep[], earlier: Earlier): Agreed[] {
  if (act.kind !== 'inherit') return []
  const before = steps.slice(0, steps.findIndex((step) => step.id === id)).filter(({ act: { kind } }) => kind !== 'inherit')
  return earlier.slice(0, act.monthsBack).map(({ month, table }) => agreedIn(cleanTags(table, before, month), act.key, act.from))
}

function inherit(table: KeyTable, { key, from }: { key: string; from: string }, before: Agreed[]): Columns {
  const agreed = [agreedIn(table, key, from), ...before]
  // the month itself first, then back in time; where charges do not agree nothing is guessed
  return fillMissing(table, key, placeColumn(table, from), (value) => agreed.find((one) => one.has(value))?.get(value) ?? undefined)
}

function fillMissing(table: KeyTable, key: string, from: FieldColumn, valueFor: (value: string) => string | undefined): Columns {
  const { codes, values } = table.column(tagField(key))
  const fill = from.values.map((value) => (value === undefined ? undefined : valueFor(value)))
  const column = encodeColumn(codes.length, (row) => values[codes[row]!] ?? fill[from.codes[row]!])
  return new Map([[tagField(key), column]])
}

function setOnResources(table: KeyTable, { key, value, resources }: { key: string; value: string; resources: string[] }): Columns {
  const [place, tag] = [table.column('ResourceId'), table.column(tagField(key))]
  const chosen = new Set(resources.flatMap((resource) => place.codeOf.get(resource) ?? []))
  return new Map([[tagField(key), encodeColumn(table.keys.length, (row) => (chosen.has(place.codes[row]!) ? value || undefined : tag.values[tag.codes[row]!]))]])
}

function changesOf(field: string, before: FieldColumn, after: FieldColumn): TagChange[] {
  const changes = new Map<number, TagChange>()
  for (let row = 0; row < before.codes.length; row++) {
    const [was, is] = [before.values[before.codes[row]!], after.values[after.codes[row]!]]
    if (was === is) continue
    const name = before.codes[row]! * after.values.length + after.codes[row]!
    const known = changes.get(name)
    if (known) known.rows.push(row)
    else changes.set(name, { field, before: was, after: is, rows: [row] })
  }
  return [...changes.values()]
}
