import { Type } from 'typebox'
import type { App } from '../../app.ts'
import type { Queries } from '../../db/database.ts'
import { audit } from '../../audit.ts'
import { parseAmount } from '../../../core/money/amount.ts'
import { isMonth } from '../../../core/calendar/month.ts'
import { conflict, invalid } from '../../refusal.ts'
import { KEEPERS, STAFF, viewerOf } from '../../viewer.ts'
import { readTable } from '../../csvTable.ts'
import { closedMonths } from '../intake/takeLoad.ts'
import { MonthParam } from '../schemas.ts'
import { listRates, RATE_KINDS, rateKindOf, type RateKind, type RateRow } from './store.ts'

const isKind = (text: string): text is RateKind => (RATE_KINDS as readonly string[]).includes(text)

/** ten digits before the point and ten after it, in 10^-10 */
const LARGEST = 10n ** 20n

/** Reads `month,currency,rate` rows, with `kind` and `provider` where there are such columns; every bad row is named, and then none is taken. */
export function parseRates(text: string): RateRow[] {
  const { rows, problems } = readTable(text, ['month', 'currency', 'rate'])
  const seen = new Set<string>()
  const rates = rows.map(({ values, line }): RateRow => {
    const { month = '', currency = '', rate = '' } = values
    const kind = values.kind || 'average'
    const provider = values.provider ?? ''
    const parsed = parseAmount(rate)
    if (!isMonth(month)) problems.push(`line ${line}: the month ${month} is not written YYYY-MM`)
    if (!/^[A-Z]{3}$/.test(currency)) problems.push(`line ${line}: ${currency} is not a currency code`)
    if (!parsed?.exact || parsed.units <= 0n) problems.push(`line ${line}: the rate ${rate} is not a positive decimal of at most ten places`)
    else if (parsed.units >= LARGEST) problems.push(`line ${line}: the rate ${rate} is too large to be one`)
    if (provider.length > 200) problems.push(`line ${line}: the provider is longer than 200 characters`)
    if (!isKind(kind)) problems.push(`line ${line}: the kind ${kind} is none of ${RATE_KINDS.join(', ')}`)
    if ((kind === 'invoice') !== (provider !== '')) problems.push(`line ${line}: a rate of the kind invoice names the provider whose invoices it is on, and no other does`)
    const name = [month, kind, currency, provider].join(' ')
    if (seen.has(name)) problems.push(`line ${line}: the rate for ${currency} of ${month} is there twice`)
    seen.add(name)
    return { month, kind: kind as RateKind, currency, provider, rate }
  })
  if (problems.length > 0) throw invalid(`The rates were not taken: ${problems.slice(0, 5).join('; ')}.`, { problems })
  return rates
}

export function rateRoutes(app: App): void {
  const { database } = app
  const needOpen = async (queries: Queries, months: string[]): Promise<void> => {
    const closed = await closedMonths(queries, months)
    if (closed.length > 0) throw conflict(`The rates of ${closed.join(', ')} are frozen: the period is closed.`)
  }
  app.get('/api/rates', { config: { roles: STAFF }, schema: { querystring: Type.Object({ month: Type.Optional(MonthParam.properties.month) }) } }, async ({ query }) =>
    ({ rates: await listRates(database), kind: query.month ? await rateKindOf(database, query.month) : null }))

  app.post('/api/rates', { config: { roles: KEEPERS }, schema: { body: Type.Object({ csv: Type.String({ maxLength: 1_000_000 }) }) } }, async (request) => {
    const rates = parseRates(request.body.csv)
    await database.transaction(async (queries) => {
      await needOpen(queries, [...new Set(rates.map(({ month }) => month))])
      await queries.insert('REPLACE INTO exchange_rates (month, kind, currency, provider, rate) VALUES ?', rates.map(({ month, kind, currency, provider, rate }) => [month, kind, currency, provider, rate]))
      await audit(queries, viewerOf(request).name, 'rates', `${rates.length} rates`, rates)
    })
    return { rates: await listRates(database) }
  })

  /** at which kind of rate a month is converted */
  app.put('/api/rates/:month', { config: { roles: KEEPERS }, schema: { params: MonthParam, body: Type.Object({ kind: Type.Enum([...RATE_KINDS]) }) } }, async (request) => {
    const { params: { month }, body: { kind } } = request
    await database.transaction(async (queries) => {
      await needOpen(queries, [month])
      await queries.run('INSERT INTO periods (month, rate_kind) VALUES (?, ?) ON DUPLICATE KEY UPDATE rate_kind = VALUES(rate_kind)', [month, kind])
      await audit(queries, viewerOf(request).name, 'rate kind', month, { kind })
    })
    return { kind }
  })
}
