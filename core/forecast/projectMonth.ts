/** Cost of one day, approximate: forecasts are statistics, so here exact becomes a float. */
export interface DayCost { day: string; cost: number }

export interface Projection {
  known: number
  /** estimate for the days of the month that are not known yet */
  rest: number
  knownDays: number
  restDays: number
}

const HISTORY_DAYS = 28
const weekday = (day: string): number => new Date(`${day}T00:00:00Z`).getUTCDay()

function median(values: number[]): number {
  const sorted = [...values].sort((a, b) => a - b)
  const middle = sorted.length >> 1
  return sorted.length % 2 ? sorted[middle]! : (sorted[middle - 1]! + sorted[middle]!) / 2
}

/**
 * Month end = the days that are known + for each other day the median cost of its weekday over the last 28 complete
 * days. Medians keep charges of a single day (a support plan on the 1st, an upfront purchase) out of the days to come.
 * Null where fewer than 28 complete days are known: then there is no projection, and the page says so.
 */
export function projectMonth(days: readonly DayCost[], monthDays: readonly string[], lastComplete: string): Projection | null {
  const complete = days.filter(({ day }) => day <= lastComplete).sort((a, b) => (a.day < b.day ? -1 : 1))
  const history = complete.slice(-HISTORY_DAYS)
  if (history.length < HISTORY_DAYS) return null
  const known = complete.filter(({ day }) => monthDays.includes(day))
  const rest = monthDays.filter((day) => day > lastComplete)
  const costOn = (day: string): number => median(history.filter((past) => weekday(past.day) === weekday(day)).map(({ cost }) => cost))
  return {
    known: known.reduce((sum, { cost }) => sum + cost, 0), rest: rest.reduce((sum, day) => sum + costOn(day), 0),
    knownDays: known.length, restDays: rest.length,
  }
}
