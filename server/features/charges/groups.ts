import { amountOf, formatAmount, roundTo } from '../../../core/money/amount.ts'
import { convert, CONVERTED_SCALE } from '../../../core/money/convert.ts'
import { minorDigits } from '../../../core/money/currency.ts'
import type { KeyFilter } from '../../../core/workings/keyFilter.ts'
import type { Basis } from '../../../core/types.ts'
import type { Queries } from '../../db/database.ts'
import { reportingCurrency } from '../../settingsTable.ts'
import { readAttributes } from '../allocation/ledger.ts'
import { runRates } from '../allocation/store.ts'
import { readKeySums } from './store.ts'

export interface GroupTask {
  runId: number
  basis: Basis
  filter: KeyFilter
  /** steps already taken: field and value (null: the field is missing) */
  path: { field: string; value: string | null }[]
  by: string
}

export interface ChargeGroup { value: string | null; amount: string; lines: number; keys: number[] }

/** The charges of a figure, narrowed by a path of values and gathered by one more field, largest money first. */
export async function groupKeys(queries: Queries, url: string, { runId, basis, filter, path, by }: GroupTask): Promise<{ groups: ChargeGroup[]; total: string; lines: number }> {
  const [sums, rates, currency] = await Promise.all([readKeySums(queries, runId, filter), runRates(queries, runId), reportingCurrency(queries)])
  const attributes = await readAttributes(queries, url, sums.map(({ id }) => id))
  const digits = minorDigits(currency)
  const within = sums.filter(({ id }) => path.every(({ field, value }) => (attributes.get(id)![field] ?? null) === value))
  const groups = new Map<string | null, { exact: bigint; lines: number; keys: number[] }>()
  let total = 0n
  for (const sum of within) {
    const value = attributes.get(sum.id)![by] ?? null
    const group = groups.get(value) ?? { exact: 0n, lines: 0, keys: [] }
    const exact = convert(amountOf(sum[basis]), sum.currency, rates)
    group.exact += exact
    group.lines += sum.lines
    group.keys.push(sum.id)
    groups.set(value, group)
    total += exact
  }
  const show = (exact: bigint): string => formatAmount(roundTo(exact, digits, CONVERTED_SCALE), digits, digits)
  const magnitude = (exact: bigint): bigint => (exact < 0n ? -exact : exact)
  const sorted = [...groups].sort(([a, x], [b, y]) => (magnitude(y.exact) > magnitude(x.exact) ? 1 : magnitude(y.exact) < magnitude(x.exact) ? -1 : String(a) < String(b) ? -1 : 1))
  return {
    total: show(total), lines: within.reduce((count, { lines }) => count + lines, 0),
    groups: sorted.map(([value, { exact, lines, keys }]) => ({ value, amount: show(exact), lines, keys: keys.slice(0, 2) })),
  }
}
