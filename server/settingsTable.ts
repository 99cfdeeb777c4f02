import type { Queries } from './db/database.ts'
import { viewCurrency } from './viewCurrency.ts'

export type SettingName = 'demo' | 'currency' | 'today'

export const readSetting = async (queries: Queries, name: SettingName): Promise<string | null> =>
  (await queries.first<{ value: string }>('SELECT value FROM settings WHERE name = ?', [name]))?.value ?? null

export async function writeSetting(queries: Queries, name: SettingName, value: string | null): Promise<void> {
  if (value === null) await queries.run('DELETE FROM settings WHERE name = ?', [name])
  else await queries.run('REPLACE INTO settings (name, value) VALUES (?, ?)', [name, value])
}

/** The currency that the organisation reports in: what runs, rates and fixed amounts are in. */
export const baseCurrency = async (queries: Queries): Promise<string> => (await readSetting(queries, 'currency')) ?? 'EUR'
/** The currency that the person who asks reads in. */
export const reportingCurrency = async (queries: Queries): Promise<string> => viewCurrency.getStore() ?? baseCurrency(queries)
