import { createHash } from 'node:crypto'
import { monthsBackOf } from '../../../core/clean/cleanTags.ts'
import type { RateTable } from '../../../core/money/convert.ts'
import type { CostCentre, Drivers } from '../../../core/types.ts'
import type { Queries } from '../../db/database.ts'
import { baseCurrency } from '../../settingsTable.ts'
import { plainDrivers, readDrivers, usedDrivers } from '../drivers/store.ts'
import { currentDays } from '../intake/measuredDays.ts'
import { readCentres } from '../organisation/store.ts'
import { baseRatesOf } from '../rates/store.ts'
import { latestRulebook, type RulebookVersion } from '../rulebook/store.ts'
import { billsBefore } from './ledger.ts'

/** Everything a run depends on; `hash` changes exactly when one of them does. */
export interface RunInputs {
  bills: number[]
  /** metered days of its clusters */
  meterDays: number[]
  /** bills of the months before that the tag clean-up looks at, the latest month first */
  earlierBills: number[][]
  rulebook: RulebookVersion | null
  centres: CostCentre[]
  rates: RateTable
  /** quantities of the drivers that its pools are shared by */
  drivers: Drivers
  hash: string
}

export async function readInputs(queries: Queries, month: string): Promise<RunInputs> {
  const [bills, meterDays, rulebook, centres, rates, currency, quantities] = await Promise.all([
    queries.rows<{ id: number }>("SELECT id FROM bills WHERE month = ? AND state = 'current' ORDER BY id", [month]), currentDays(queries, 'metering', month),
    latestRulebook(queries), readCentres(queries), baseRatesOf(queries, month), baseCurrency(queries), readDrivers(queries, month),
  ])
  const ids = bills.map(({ id }) => id)
  const earlierBills = await billsBefore(queries, month, monthsBackOf(rulebook?.rulebook.cleanUp ?? []))
  // names and owners of cost centres do not move money
  const validity = centres.map(({ code, validFrom, validTo }) => [code, validFrom, validTo])
  const drivers = rulebook ? usedDrivers(quantities, rulebook.rulebook) : new Map()
  const text = JSON.stringify([ids, rulebook?.version ?? 0, validity, [...rates].sort().map(([code, rate]) => [code, String(rate)]), currency, ...(earlierBills.length > 0 ? [earlierBills] : []), ...(drivers.size > 0 ? [plainDrivers(drivers)] : []), ...(meterDays.length > 0 ? [{ meterDays }] : [])])
  return { bills: ids, meterDays, earlierBills, rulebook, centres, rates, drivers, hash: createHash('sha256').update(text).digest('hex') }
}
