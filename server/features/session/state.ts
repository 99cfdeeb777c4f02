import { classField, tagField } from '../../../core/charges/attributes.ts'
import type { Queries } from '../../db/database.ts'
import type { Viewer } from '../../viewer.ts'
import { readMonths, today, type MonthState } from '../periods/store.ts'
import { baseCurrency, readSetting } from '../../settingsTable.ts'
import { latestRulebook } from '../rulebook/store.ts'

/** What the frame of every page needs: the months, the day that counts as today, the currency and the charged basis. */
export interface FrameState {
  months: MonthState[]
  today: string
  isDemo: boolean
  /** that the organisation reports in, and all that there are rates for */
  currency: string
  currencies: string[]
  basis: 'billed' | 'effective'
  /** tags that count and classifications of the published rulebook, as fields to group by */
  fields: string[]
}

export async function readState(queries: Queries, viewer: Viewer | undefined): Promise<FrameState | null> {
  if (!viewer) return null
  const [months, day, demo, currency, rated, rulebook] = await Promise.all([readMonths(queries), today(queries), readSetting(queries, 'demo'), baseCurrency(queries), queries.rows<{ currency: string }>('SELECT DISTINCT currency FROM exchange_rates ORDER BY currency'), latestRulebook(queries)])
  const { tagKeys = [], classifications = [] } = rulebook?.rulebook ?? {}
  return { fields: [...tagKeys.map(tagField), ...classifications.map(({ code }) => classField(code))], months, today: day, isDemo: demo === 'loaded', currency, currencies: [...new Set([currency, ...rated.map((row) => row.currency)])], basis: rulebook?.rulebook.chargedBasis ?? 'effective' }
}
