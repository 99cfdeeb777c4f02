import { addDays } from '../../../core/calendar/month.ts'
import type { KeyTable } from '../../../core/classify/keyTable.ts'
import type { DayCost, Metered } from '../../../core/kubernetes/expandClusters.ts'
import { storedAmount } from '../../../core/money/amount.ts'
import { apportion } from '../../../core/money/apportion.ts'
import type { Queries } from '../../db/database.ts'
import type { MeterDay } from '../../../core/kubernetes/meterDay.ts'
import { readMeasuredDays } from '../intake/measuredDays.ts'

interface PeriodCost { key: number; starts: string; ends: string; billed: string; effective: string }

/** The metered days and, day by day, what the charges cost that are theirs: found by the provider's resource ID. */
export async function readMetered(queries: Queries, table: KeyTable, bills: readonly number[], meterDays: readonly number[]): Promise<Metered> {
  const days = await readMeasuredDays<MeterDay>(queries, meterDays)
  const resource = table.column('ResourceId')
  const codes = new Set(days.flatMap(({ head }) => [...head.nodes, ...head.served].flatMap(({ resourceId }) => resource.codeOf.get(resourceId) ?? [])))
  const rows = table.keys.flatMap((_, row) => (codes.has(resource.codes[row]!) ? [row] : []))
  if (rows.length === 0) return { days, costs: [] }
  const rowOf = new Map(rows.map((row) => [table.keys[row]!.id, row]))
  const costs: DayCost[] = []
  for (let at = 0; at < rows.length; at += 2_000) {
    const found = await queries.rows<PeriodCost>(
      `SELECT c.key_id AS \`key\`, p.starts_at AS starts, p.ends_at AS ends, SUM(c.billed_cost) AS billed, SUM(c.effective_cost) AS effective
       FROM charges c JOIN charge_periods p ON p.id = c.period_id WHERE c.bill_id IN (?) AND c.key_id IN (?) GROUP BY c.key_id, p.starts_at, p.ends_at ORDER BY c.key_id, p.starts_at`,
      [bills, rows.slice(at, at + 2_000).map((row) => table.keys[row]!.id)])
    for (const { key, starts, ends, billed, effective } of found) costs.push(...byDay(rowOf.get(key)!, starts, ends, { billed: storedAmount(billed), effective: storedAmount(effective) }))
  }
  return { days, costs }
}

/** A charge for longer than a day is spread over its days by their time in it. */
function byDay(row: number, starts: string, ends: string, amounts: DayCost['amounts']): DayCost[] {
  const [from, to] = [seconds(starts), seconds(ends)]
  const day = starts.slice(0, 10)
  if (to <= seconds(`${addDays(day, 1)} 00:00:00`)) return [{ row, day, amounts }]
  const days: { day: string; time: bigint }[] = []
  for (let next = day; seconds(`${next} 00:00:00`) < to; next = addDays(next, 1)) {
    const [begin, end] = [Math.max(from, seconds(`${next} 00:00:00`)), Math.min(to, seconds(`${addDays(next, 1)} 00:00:00`))]
    days.push({ day: next, time: BigInt(end - begin) })
  }
  const [billed, effective] = [amounts.billed, amounts.effective].map((amount) => apportion(amount, days.map(({ time }) => time))!)
  return days.map((one, index) => ({ row, day: one.day, amounts: { billed: billed![index]!, effective: effective![index]! } }))
}

const seconds = (stored: string): number => Date.parse(`${stored.slice(0, 10)}T${stored.slice(11, 19)}Z`) / 1000
