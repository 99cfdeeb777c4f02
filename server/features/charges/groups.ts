import { formatAmount } from '../../../core/money/amount.ts'
import { roundList } from '../../../core/money/apportion.ts'
import { convert, CONVERTED_SCALE } from '../../../core/money/convert.ts'
import { minorDigits } from '../../../core/money/currency.ts'
import type { KeyFilter } from '../../../core/workings/keyFilter.ts'
import type { Basis } from '../../../core/types.ts'
import type { Database } from '../../db/database.ts'
import { reportingCurrency } from '../../settingsTable.ts'
import { preparedTable } from '../allocation/ledger.ts'
import { runTables } from '../allocation/replay.ts'
import { rulebookVersion } from '../rulebook/store.ts'
import { runRates } from '../allocation/store.ts'
import { readOutcomes } from '../allocation/outcomes.ts'
import { countLines, type OutcomeRow } from '../../../core/workings/outcomeTable.ts'

/** Charges of a figure narrowed by steps: field and value (null: the field is missing). */
export interface PathTask {
  runId: number
  filter: KeyFilter
  path: { field: string; value: string | null }[]
}

export interface GroupTask extends PathTask { basis: Basis; by: string }

export interface ChargeGroup { value: string | null; amount: string; lines: number }

interface Within { within: OutcomeRow[]; valueOf(row: OutcomeRow, field: string): string | null }

/** The rows of the outcome that a path leads to; fields are as the run's rulebook left them: tags cleaned, classifications there. */
async function rowsWithin(database: Database, url: string, { runId, filter, path }: PathTask): Promise<Within> {
  const [outcomes, { tables, version }] = await Promise.all([readOutcomes(database, runId, filter), runTables(database, url, runId)])
  const table = preparedTable(tables, (await rulebookVersion(database, version))!.rulebook)
  // keys stand in rising order, the parts of one together
  const first = new Map<number, number>()
  table.keys.forEach(({ id }, row) => { if (!first.has(id)) first.set(id, row) })
  const valueOf = ({ key, part }: OutcomeRow, field: string): string | null => table.value(field, first.get(key)! + part) ?? null
  return { within: outcomes.filter((row) => path.every(({ field, value }) => valueOf(row, field) === value)), valueOf }
}

/** Numbers of the keys that a path leads to, in rising order. */
export const keysOnPath = async (database: Database, url: string, task: PathTask): Promise<number[]> => [...new Set((await rowsWithin(database, url, task)).within.map(({ key }) => key))]

/** The charges of a figure, narrowed by a path of values and gathered by one more field, largest money first. */
export async function groupKeys(database: Database, url: string, task: GroupTask): Promise<{ groups: ChargeGroup[]; total: string; lines: number }> {
  const { basis, by } = task
  const [{ within, valueOf }, rates, currency] = await Promise.all([rowsWithin(database, url, task), runRates(database, task.runId), reportingCurrency(database)])
  const digits = minorDigits(currency)
  const groups = new Map<string | null, { exact: bigint; rows: OutcomeRow[] }>()
  for (const sum of within) {
    const value = valueOf(sum, by)
    const group = groups.get(value) ?? { exact: 0n, rows: [] }
    const exact = convert(sum.amounts[basis], sum.currency, rates, sum.provider)
    group.exact += exact
    group.rows.push(sum)
    groups.set(value, group)
  }
  const show = (minor: bigint): string => formatAmount(minor, digits, digits)
  const magnitude = (exact: bigint): bigint => (exact < 0n ? -exact : exact)
  const sorted = [...groups].sort(([a, x], [b, y]) => (magnitude(y.exact) > magnitude(x.exact) ? 1 : magnitude(y.exact) < magnitude(x.exact) ? -1 : String(a) < String(b) ? -1 : 1))
  const { rounded, total } = roundList(sorted.map(([, { exact }]) => exact), digits, CONVERTED_SCALE)
  return {
    total: show(total), lines: countLines(within),
    groups: sorted.map(([value, { rows }], index) => ({ value, amount: show(rounded[index]!), lines: countLines(rows) })),
  }
}
