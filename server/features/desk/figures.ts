import { addDays, addMonths, daysOf } from '../../../core/calendar/month.ts'
import { projectMonth } from '../../../core/forecast/projectMonth.ts'
import { approximate, formatAmount, roundTo } from '../../../core/money/amount.ts'
import { CONVERTED_SCALE } from '../../../core/money/convert.ts'
import { minorDigits } from '../../../core/money/currency.ts'
import type { Basis } from '../../../core/types.ts'
import type { Database } from '../../db/database.ts'
import { reportingCurrency } from '../../settingsTable.ts'
import type { Viewer } from '../../viewer.ts'
import { FINAL_AFTER_DAYS } from '../intake/calendar.ts'
import { today } from '../periods/store.ts'
import { readSeries, type DayAmount } from './series.ts'

/** One of the figures people ask for first; `before` is the same span a year earlier, null with the reason in `note`. */
export interface DeskFigure { name: string; amount: string | null; before: string | null; note: string }

/** The sum as the balance line and the statements have it: each provider's month rounded by itself. */
function total(days: readonly DayAmount[], digits: number): bigint {
  const streams = new Map<string, bigint>()
  for (const { month, provider, exact } of days) streams.set(month + provider, (streams.get(month + provider) ?? 0n) + exact)
  return [...streams.values()].reduce((sum, exact) => sum + roundTo(exact, digits, CONVERTED_SCALE), 0n)
}

export async function readFigures(database: Database, month: string, basis: Basis, viewer: Viewer): Promise<{ currency: string; figures: DeskFigure[]; isDirectOnly: boolean }> {
  const [currency, now] = await Promise.all([reportingCurrency(database), today(database)])
  const digits = minorDigits(currency)
  const lastYear = addMonths(month, -12)
  const januaries = [`${month.slice(0, 4)}-01`, `${lastYear.slice(0, 4)}-01`] as const
  const series = await readSeries(database, januaries[1], month, basis, viewer)
  const show = (days: readonly DayAmount[]): string => formatAmount(total(days, digits), digits, digits)
  const ofMonth = (name: string): DayAmount[] => series.filter((day) => day.month === name)
  const lastDay = ofMonth(month).reduce((last, { day }) => (day > last ? day : last), '')
  const sameDay = lastYear + lastDay.slice(7)
  const upTo = (name: string, day: string): DayAmount[] => ofMonth(name).filter((row) => row.day <= day)
  const before = (days: readonly DayAmount[]): string | null => (days.length > 0 ? show(days) : null)
  const previous = addMonths(month, -1)
  const span = (from: string, to: string): DayAmount[] => series.filter((day) => day.month >= from && day.month <= to)
  const isWhole = (from: string): boolean => series.some((day) => day.month === from)
  const monthFigure: DeskFigure = { name: 'Month to date', amount: show(ofMonth(month)), before: lastDay ? before(upTo(lastYear, sameDay)) : null, note: lastDay ? `to ${lastDay}` : 'no charges yet' }
  return {
    currency, isDirectOnly: viewer.centres !== null,
    figures: [
      monthFigure,
      { name: 'Last month', amount: before(ofMonth(previous)), before: before(ofMonth(addMonths(previous, -12))), note: previous },
      projection(series, month, now, lastYear, show, before),
      { name: 'Year to date', amount: show(span(januaries[0], month)), before: isWhole(januaries[1]) ? show(span(januaries[1], lastYear)) : null, note: `since ${januaries[0]}` },
    ],
  }
}

function projection(series: readonly DayAmount[], month: string, now: string, lastYear: string, show: (days: readonly DayAmount[]) => string, before: (days: readonly DayAmount[]) => string | null): DeskFigure {
  const name = 'Projected month end'
  const days = daysOf(month)
  const earlier = before(series.filter((day) => day.month === lastYear))
  if (days.at(-1)! < addDays(now, -FINAL_AFTER_DAYS)) return { name, amount: show(series.filter((day) => day.month === month)), before: earlier, note: 'the month is complete' }
  const byDay = new Map<string, bigint>()
  for (const { day, exact } of series) byDay.set(day, (byDay.get(day) ?? 0n) + exact)
  const costs = [...byDay].map(([day, exact]) => ({ day, cost: approximate(exact, CONVERTED_SCALE) }))
  const projected = projectMonth(costs, days, addDays(now, -FINAL_AFTER_DAYS - 1))
  if (!projected) return { name, amount: null, before: earlier, note: 'fewer than 28 complete days are known, so there is no projection' }
  return { name, amount: (projected.known + projected.rest).toFixed(2), before: earlier, note: `${projected.knownDays} days known, ${projected.restDays} at the median of their weekday` }
}
