import { Type } from 'typebox'
import { isMonth } from '../../../core/calendar/month.ts'
import { parseAmount } from '../../../core/money/amount.ts'
import { driversOfBase } from '../../../core/pools/distribute.ts'
import type { App } from '../../app.ts'
import { audit } from '../../audit.ts'
import { readTable } from '../../csvTable.ts'
import { conflict, invalid, notFound } from '../../refusal.ts'
import { KEEPERS, STAFF, viewerOf } from '../../viewer.ts'
import { closedMonths } from '../intake/takeLoad.ts'
import { readCentres } from '../organisation/store.ts'
import { readDraft } from '../rulebook/store.ts'
import { Code, Month, Name } from '../schemas.ts'
import { listDrivers, listValues, measuredDrivers, saveDriver, saveValues } from './store.ts'

const HEAD = ['driver', 'month', 'target', 'quantity']
const Quantity = Type.String({ minLength: 1, maxLength: 30 })

/** Quantities by which pools are shared: typed by month, or from a CSV. */
export function driverRoutes(app: App): void {
  const { database } = app
  const isQuantity = (text: string): boolean => { const read = parseAmount(text); return read !== null && read.exact && read.units >= 0n }
  const needOpen = async (months: string[]): Promise<void> => {
    const [closed] = await closedMonths(database, months)
    if (closed) throw conflict(`${closed} is closed, so its quantities stay as they are.`)
  }

  app.get('/api/drivers', { config: { roles: STAFF }, schema: { querystring: Type.Object({ month: Month }) } }, async ({ query }) => ({ drivers: await listDrivers(database), measured: await measuredDrivers(database, query.month), values: await listValues(database, query.month) }))

  app.put('/api/drivers/:code', { config: { roles: KEEPERS }, schema: { params: Type.Object({ code: Code }), body: Type.Object({ name: Name, unit: Type.String({ maxLength: 60 }) }) } }, async (request) => {
    await saveDriver(database, { code: request.params.code, ...request.body })
    await audit(database, viewerOf(request).name, 'driver kept', request.params.code)
    return { code: request.params.code }
  })

  app.delete('/api/drivers/:code', { config: { roles: KEEPERS }, schema: { params: Type.Object({ code: Code }) } }, async (request) => {
    const { code } = request.params
    const used = (await readDraft(database)).rulebook.pools.find((pool) => driversOfBase(pool).includes(code))
    if (used) throw conflict(`Pool ${used.name} is shared by ${code}. Choose another base for it first.`)
    await needOpen((await database.rows<{ month: string }>('SELECT DISTINCT month FROM driver_values WHERE driver = ?', [code])).map(({ month }) => month))
    await database.run('DELETE FROM drivers WHERE code = ?', [code])
    await audit(database, viewerOf(request).name, 'driver deleted', code)
    return { code }
  })

  app.put('/api/drivers/:code/:month', { config: { roles: KEEPERS }, schema: { params: Type.Object({ code: Code, month: Month }), body: Type.Object({ values: Type.Record(Type.String({ minLength: 1, maxLength: 40 }), Quantity) }) } }, async (request) => {
    const { params: { code, month }, body: { values } } = request
    if (!(await listDrivers(database)).some((driver) => driver.code === code)) throw notFound(`The driver ${code}`)
    const wrong = Object.entries(values).find(([, quantity]) => !isQuantity(quantity))
    if (wrong) throw invalid(`The quantity of ${wrong[0]}, ${wrong[1]}, is no decimal of at most ten places that is zero or more.`)
    await needOpen([month])
    await database.transaction((queries) => saveValues(queries, code, month, values))
    await audit(database, viewerOf(request).name, 'driver quantities kept', `${code} ${month}`)
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
      if (!isQuantity(quantity)) problems.push(`line ${line}: ${quantity || 'an empty quantity'} is no decimal of at most ten places that is zero or more`)
      const name = `${driver}\u0000${month}`
      const own = months.get(name) ?? {}
      if (target in own) problems.push(`line ${line}: ${target} is there twice`)
      months.set(name, { ...own, [target]: quantity })
    }
    if (problems.length > 0) throw invalid(`The quantities were not taken: ${problems.slice(0, 5).join('; ')}.`, { problems })
    await needOpen([...new Set([...months.keys()].map((name) => name.split('\u0000')[1]!))])
    await database.transaction(async (queries) => { for (const [name, values] of months) { const [driver, month] = name.split('\u0000') as [string, string]; await saveValues(queries, driver, month, values) } })
    await audit(database, viewerOf(request).name, 'driver file taken', String(rows.length))
    return { quantities: rows.length, months: months.size }
  })
}
