import { randomUUID } from 'node:crypto'
import { mkdir, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { clearDemo, loadDemo } from '../demo/load.ts'
import { demoNodes, METERED_FROM } from '../demo/clusters.ts'
import { meterFile } from '../demo/metering.ts'
import { flowFile } from '../demo/network.ts'
import { FIRST_MONTH, LAST_MONTH } from '../demo/scenario.ts'
import { monthOfDay, monthsBetween } from '../core/calendar/month.ts'
import { allResources, demoFile, demoFiles } from '../demo/generator.ts'
import { openDatabase, type Database } from './db/database.ts'
import { migrate } from './db/migrate.ts'
import { readSetting } from './settingsTable.ts'
import { readSettings, type Settings } from './settings.ts'
import { openWorkers } from './workers/pools.ts'

type Workers = Pick<ReturnType<typeof openWorkers>, 'ledger' | 'readLoad'>
/** The stand-in answers under the program's own address. */
const meterAddress = ({ host, port }: Settings): string => `http://${host === '0.0.0.0' ? '127.0.0.1' : host}:${port}/standins/meter/metrics`
const say = (text: string): void => console.log(`         ${text}`)

/** Loads the demo on the first start, and again where a former load of it was cut short. */
export async function loadDemoOnce(database: Database, settings: Settings, workers: Workers): Promise<void> {
  const state = await readSetting(database, 'demo')
  if (state === 'loaded' || state === 'cleared') return
  if (state === null && (await database.first('SELECT 1 FROM loads LIMIT 1'))) return
  if (state !== null) await clearDemo(database)
  say('loading the demo data: Larkmoor Weather Cooperative, 15 months')
  await loadDemo({ database, spoolFolder: settings.spoolFolder, meterAddress: meterAddress(settings), readLoad: workers.readLoad, runMonth: (month, user) => workers.ledger.run({ month, user }), say })
}

async function writeFiles(folder: string): Promise<void> {
  await mkdir(folder, { recursive: true })
  const resources = allResources()
  for (const { provider, month } of demoFiles()) await writeFile(join(folder, `${provider}-${month}.csv`), [...demoFile(provider, month, resources)].join(''))
  const nodes = demoNodes(resources)
  for (const month of monthsBetween(FIRST_MONTH, LAST_MONTH)) await writeFile(join(folder, `flows-${month}.csv`), [...flowFile(month)].join(''))
  for (const month of monthsBetween(monthOfDay(METERED_FROM), LAST_MONTH)) await writeFile(join(folder, `metering-${month}.csv`), [...meterFile(nodes, month)].join(''))
  say(`the files are in ${folder}`)
}

/** `demo clear`, `demo load`, `demo files FOLDER` */
export async function demoCommand([command, folder]: string[]): Promise<void> {
  if (command === 'files') return writeFiles(folder ?? join('data', `demo-files-${randomUUID().slice(0, 8)}`))
  const settings = readSettings(process.env)
  await migrate(settings.databaseUrl)
  const database = openDatabase(settings.databaseUrl)
  const workers = openWorkers(settings.databaseUrl)
  try {
    await clearDemo(database)
    say('the ledger is empty')
    if (command === 'load') await loadDemo({ database, spoolFolder: settings.spoolFolder, meterAddress: meterAddress(settings), readLoad: workers.readLoad, runMonth: (month, user) => workers.ledger.run({ month, user }), say })
  } finally {
    await workers.close()
    await database.close()
  }
}
