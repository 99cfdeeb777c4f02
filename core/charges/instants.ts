const STANDARD = /^\d{4}-\d{2}-\d{2}T\d{2}:\d{2}:\d{2}Z$/
const READABLE = /^(\d{4}-\d{2}-\d{2})(?:[T ](\d{2}:\d{2}(?::\d{2})?)(?:\.\d+)?)?\s*(Z|UTC|[+-]00:?00)?$/

export interface Instant {
  /** `YYYY-MM-DD HH:mm:ss`, UTC */
  text: string
  /** whether it was written exactly as the standard wants it */
  standard: boolean
}

/** Reads a date and time of the standard, and the near misses of real exports that leave no doubt; null for the rest. */
export function parseInstant(text: string): Instant | null {
  const match = READABLE.exec(text)
  if (!match) return null
  const time = match[2] ?? '00:00:00'
  const iso = `${match[1]}T${time.length === 5 ? time + ':00' : time}Z`
  const parsed = Date.parse(iso)
  if (Number.isNaN(parsed) || new Date(parsed).toISOString().slice(0, 10) !== match[1]) return null
  return { text: iso.slice(0, 19).replace('T', ' '), standard: STANDARD.test(text) }
}
