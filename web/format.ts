const parts = new Intl.NumberFormat(navigator.language).formatToParts(1_234_567.8)
const GROUP = parts.find(({ type }) => type === 'group')?.value ?? '\u00a0'
const POINT = parts.find(({ type }) => type === 'decimal')?.value ?? '.'
const MINUS = '\u2212'

/** An exact decimal as the locale writes it, with a true minus; never by way of a float. `signed` puts a plus before gains. */
export function amount(decimal: string | null | undefined, { signed = false, most = Infinity } = {}): string {
  if (decimal === null || decimal === undefined) return '–'
  const [whole = '', fraction = ''] = decimal.replace('-', '').split('.')
  const grouped = whole.replace(/\B(?=(\d{3})+$)/g, GROUP)
  const cut = fraction.length > most ? fraction.slice(0, most) + '…' : fraction
  const text = grouped + (cut ? POINT + cut : '')
  if (decimal.startsWith('-')) return MINUS + text
  return signed && /[1-9]/.test(decimal) ? '+' + text : text
}

export const percent = (decimal: string | null, signed = true): string => (decimal === null ? '' : `${amount(decimal, { signed })} %`)
export const isZero = (decimal: string): boolean => !/[1-9]/.test(decimal)

export const count = (value: number): string => new Intl.NumberFormat().format(value)

const monthFormat = (options: Intl.DateTimeFormatOptions) => (month: string): string =>
  new Intl.DateTimeFormat('en-GB', { ...options, timeZone: 'UTC' }).format(new Date(`${month}-01T00:00:00Z`))
export const monthName = monthFormat({ month: 'long', year: 'numeric' })
export const monthShort = monthFormat({ month: 'short' })
export const monthShortYear = (month: string): string => `${monthShort(month)} ${month.slice(2, 4)}`
export const dayName = (day: string): string => new Intl.DateTimeFormat('en-GB', { day: 'numeric', month: 'short', year: 'numeric', timeZone: 'UTC' }).format(new Date(`${day.slice(0, 10)}T00:00:00Z`))
export const instant = (text: string): string => `${dayName(text)}, ${text.slice(11, 16)} UTC`

export function bytes(value: number): string {
  if (value < 1e6) return `${count(Math.ceil(value / 1e3))} kB`
  return value < 1e9 ? `${(value / 1e6).toFixed(1)} MB` : `${(value / 1e9).toFixed(2)} GB`
}
