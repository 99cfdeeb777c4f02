import type { Queries } from '../../db/database.ts'
import { readSetting } from '../../settingsTable.ts'

export interface MonthState {
  month: string
  state: 'open' | 'review' | 'closed'
}

export const readMonths = (queries: Queries): Promise<MonthState[]> =>
  queries.rows<MonthState>("SELECT p.month, p.state FROM periods p WHERE p.state <> 'open' OR EXISTS (SELECT 1 FROM bills b WHERE b.month = p.month AND b.state = 'current') ORDER BY p.month")

/** The UTC day that counts as today; the demo stands still at its date. */
export const today = async (queries: Queries): Promise<string> => (await readSetting(queries, 'today')) ?? new Date().toISOString().slice(0, 10)
