import { classField, tagField } from '../../../core/charges/attributes.ts'
import type { Queries } from '../../db/database.ts'
import type { Viewer } from '../../viewer.ts'
import { readMonths, today, type MonthState } from '../periods/store.ts'
import { readSetting } from '../../settingsTable.ts'
import { latestRulebook } from '../rulebook/store.ts'

/** What the frame of every page needs: the months, the day that counts as today, the currency and the charged basis. */
export interface FrameState {
  months: MonthState[]
  today: string
  isDemo: boolean
  currency: string
  basis: 'billed' | 'effective'
  /** tags that count and classifications of the published rulebook, as fields to group by */
  fields: string[]
}

export async function readState(queries: Queries, viewer: Viewer | undefined): Promise<FrameState | null> {
  if (!viewer) return null
  const [months, day, demo, currency, rulebook] = await Promise.all([readMonths(queries), today(queries), readSetting(queries, 'demo'), readSetting(queries, 'currency'), latestRulebook(queries)])
  const { tagKeys = [], classifications = [] } = rulebook?.rulebook ?? {}
  return { fields: [...tagKeys.map(tagField), ...classifications.map(({ code }) => classField(code))], months, today: day, isDemo: demo === 'loaded', currency: currency ?? 'EUR', basis: rulebook?.rulebook.chargedBasis ?? 'effective' }
}
