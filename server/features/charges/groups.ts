import { formatAmount } from '../../../core/money/amount.ts'
import { roundList } from '../../../core/money/apportion.ts'
import { convert, CONVERTED_SCALE } from '../../../core/money/convert.ts'
import { minorDigits } from '../../../core/money/currency.ts'
import type { KeyFilter } from '../../../core/workings/keyFilter.ts'
import type { Basis } from '../../../core/types.ts'
import type { Queries } from '../../db/database.ts'
import { reportingCurrency } from '../../settingsTable.ts'
import { readAttributes } from '../allocation/ledger.ts'
import { runRates } from '../allocation/store.ts'
import { readOutcomes } from '../allocation/outcomes.ts'
import type { OutcomeRow } from '../../../core/workings/outcomeTable.ts'

/** Charges of a figure narrowed by steps: field and value (null: the field is missing). */
export interface PathTask {
  runId: number
  filter: KeyFilter
  path: { field: string; value: string | null }[]
}

export interface GroupTask extends PathTask { basis: Basis; by: string }

export interface ChargeGroup { value: string | null; amount: string; lines: number }

async function keysWithin(queries: Queries, url: string, { runId, filter, path }: PathTask): Promise<{ within: OutcomeRow[]; attributes: Awaited<ReturnType<typeof readAttributes>> }> {
  const sums = await readOutcomes(queries, runId, filter)
  const attributes = await readAttributes(queries, url, sums.map(({ key }) => key))
  return { within: sums.filter(({ key }) => path.every(({ field, value }) => (attributes.get(key)![field] ?? null) === value)), attributes }
}

/** Numbers of the keys that a path leads to, in rising order. */
export const keysOnPath = async (queries: Queries, url: string, task: PathTask): Promise<number[]> => (await keysWithin(queries, url, task)).within.map(({ key }) => key)

/** The charges of a figure, narrowed by a path of values and gathered by one more field, largest money first. */
export async function groupKeys(queries: Queries, url: string, task: GroupTask): Promise<{ groups: ChargeGroup[]; total: string; lines: number }> {
  const { basis, by } = task
  const [{ within, attributes }, rates, currency] = await Promise.all([keysWithin(queries, url, task), runRates(queries, task.runId), reportingCurrency(queries)])
  const digits = minorDigits(currency)
  const groups = new Map<string | null, { exact: bigint; lines: number }>()
  for (const sum of within) {
    const value = attributes.get(sum.key)![by] ?? null
    const group = groups.get(value) ?? { exact: 0n, lines: 0 }
    const exact = convert(sum.amounts[basis], sum.currency, rates)
    group.exact += exact
    group.lines += sum.lines
    groups.set(value, group)
  }
  const show = (minor: bigint): string => formatAmount(minor, digits, digits)
  const magnitude = (exact: bigint): bigint => (exact < 0n ? -exact : exact)
  const sorted = [...groups].sort(([a, x], [b, y]) => (magnitude(y.exact) > magnitude(x.exact) ? 1 : magnitude(y.exact) < magnitude(x.exact) ? -1 : String(a) < String(b) ? -1 : 1))
  const { rounded, total } = roundList(sorted.map(([, { exact }]) => exact), digits, CONVERTED_SCALE)
  return {
    total: show(total), lines: within.reduce((count, { lines }) => count + lines, 0),
    groups: sorted.map(([value, { lines }], index) => ({ value, amount: show(rounded[index]!), lines })),
  }
}
