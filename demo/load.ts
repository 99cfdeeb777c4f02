import { createHash, randomUUID } from 'node:crypto'
import { once } from 'node:events'
import { createWriteStream } from 'node:fs'
import { mkdir, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { hash } from '@node-rs/argon2'
import { addDays, monthOfDay, monthsBetween } from '../core/calendar/month.ts'
import type { Database } from '../server/db/database.ts'
import { addFeed } from '../server/features/feeds/store.ts'
import { saveDriver } from '../server/features/drivers/store.ts'
import { addLoad, findLoad } from '../server/features/intake/store.ts'
import { saveCentre, saveUnit } from '../server/features/organisation/store.ts'
import { publish, saveDraft } from '../server/features/rulebook/store.ts'
import { writeSetting } from '../server/settingsTable.ts'
import { Answers } from './answers.ts'
import { ClusterAnswers } from './clusterAnswers.ts'
import { demoNodes, METERED_FROM } from './clusters.ts'
import { DRIVERS, driverQuantities } from './drivers.ts'
import { allResources, demoFile, demoFiles, type DemoCharge } from './generator.ts'
import { LAST_METERED, meterFile } from './metering.ts'
import { flowFile, NETWORKS } from './network.ts'
import { demoRulebook } from './rulebook.ts'
import { CENTRES, DEMO_DATE, FIRST_MONTH, INVOICE_RATES, LAST_MONTH, MONTH_END, PEOPLE, PROVIDERS, RATES, REPORTING_CURRENCY, UNITS } from './scenario.ts'

export interface DemoParts {
  database: Database
  spoolFolder: string
  /** where the stand-in for a meter of clusters answers */
  meterAddress: string
  readLoad(loadId: number): Promise<void>
  runMonth(month: string, user: string): Promise<unknown>
  say(text: string): void
}

const ACCOUNTANT = PEOPLE[0].name

/** Fills an empty database with the demo: people and rules by the program's own stores, bills through the same intake as any file. */
export async function loadDemo(parts: DemoParts): Promise<void> {
  const { database, spoolFolder, meterAddress, say } = parts
  await writeSetting(database, 'demo', 'loading')
  await writeSetting(database, 'currency', REPORTING_CURRENCY)
  await writeSetting(database, 'today', DEMO_DATE)
  await setUpPeople(database)
  const rateRows = (kind: string, table: typeof RATES): string[][] => Object.entries(table).flatMap(([month, rates]) => Object.entries(rates).map(([currency, rate]) => [month, kind, currency, '', rate]))
  await database.insert('REPLACE INTO exchange_rates (month, kind, currency, provider, rate) VALUES ?', [...rateRows('average', RATES), ...rateRows('monthEnd', MONTH_END), ...INVOICE_RATES.map(({ month, currency, provider, rate }) => [month, 'invoice', currency, provider, rate])])
  await database.transaction(async (queries) => {
    for (const driver of DRIVERS) await saveDriver(queries, driver)
    await queries.insert('INSERT INTO networks (name, cost_centre) VALUES ?', NETWORKS.filter(({ centre }) => centre !== null).map(({ name, centre }) => [name, centre]))
    await queries.insert('INSERT INTO driver_values (driver, month, target, quantity) VALUES ?', driverQuantities().map(({ driver, month, target, quantity }) => [driver, month, target, quantity]))
  })
  await addFeed(database, { name: 'Cluster meter', url: meterAddress, schedule: '30 3 * * *', enabled: true, nextDay: addDays(LAST_METERED, 1) })
  const answers = new Answers()
  const lines = await loadFiles(parts, answers)
  await writeFile(join(spoolFolder, '..', 'demo-answers.json'), JSON.stringify(answers.toJson(), null, 1))
  say(`${lines} charge lines taken in`)
  const rulebook = demoRulebook()
  await saveDraft(database, rulebook, 0, ACCOUNTANT)
  await publish(database, rulebook, ACCOUNTANT, 'Team tags, whole sub accounts, three clusters and five pools')
  for (const month of monthsBetween(FIRST_MONTH, LAST_MONTH)) await parts.runMonth(month, ACCOUNTANT)
  await database.run("UPDATE periods SET state = IF(month < '2026-10', 'closed', IF(month = '2026-10', 'review', 'open'))")
  await writeSetting(database, 'demo', 'loaded')
  say('every month allocated')
}

async function setUpPeople(database: Database): Promise<void> {
  const people = await Promise.all(PEOPLE.map(async (person) => ({ ...person, passwordHash: await hash(`${person.login}-larkmoor`) })))
  await database.transaction(async (queries) => {
    for (const unit of UNITS) await saveUnit(queries, unit)
    for (const centre of CENTRES) await saveCentre(queries, centre)
    for (const { login, name, role, passwordHash, centres } of people) {
      await queries.run('INSERT INTO users (login, name, role, password_hash) VALUES (?, ?, ?, ?) ON DUPLICATE KEY UPDATE name = VALUES(name), role = VALUES(role)', [login, name, role, passwordHash])
      for (const centre of centres) await queries.run('INSERT IGNORE INTO user_centres (user_id, cost_centre) SELECT id, ? FROM users WHERE login = ?', [centre, login])
    }
  })
}

interface DemoText { name: string; pieces: Iterable<string> }

/** The files in the order in which they would have arrived: bills month by month, then the metering of clusters. */
function* demoTexts(answers: Answers, counted: () => void): Generator<DemoText> {
  const resources = allResources()
  const clusters = new ClusterAnswers(resources)
  for (const { provider, month } of demoFiles()) {
    const note = (charge: DemoCharge): void => { counted(); answers.note(provider, month, charge, clusters.partsOf(charge)) }
    yield { name: `${PROVIDERS[provider]!.name.toLowerCase().replace(' ', '-')}-${month}.csv`, pieces: demoFile(provider, month, resources, note) }
  }
  const nodes = demoNodes(resources)
  for (const month of monthsBetween(FIRST_MONTH, LAST_MONTH)) yield { name: `flows-${month}.csv`, pieces: flowFile(month) }
  for (const month of monthsBetween(monthOfDay(METERED_FROM), LAST_MONTH)) yield { name: `metering-${month}.csv`, pieces: meterFile(nodes, month) }
}

/** Writes each demo file and has it taken in, the next being written while the one before is read. */
async function loadFiles({ database, spoolFolder, readLoad, say }: DemoParts, answers: Answers): Promise<number> {
  await mkdir(spoolFolder, { recursive: true })
  let reading: Promise<void> = Promise.resolve()
  let [lines, files] = [0, 0]
  for (const { name, pieces } of demoTexts(answers, () => { lines++ })) {
    const path = join(spoolFolder, randomUUID())
    const stream = createWriteStream(path)
    const digest = createHash('sha256')
    let bytes = 0
    for (const piece of pieces) {
      digest.update(piece)
      bytes += Buffer.byteLength(piece)
      if (!stream.write(piece)) await once(stream, 'drain')
    }
    stream.end()
    await once(stream, 'finish')
    const loadId = await addLoad(database, name, path, digest.digest('hex'), bytes, ACCOUNTANT)
    await reading
    reading = readLoad(loadId).then(async () => {
      const load = await findLoad(database, loadId)
      if (load?.state !== 'taken') throw new Error(`the demo file ${load?.fileName} was not taken: ${load?.message ?? ''}`)
    })
    reading.catch(() => {})
    if (++files % 20 === 0) say(`demo files: ${files} read`)
  }
  await reading
  return lines
}

/** Empties the ledger: bills, rules, organisation, rates and runs go; people who can sign in stay. */
export async function clearDemo(database: Database): Promise<void> {
  await writeSetting(database, 'demo', 'clearing')
  for (const table of ['charges', 'bill_sums', 'bill_days', 'run_outcomes', 'run_cells', 'run_weights', 'run_rates', 'run_bills', 'run_meter_days']) await database.run(`TRUNCATE TABLE ${table}`)
  for (const table of ['bills', 'measured_days', 'networks', 'feeds', 'driver_values', 'drivers', 'load_findings', 'loads', 'runs', 'rulebook_draft', 'rulebook_versions', 'charge_keys', 'charge_details', 'charge_periods', 'exchange_rates', 'periods', 'column_maps', 'user_centres', 'cost_centres', 'business_units']) await database.run(`DELETE FROM ${table}`)
  await writeSetting(database, 'today', null)
  await writeSetting(database, 'demo', 'cleared')
}
