import { addMonths } from '../../../core/calendar/month.ts'
import { COVERAGE_FALL } from '../../../core/clean/coverage.ts'
import type { Rulebook } from '../../../core/types.ts'
import type { Database } from '../../db/database.ts'
import { Refusal } from '../../refusal.ts'
import type { Ledger } from '../../workers/pools.ts'
import { readBalance } from '../allocation/balance.ts'
import { readStanding } from '../allocation/standing.ts'
import { readCalendar } from '../intake/calendar.ts'
import { latestRulebook, readDraft } from '../rulebook/store.ts'

/** Something that waits for a person, with where to do it. `amount` is in the reporting currency. */
export interface DeskTask { kind: string; text: string; amount: string | null; link: string }

const STAFF_VIEW = { id: 0, login: '', name: '', role: 'accountant' as const, centres: null }

/** What needs doing now in the month in hand. */
export async function readTasks(database: Database, ledger: Ledger, month: string): Promise<DeskTask[]> {
  const [standing, latest, draft, calendar, waiting] = await Promise.all([
    readStanding(database, month), latestRulebook(database), readDraft(database), readCalendar(database, month),
    database.rows<{ id: number; file: string; state: string }>("SELECT id, file_name AS file, state FROM loads WHERE state = 'confirming' ORDER BY id"),
  ])
  const balance = await readBalance(database, month, latest?.rulebook.chargedBasis ?? 'effective', STAFF_VIEW)
  const tasks: DeskTask[] = []
  const unassignedShare = `${((Number(balance.unassigned) / Number(balance.billed)) * 100).toFixed(1)} %`
  const add = (kind: string, text: string, link: string, amount: string | null = null): void => { tasks.push({ kind, text, amount, link }) }
  for (const currency of balance.missingRates) add('rate', `The exchange rate of ${currency} for ${month} is missing, so nothing in ${currency} can be converted.`, '/intake?tab=rates')
  for (const { id, file } of waiting) add('confirm', `${file} restates figures that are in the ledger; look at the difference and confirm it.`, `/intake?load=${id}`)
  for (const { provider, days } of calendar) {
    const missing = days.filter(({ state }) => state === 'missing')
    if (missing.length > 0) add('missing', `${provider} has no charges for ${missing.length === 1 ? missing[0]!.day : `${missing.length} days, first ${missing[0]!.day}`}.`, '/intake?tab=calendar')
    const due = days.filter(({ state }) => state === 'due')
    if (due.length > 1) add('late', `${provider} is late: nothing since ${due[0]!.day}.`, '/intake?tab=calendar')
  }
  if (latest && JSON.stringify(draft.rulebook) !== JSON.stringify(latest.rulebook)) add('draft', `The draft of the rulebook, last changed by ${draft.changedBy}, is not published.`, '/rulebook')
  for (const { key, provider, was, is } of await coverageFalls(ledger, latest?.rulebook ?? null, month, balance.missingRates)) {
    add('coverage', `The tag ${key} is on ${percent(is)} of what ${provider} billed for resources, after ${percent(was)} the month before: look for what lost its tags.`, '/rulebook?tab=clean')
  }
  if (standing.kind === 'none') add('run', `The allocation of ${month} has not been run.`, '/allocation')
  if (standing.kind === 'outOfDate') add('run', `The allocation of ${month} is out of date: bills, rates, cost centres or the rulebook have changed since run ${standing.run!.id}.`, '/allocation')
  if (Number(balance.unassigned) !== 0) add('unassigned', `${unassignedShare} of the cost of the month has no payer yet.`, '/rulebook?tab=unassigned', balance.unassigned)
  if (Number(balance.held) !== 0) add('held', 'This money is held: set aside by a rule, or in a pool that cannot be shared.', '/allocation', balance.held)
  return tasks
}

const percent = (share: number): string => `${(share * 100).toFixed(1)} %`

/** Tag keys that count and are on less of a provider's money than in the month before, after the clean-up. */
async function coverageFalls(ledger: Ledger, rulebook: Rulebook | null, month: string, missingRates: readonly string[]): Promise<{ key: string; provider: string; was: number; is: number }[]> {
  if (!rulebook || rulebook.tagKeys.length === 0 || missingRates.length > 0) return []
  const rows = await ledger.coverage({ month, rulebook, months: 2 }).catch((error: unknown) => {
    // a month before without a rate cannot be compared, and says so where it is shown
    if (error instanceof Refusal) return []
    throw error
  })
  return rows.filter((row) => row.month === month).flatMap(({ key, provider, cleaned: is }) => {
    const was = rows.find((row) => row.month === addMonths(month, -1) && row.key === key && row.provider === provider)?.cleaned ?? null
    return was !== null && is !== null && was - is > COVERAGE_FALL ? [{ key, provider, was, is }] : []
  })
}
