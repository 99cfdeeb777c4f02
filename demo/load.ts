import { createHash, randomUUID } from 'node:crypto'
import { once } from 'node:events'
import { createWriteStream } from 'node:fs'
import { mkdir, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { hash } from '@node-rs/argon2'
import { monthsBetween } from '../core/calendar/month.ts'
import type { Database } from '../server/db/database.ts'
import { addLoad, findLoad } from '../server/features/intake/store.ts'
import { saveCentre, saveUnit } from '../server/features/organisation/store.ts'
import { publish, saveDraft } from '../server/features/rulebook/store.ts'
import { writeSetting } from '../server/settingsTable.ts'
import { Answers } from './answers.ts'
import { allResources, demoFile, demoFiles } from './generator.ts'
import { demoRulebook } from './rulebook.ts'
import { CENTRES, DEMO_DATE, FIRST_MONTH, LAST_MONTH, PEOPLE, PROVIDERS, RATES, REPORTING_CURRENCY, UNITS } from './scenario.ts'

export interface DemoParts {
  database: Database
  spoolFolder: string
  readLoad(loadId: number): Promise<void>
  runMonth(month: string, user: string): Promise<unknown>
  say(text: string): void
}

const ACCOUNTANT = PEOPLE[0].name

/** Fills an empty database with the demo: people and rules by the program's own stores, bills through the same intake as any file. */
export async function loadDemo(parts: DemoParts): Promise<void> {
  const { database, spoolFolder, say } = parts
  await writeSetting(database, 'demo', 'loading')
  await writeSetting(database, 'currency', REPORTING_CURRENCY)
  await writeSetting(database, 'today', DEMO_DATE)
  await setUpPeople(database)
  await database.insert('REPLACE INTO exchange_rates (month, currency, rate) VALUES ?', Object.entries(RATES).flatMap(([month, rates]) => Object.entries(rates).map(([currency, rate]) => [month, currency, rate])))
  const answers = new Answers()
  const lines = await loadBills(parts, answers)
  await writeFile(join(spoolFolder, '..', 'demo-answers.json'), JSON.stringify(answers.toJson(), null, 1))
  say(`${lines} charge lines taken in`)
  const rulebook = demoRulebook()
  await saveDraft(database, rulebook, 0, ACCOUNTANT)
  await publish(database, rulebook, ACCOUNTANT, 'Team tags, whole sub accounts and five pools')
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

/** Writes each demo file and has it taken in, the next being written while the one before is read. */
async function loadBills({ database, spoolFolder, readLoad, say }: DemoParts, answers: Answers): Promise<number> {
  await mkdir(spoolFolder, { recursive: true })
  const resources = allResources()
  const files = demoFiles()
  let reading: Promise<void> = Promise.resolve()
  let lines = 0
  for (const [index, { provider, month }] of files.entries()) {
    const path = join(spoolFolder, randomUUID())
    const stream = createWriteStream(path)
    const digest = createHash('sha256')
    let bytes = 0
    for (const piece of demoFile(provider, month, resources, (charge) => { lines++; answers.note(provider, month, charge) })) {
      digest.update(piece)
      bytes += Buffer.byteLength(piece)
      if (!stream.write(piece)) await once(stream, 'drain')
    }
    stream.end()
    await once(stream, 'finish')
    const loadId = await addLoad(database, `${PROVIDERS[provider]!.name.toLowerCase().replace(' ', '-')}-${month}.csv`, path, digest.digest('hex'), bytes, ACCOUNTANT)
    await reading
    reading = readLoad(loadId).then(async () => {
      const load = await findLoad(database, loadId)
      if (load?.state !== 'taken') throw new Error(`the demo file ${load?.fileName} was not taken: ${load?.message ?? ''}`)
    })
    reading.catch(() => {})
    if (index % 15 === 14) say(`demo bills: ${index + 1} of ${files.length} files`)
  }
  await reading
  return lines
}

/** Empties the ledger: bills, rules, organisation, rates and runs go; people who can sign in stay. */
export async function clearDemo(database: Database): Promise<void> {
  await writeSetting(database, 'demo', 'clearing')
  for (const table of ['charges', 'bill_sums', 'bill_days', 'run_outcomes', 'run_cells', 'run_weights', 'run_rates', 'run_bills']) await database.run(`TRUNCATE TABLE ${table}`)
  for (const table of ['bills', 'load_findings', 'loads', 'runs', 'rulebook_draft', 'rulebook_versions', 'charge_keys', 'charge_details', 'charge_periods', 'exchange_rates', 'periods', 'column_maps', 'user_centres', 'cost_centres', 'business_units']) await database.run(`DELETE FROM ${table}`)
  await writeSetting(database, 'today', null)
  await writeSetting(database, 'demo', 'cleared')
}
