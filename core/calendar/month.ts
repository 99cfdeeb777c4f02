/** A month is a text `YYYY-MM`; months compare as texts. A day is a text `YYYY-MM-DD`, always a UTC day. */
export type Month = string
export type Day = string

export const isMonth = (text: string): boolean => /^\d{4}-(0[1-9]|1[0-2])$/.test(text)
export const monthOfDay = (day: Day): Month => day.slice(0, 7)
export const firstDay = (month: Month): Day => `${month}-01`

/** The month `count` months after (before, if negative). */
export function addMonths(month: Month, count: number): Month {
  const index = Number(month.slice(0, 4)) * 12 + Number(month.slice(5, 7)) - 1 + count
  return `${String(Math.floor(index / 12)).padStart(4, '0')}-${String((((index % 12) + 12) % 12) + 1).padStart(2, '0')}`
}

/** All months from the first to the last, both included. */
export function monthsBetween(first: Month, last: Month): Month[] {
  const months: Month[] = []
  for (let month = first; month <= last; month = addMonths(month, 1)) months.push(month)
  return months
}

export const daysInMonth = (month: Month): number =>
  new Date(Date.UTC(Number(month.slice(0, 4)), Number(month.slice(5, 7)), 0)).getUTCDate()

/** All days of the month in order. */
export const daysOf = (month: Month): Day[] =>
  Array.from({ length: daysInMonth(month) }, (_, index) => `${month}-${String(index + 1).padStart(2, '0')}`)

export function addDays(day: Day, count: number): Day {
  return new Date(Date.parse(`${day}T00:00:00Z`) + count * 86_400_000).toISOString().slice(0, 10)
}

/** Whether a validity of two optional months, both included, holds in the month. */
export const holdsIn = (month: Month, from: Month | null | undefined, to: Month | null | undefined): boolean =>
  (!from || from <= month) && (!to || month <= to)
