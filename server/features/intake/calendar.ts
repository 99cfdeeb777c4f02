import { addDays, daysOf } from '../../../core/calendar/month.ts'
import type { Queries } from '../../db/database.ts'
import { today } from '../periods/store.ts'

/** A day's data may still change for this long after it ends; after that a day without lines is missing. */
export const FINAL_AFTER_DAYS = 2

export type DayState = 'arrived' | 'notFinal' | 'restated' | 'missing' | 'due' | 'future'
export interface CalendarDay { day: string; state: DayState; lines: number; billed: string }
export interface CalendarProvider { provider: string; currency: string; lines: number; billed: string; effective: string; days: CalendarDay[]; billIds: number[] }

interface DayRow { provider: string; day: string; lines: string; billed: string }

/** What has arrived for a month, provider by day. Providers are those that billed in this month or the one before. */
export async function readCalendar(queries: Queries, month: string): Promise<CalendarProvider[]> {
  const now = await today(queries)
  const totals = await queries.rows<{ provider: string; currency: string; lines: string; billed: string; effective: string; bills: string }>(
    `SELECT b.provider, MIN(d.currency) AS currency, SUM(d.line_count) AS \`lines\`, SUM(d.billed_cost) AS billed, SUM(d.effective_cost) AS effective, GROUP_CONCAT(DISTINCT b.id) AS bills
     FROM bills b JOIN bill_days d ON d.bill_id = b.id WHERE b.month = ? AND b.state = 'current' GROUP BY b.provider`, [month])
  const days = await queries.rows<DayRow>(
    `SELECT b.provider, d.day, SUM(d.line_count) AS \`lines\`, SUM(d.billed_cost) AS billed FROM bills b JOIN bill_days d ON d.bill_id = b.id
     WHERE b.month = ? AND b.state = 'current' AND d.day BETWEEN ? AND LAST_DAY(?) GROUP BY b.provider, d.day`, [month, `${month}-01`, `${month}-01`])
  const restated = await queries.rows<{ provider: string; day: string }>(
    `SELECT DISTINCT b.provider, n.day FROM bills b JOIN bill_days n ON n.bill_id = b.id
     WHERE b.month = ? AND b.state = 'current' AND b.restates IS NOT NULL
       AND EXISTS (SELECT 1 FROM bill_days o WHERE o.bill_id = b.restates AND o.day = n.day)
       AND NOT EXISTS (SELECT 1 FROM bill_days o WHERE o.bill_id = b.restates AND o.day = n.day AND o.service = n.service AND o.billed_cost = n.billed_cost AND o.effective_cost = n.effective_cost)`, [month])
  const known = await queries.rows<{ provider: string }>("SELECT DISTINCT provider FROM bills WHERE state = 'current' ORDER BY provider")
  return known.map(({ provider }) => {
    const total = totals.find((row) => row.provider === provider)
    const own = new Map(days.filter((row) => row.provider === provider).map((row) => [row.day, row]))
    const changed = new Set(restated.filter((row) => row.provider === provider).map(({ day }) => day))
    return {
      provider, currency: total?.currency ?? '', lines: Number(total?.lines ?? 0), billed: total?.billed ?? '0', effective: total?.effective ?? '0', billIds: (total?.bills ?? '').split(',').filter(Boolean).map(Number),
      days: daysOf(month).map((day) => ({ day, state: stateOf(day, own.has(day), changed.has(day), now), lines: Number(own.get(day)?.lines ?? 0), billed: own.get(day)?.billed ?? '0' })),
    }
  })
}

function stateOf(day: string, hasLines: boolean, isRestated: boolean, now: string): DayState {
  const isSettled = day < addDays(now, -FINAL_AFTER_DAYS)
  if (hasLines) return isRestated ? 'restated' : isSettled ? 'arrived' : 'notFinal'
  if (day >= now) return 'future'
  return isSettled ? 'missing' : 'due'
}
