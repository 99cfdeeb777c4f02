import { addDays, addMonths, monthOfDay } from '../../../core/calendar/month.ts'
import { minorDigits } from '../../../core/money/currency.ts'
import type { Basis } from '../../../core/types.ts'
import type { Database } from '../../db/database.ts'
import { reportingCurrency } from '../../settingsTable.ts'
import type { Viewer } from '../../viewer.ts'
import { FINAL_AFTER_DAYS } from '../intake/calendar.ts'
import { today } from '../periods/store.ts'
import { shown } from '../statements/read.ts'
import { inOwnMonth, readSeries } from './series.ts'

export interface Movement { provider: string; service: string; before: string; after: string; change: string }
const EVERYTHING: Viewer = { id: 0, login: '', name: '', role: 'accountant', centres: null }

/** The last seven complete days against the seven before, by provider and service, largest change first. */
export async function readMovements(database: Database, month: string, basis: Basis): Promise<{ from: string; to: string; movements: Movement[] }> {
  const now = await today(database)
  const settled = addDays(now, -FINAL_AFTER_DAYS - 1)
  const monthEnd = addDays(addMonths(month, 1) + '-01', -1)
  const to = settled < monthEnd ? settled : monthEnd
  const [from, earlier] = [addDays(to, -6), addDays(to, -13)]
  const digits = minorDigits(await reportingCurrency(database))
  const series = (await readSeries(database, monthOfDay(earlier), monthOfDay(to), basis, EVERYTHING)).filter((day) => inOwnMonth(day) && day.day >= earlier && day.day <= to)
  const sums = new Map<string, { before: bigint; after: bigint }>()
  for (const { provider, service, day, exact } of series) {
    const name = `${provider}\u0000${service}`
    const sum = sums.get(name) ?? { before: 0n, after: 0n }
    sum[day >= from ? 'after' : 'before'] += exact
    sums.set(name, sum)
  }
  const magnitude = ({ before, after }: { before: bigint; after: bigint }): bigint => (after > before ? after - before : before - after)
  const movements = [...sums].sort(([, a], [, b]) => (magnitude(b) > magnitude(a) ? 1 : magnitude(b) < magnitude(a) ? -1 : 0)).slice(0, 10).map(([name, { before, after }]) => {
    const [provider, service] = name.split('\u0000') as [string, string]
    return { provider, service, before: shown(before, digits), after: shown(after, digits), change: shown(after - before, digits) }
  })
  return { from, to, movements }
}
