import { addMonths, type Month } from '../../../core/calendar/month.ts'
import { KeyTable } from '../../../core/classify/keyTable.ts'
import { prepare } from '../../../core/classify/prepare.ts'
import { divideClusters, expandClusters, type Metered } from '../../../core/kubernetes/expandClusters.ts'
import type { KeyFigures, Rulebook } from '../../../core/types.ts'
import type { Queries } from '../../db/database.ts'
import { costOf, readBillSums } from '../intake/billSums.ts'
import { readMetered } from '../kubernetes/metered.ts'

type Attributes = Readonly<Record<string, string>>

/** Attributes of keys never change, so they are kept between tasks; beyond this many the cache starts afresh. */
const MOST_CACHED = 600_000
const attributesOf = new Map<number, Attributes>()
let cachedFor = ''

async function readAttributes(queries: Queries, database: string, ids: readonly number[]): Promise<Map<number, Attributes>> {
  if (cachedFor !== database || attributesOf.size > MOST_CACHED) attributesOf.clear()
  cachedFor = database
  const unknown = ids.filter((id) => !attributesOf.has(id))
  for (let at = 0; at < unknown.length; at += 5_000) {
    const rows = await queries.rows<{ id: number; attributes: string }>('SELECT id, attributes FROM charge_keys WHERE id IN (?)', [unknown.slice(at, at + 5_000)])
    for (const { id, attributes } of rows) attributesOf.set(id, JSON.parse(attributes) as Attributes)
  }
  return attributesOf
}

/** The keys with charges in the bills, with their exact sums, in the order of their numbers. */
async function readKeysOf(queries: Queries, database: string, bills: readonly number[]): Promise<KeyFigures[]> {
  const parts = await readBillSums(queries, bills)
  const attributes = await readAttributes(queries, database, parts.flatMap(({ columns }) => Array.from(columns.key)))
  const keys = parts.flatMap((part) => {
    const [billed, effective] = [costOf(part, 'billed'), costOf(part, 'effective')]
    return Array.from(part.columns.key, (id, row): KeyFigures => ({ id, attributes: attributes.get(id)!, lines: part.columns.lines[row]!, amounts: { billed: billed.at(row), effective: effective.at(row) } }))
  })
  return keys.sort((a, b) => a.id - b.id)
}

/** Tables of the months in hand with their encoded fields, by the bills they are made of: bills never change. */
const MOST_TABLES = 16
const tables = new Map<string, Promise<KeyTable>>()

/** The keys of the bills in columns; read and encoded once, kept while it is among the last ones used. */
export function keyTableOf(queries: Queries, database: string, bills: readonly number[]): Promise<KeyTable> {
  const name = JSON.stringify([database, bills])
  const known = tables.get(name)
  const table = known ?? readKeysOf(queries, database, bills).then((keys) => new KeyTable(keys))
  tables.delete(name)
  tables.set(name, table)
  table.catch(() => tables.delete(name))
  if (tables.size > MOST_TABLES) tables.delete(tables.keys().next().value!)
  return table
}

/** A month's charges as billed and what was metered of its clusters, with the charges of the months before it where the tag clean-up looks back. */
export interface MonthTables { month: Month; table: KeyTable; metered: Metered; earlier: { month: Month; table: KeyTable }[] }

/** What a month is made of: its bills and metered days, and the bills of the months before it, the latest first. */
export interface MonthSources { bills: readonly number[]; meterDays: readonly number[]; earlierBills: readonly (readonly number[])[] }

export async function monthTables(queries: Queries, database: string, month: Month, { bills, meterDays, earlierBills }: MonthSources): Promise<MonthTables> {
  const [table, ...before] = await Promise.all([bills, ...earlierBills].map((each) => keyTableOf(queries, database, each)))
  return { month, table: table!, metered: await meteredOf(queries, table!, bills, meterDays), earlier: before.map((each, index) => ({ month: addMonths(month, -1 - index), table: each })) }
}

/** What was metered beside a table, while the table is kept. */
const meteredBy = new WeakMap<KeyTable, Map<string, Promise<Metered>>>()

function meteredOf(queries: Queries, table: KeyTable, bills: readonly number[], meterDays: readonly number[]): Promise<Metered> {
  const known = meteredBy.get(table) ?? new Map<string, Promise<Metered>>()
  meteredBy.set(table, known)
  const name = meterDays.join(' ')
  const metered = known.get(name) ?? readMetered(queries, table, bills, meterDays)
  known.clear()
  known.set(name, metered)
  metered.catch(() => known.delete(name))
  return metered
}

/** The current bills of the months before one. */
export const billsBefore = (queries: Queries, month: Month, monthsBack: number): Promise<number[][]> =>
  Promise.all(Array.from({ length: monthsBack }, (_, index) => currentBills(queries, addMonths(month, -1 - index))))

/** Cleaned and classified tables of the last drafts and versions, by the table that they come from: typing in a rule does not clean anew. */
const MOST_PREPARED = 6
const preparedOf = new WeakMap<KeyTable, Map<string, KeyTable>>()

const numbers = new WeakMap<object, number>()
let lastNumber = 0
function numberOf(thing: object): number {
  if (!numbers.has(thing)) numbers.set(thing, ++lastNumber)
  return numbers.get(thing)!
}

export function preparedTable({ month, table, metered, earlier }: MonthTables, { clusters, cleanUp, classifications }: Pick<Rulebook, 'clusters' | 'cleanUp' | 'classifications'>): KeyTable {
  if (clusters.length + metered.days.length + cleanUp.length + classifications.length === 0) return table
  const known = preparedOf.get(table) ?? new Map<string, KeyTable>()
  preparedOf.set(table, known)
  const name = JSON.stringify([month, earlier.map((one) => numberOf(one.table)), numberOf(metered), clusters, cleanUp, classifications])
  const prepared = known.get(name) ?? prepare(expandClusters(table, divideClusters(table, metered, clusters)), { cleanUp, classifications }, month, earlier)
  known.delete(name)
  known.set(name, prepared)
  if (known.size > MOST_PREPARED) known.delete(known.keys().next().value!)
  return prepared
}

/** The numbers of the bills of a month that are current now. */
export const currentBills = async (queries: Queries, month: string): Promise<number[]> =>
  (await queries.rows<{ id: number }>("SELECT id FROM bills WHERE month = ? AND state = 'current' ORDER BY id", [month])).map(({ id }) => id)
