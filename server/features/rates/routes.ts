import { Type } from 'typebox'
import type { App } from '../../app.ts'
import { audit } from '../../audit.ts'
import { parseAmount } from '../../../core/money/amount.ts'
import { isMonth } from '../../../core/calendar/month.ts'
import { invalid } from '../../refusal.ts'
import { KEEPERS, STAFF, viewerOf } from '../../viewer.ts'
import { readTable } from '../../csvTable.ts'
import { closedMonths } from '../intake/takeLoad.ts'
import { listRates } from './store.ts'

/** Reads `month,currency,rate` rows; every bad row is named, and then none is taken. */
export function parseRates(text: string): { month: string; currency: string; rate: string }[] {
  const { rows, problems } = readTable(text, ['month', 'currency', 'rate'])
  const rates = rows.map(({ values, line }) => {
    const [month, currency, rate] = [values.month!, values.currency!, values.rate!]
    const parsed = parseAmount(rate)
    if (!isMonth(month)) problems.push(`line ${line}: the month ${month} is not written YYYY-MM`)
    if (!/^[A-Z]{3}$/.test(currency)) problems.push(`line ${line}: ${currency} is not a currency code`)
    if (!parsed?.exact || parsed.units <= 0n) problems.push(`line ${line}: the rate ${rate} is not a positive decimal of at most ten places`)
    return { month, currency, rate }
  })
  if (problems.length > 0) throw invalid(`The rates were not taken: ${problems.slice(0, 5).join('; ')}.`, { problems })
  return rates
}

export function rateRoutes(app: App): void {
  const { database } = app
  app.get('/api/rates', { config: { roles: STAFF } }, async () => ({ rates: await listRates(database) }))

  app.post('/api/rates', { config: { roles: KEEPERS }, schema: { body: Type.Object({ csv: Type.String({ maxLength: 1_000_000 }) }) } }, async (request) => {
    const rates = parseRates(request.body.csv)
    const closed = await closedMonths(database, rates.map(({ month }) => month))
    if (closed.length > 0) throw invalid(`The rates of ${closed.join(', ')} are frozen: the period is closed.`)
    await database.transaction(async (queries) => {
      await queries.insert('REPLACE INTO exchange_rates (month, currency, rate) VALUES ?', rates.map(({ month, currency, rate }) => [month, currency, rate]))
      await audit(queries, viewerOf(request).name, 'rates', `${rates.length} rates`, rates)
    })
    return { rates: await listRates(database) }
  })
}
