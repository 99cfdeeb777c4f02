import { Type } from 'typebox'
import { isMonth } from '../../../core/calendar/month.ts'
import { parseAmount } from '../../../core/money/amount.ts'
import { driversOfBase, isMeasuredDriver } from '../../../core/pools/distribute.ts'
import type { App } from '../../app.ts'
import type { Queries } from '../../db/database.ts'
import { audit } from '../../audit.ts'
import { readTable } from '../../csvTable.ts'
import { conflict, invalid, notFound } from '../../refusal.ts'
import { KEEPERS, STAFF, viewerOf } from '../../viewer.ts'
import { closedMonths } from '../intake/takeLoad.ts'
import { readCentres } from '../organisation/store.ts'
import { latestRulebook, readDraft } from '../rulebook/store.ts'
import { Code, Month, Name } from '../schemas.ts'
import { listDrivers, listValues, measuredDrivers, saveDriver, saveValues } from './store.ts'

const HEAD = ['driver', 'month', 'target', 'quantity']
/** twelve digits before the point, in 10^-10 */
const LARGEST = 10n ** 22n
const NO_QUANTITY = 'no decimal from zero on, of at most twelve digits and ten places'
const Quantity = Type.String({ minLength: 1, maxLength: 30 })

/** Quantities by which pools are shared: typed by month, or from a CSV. */
export function driverRoutes(app: App): void {
  const { database } = app
  const isQuantity = (text: string): boolean => { const read = parseAmount(text); return read !== null && read.exact && read.units >= 0n && read.units < LARGEST }
  const needOpen = async (queries: Queries, months: string[]): Promise<void> => {
    const [closed] = await closedMonths(queries, months)
    if (closed) throw conflict(`${closed} is closed, so its quantities stay as they are.`)
  }

  app.get('/api/drivers', { config: { roles: STAFF }, schema: { querystring: Type.Object({ month: Month }) } }, async ({ query }) => ({ drivers: await listDrivers(database), measured: await measuredDrivers(database, query.month), values: await listValues(database, query.month) }))

  app.put('/api/drivers/:code', { config: { roles: KEEPERS }, schema: { params: Type.Object({ code: Code }), body: Type.Object({ name: Name, unit: Type.String({ maxLength: 60 }) }) } }, async (request) => {
    const { code } = request.params
    if (isMeasuredDriver(code)) throw invalid(`Drivers with names like ${code} are counted from what is measured. Choose another code.`)
    await database.transaction(async (queries) => {
      await saveDriver(queries, { code, ...request.body })
      await audit(queries, viewerOf(request).name, 'driver kept', code)
    })
    return { code }
  })

  app.delete('/api/drivers/:code', { config: { roles: KEEPERS }, schema: { params: Type.Object({ code: Code }) } }, async (request) => {
    const { code } = request.params
    await database.transaction(async (queries) => {
      const [draft, published] = await Promise.all([readDraft(queries), latestRulebook(queries)])
      const used = [...draft.rulebook.pools, ...(published?.rulebook.pools ?? [])].find((pool) => driversOfBase(pool).includes(code))
      if (used) throw conflict(`Pool ${used.name} is shared by ${code}. Choose another base for it first, and publish that.`)
      await needOpen(queries, (await queries.rows<{ month: string }>('SELECT DISTINCT month FROM driver_values WHERE driver = ?', [code])).map(({ month }) => month))
      if ((await queries.run('DELETE FROM drivers WHERE code = ?', [code])).affectedRows === 0) throw notFound(`The driver ${code}`)
      await audit(queries, viewerOf(request).name, 'driver deleted', code)
    })
    return { code }
  })

  app.put('/api/drivers/:code/:month', { config: { roles: KEEPERS }, schema: { params: Type.Object({ code: Code, month: Month }), body: Type.Object({ values: Type.Record(Type.String({ minLength: 1, maxLength: 40 }), Quantity) }) } }, async (request) => {
    const { params: { code, month }, body: { values } } = request
    if (!(await listDrivers(database)).some((driver) => driver.code === code)) throw notFound(`The driver ${code}`)
    const wrong = Object.entries(values).find(([, quantity]) => !isQuantity(quantity))
    if (wrong) throw invalid(`The quantity of ${wrong[0]}, ${wrong[1]}, is ${NO_QUANTITY}.`)
    await database.transaction(async (queries) => {
      await needOpen(queries, [month])
      await saveValues(queries, code, month, values)
      await audit(queries, viewerOf(request).name, 'driver quantities kept', `${code} ${month}`)
    })
    return { code, month }
  })

  app.post('/api/drivers/csv', { config: { roles: KEEPERS }, bodyLimit: 16 << 20, schema: { body: Type.Object({ csv: Type.String() }) } }, async (request) => {
    const { rows, problems } = readTable(request.body.csv, HEAD)
    const [known, centres] = [new Set((await listDrivers(database)).map(({ code }) => code)), new Set((await readCentres(database)).map(({ code }) => code))]
    const months = new Map<string, Record<string, string>>()
    for (const { line, values } of rows) {
      const { driver = '', month = '', target = '', quantity = '' } = values as Record<string, string>
      if (!known.has(driver)) problems.push(`line ${line}: there is no driver ${driver}`)
      if (!isMonth(month)) problems.push(`line ${line}: month is not written YYYY-MM`)
      if (!target.startsWith('pool:') && !centres.has(target)) problems.push(`line ${line}: ${target || 'an empty target'} is no cost centre and no pool:CODE`)
      if (!isQuantity(quantity)) problems.push(`line ${line}: ${quantity || 'an empty quantity'} is ${NO_QUANTITY}`)
      const name = `${driver}\u0000${month}`
      const own = months.get(name) ?? {}
      if (target in own) problems.push(`line ${line}: ${target} is there twice`)
      months.set(name, { ...own, [target]: quantity })
    }
    if (problems.length > 0) throw invalid(`The quantities were not taken: ${problems.slice(0, 5).join('; ')}.`, { problems })
    await database.transaction(async (queries) => {
      await needOpen(queries, [...new Set([...months.keys()].map((name) => name.split('\u0000')[1]!))])
      for (const [name, values] of months) {
        const [driver, month] = name.split('\u0000') as [string, string]
        await saveValues(queries, driver, month, values)
      }
      await audit(queries, viewerOf(request).name, 'driver file taken', String(rows.length))
    })
    return { quantities: rows.length, months: months.size }
  })
}
