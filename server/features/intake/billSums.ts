import { AmountColumns, packTable, unpackTable, type PackedTable } from '../../../core/packed/packedTable.ts'
import type { Connection } from 'mysql2/promise'
import type { Queries } from '../../db/database.ts'

export const COSTS = ['list', 'contracted', 'billed', 'effective'] as const
export type Cost = (typeof COSTS)[number]

/** Exact sums of some lines of a bill by charge key, by rising key: a pair of columns a cost. */
export type BillSums = PackedTable<'key' | 'lines' | Cost | `${Cost}Fraction`, null>

/** Keys a part: about seven megabytes. */
const ROWS_A_PART = 100_000

export function emptySums(rows: number): BillSums {
  const floats = (): Float64Array => new Float64Array(rows)
  return {
    rows, head: null, columns: {
      key: new Uint32Array(rows), lines: new Uint32Array(rows), list: floats(), listFraction: floats(), contracted: floats(), contractedFraction: floats(),
      billed: floats(), billedFraction: floats(), effective: floats(), effectiveFraction: floats(),
    },
  }
}

export const costOf = ({ columns }: BillSums, cost: Cost): AmountColumns => new AmountColumns(columns[cost] as Float64Array, columns[`${cost}Fraction`] as Float64Array)

/** Writes the sums of a bill, in parts that stay far below the largest packet of the database. */
export async function writeBillSums(connection: Pick<Connection, 'execute'>, bill: number, sums: BillSums): Promise<void> {
  for (let part = 0; part * ROWS_A_PART < sums.rows; part++) {
    const [from, to] = [part * ROWS_A_PART, Math.min((part + 1) * ROWS_A_PART, sums.rows)]
    const columns = Object.fromEntries(Object.entries(sums.columns).map(([name, column]) => [name, column.subarray(from, to)])) as BillSums['columns']
    await connection.execute('INSERT INTO bill_sums (bill_id, part, packed) VALUES (?, ?, ?)', [bill, part, Buffer.from(packTable({ rows: to - from, head: null, columns }))])
  }
}

/** The sums of the bills, part by part. A key belongs to one provider and account, so no two bills of a month share one. */
export async function readBillSums(queries: Queries, bills: readonly number[]): Promise<BillSums[]> {
  if (bills.length === 0) return []
  const rows = await queries.rows<{ packed: Buffer }>('SELECT packed FROM bill_sums WHERE bill_id IN (?) ORDER BY bill_id, part', [bills])
  return rows.map(({ packed }) => unpackTable(packed))
}

/** Number of keys of which one bill has other sums than the other, or that it has alone. */
export function keysThatDiffer(parts: readonly BillSums[], others: readonly BillSums[]): number {
  const names = Object.keys(emptySums(0).columns) as (keyof BillSums['columns'])[]
  const rowOf = ({ columns }: BillSums, row: number): string => names.map((name) => columns[name][row]!).join(' ')
  const known = new Set<string>()
  for (const part of others) for (let row = 0; row < part.rows; row++) known.add(rowOf(part, row))
  let differing = 0
  for (const part of parts) for (let row = 0; row < part.rows; row++) if (!known.has(rowOf(part, row))) differing++
  return differing
}
