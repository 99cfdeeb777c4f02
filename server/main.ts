import { randomBytes } from 'node:crypto'
import { buildApp } from './app.ts'
import { openDatabase, type Database } from './db/database.ts'
import { migrate, NewerDatabase } from './db/migrate.ts'
import { repack } from './db/repack.ts'
import { loadDemoOnce } from './demo.ts'
import { PEOPLE } from '../demo/scenario.ts'
import { readSettings } from './settings.ts'
import { readSetting } from './settingsTable.ts'
import { meterStandIn } from './standins/meter.ts'
import { openWorkers } from './workers/pools.ts'

/** Reads the environment, connects, migrates, loads the demo once, listens. Signals end it cleanly. */
async function main(): Promise<void> {
  const settings = readSettings(process.env)
  await migrate(settings.databaseUrl)
  const database = openDatabase(settings.databaseUrl)
  await repack(database)
  const workers = openWorkers(settings.databaseUrl)
  const app = await buildApp({ database, settings, workers, sessionSecret: await sessionSecret(database), standIns: [meterStandIn] })
  let isClosing = false
  const close = async (): Promise<void> => {
    if (isClosing) return
    isClosing = true
    await app.jobs.close()
    app.feeds.close()
    await app.close()
    await workers.close()
    await database.close()
    process.exit(0)
  }
  process.on('SIGINT', () => void close())
  process.on('SIGTERM', () => void close())
  // the start command has died: do not stay behind and hold the port
  process.on('disconnect', () => void close())
  await loadDemoOnce(database, settings, workers)
  await app.jobs.open()
  await app.feeds.open()
  const address = await app.listen({ host: settings.host, port: settings.port })
  console.log(`\n  Candid Abacus is at ${address}\n`)
  if ((await readSetting(database, 'demo')) === 'loaded') {
    console.log('  Sign in to the demo as')
    for (const { login, role } of PEOPLE) console.log(`    ${login.padEnd(8)} ${`${login}-larkmoor`.padEnd(18)} ${role}`)
  }
  console.log('\n  Ctrl-C stops it.\n')
  process.send?.({ ready: address })
}

/** The secret that signs session cookies, made once and kept in the database. */
async function sessionSecret(database: Database): Promise<string> {
  await database.run("INSERT IGNORE INTO settings (name, value) VALUES ('session_secret', ?)", [randomBytes(48).toString('base64url')])
  return (await database.first<{ value: string }>("SELECT value FROM settings WHERE name = 'session_secret'"))!.value
}

const TELL: Record<string, (error: Error & { port?: number }) => string> = {
  EADDRINUSE: ({ port }) => `Port ${port ?? process.env.ABACUS_PORT ?? 7180} is taken by another program. Stop that program, or choose another port: ABACUS_PORT=7181 npm start`,
  ECONNREFUSED: () => 'The database does not answer at ABACUS_DATABASE_URL. Start it, or correct the address.',
  ER_ACCESS_DENIED_ERROR: () => 'The database refuses the user or password of ABACUS_DATABASE_URL.',
  ER_BAD_DB_ERROR: () => 'The database named in ABACUS_DATABASE_URL does not exist. Create it first.',
  ER_DISK_FULL: () => 'The disk of the database is full. Free some space, then start again.',
}

main().catch((error: Error & { code?: string }) => {
  const told = error instanceof NewerDatabase ? error.message : TELL[error.code ?? '']?.(error)
  console.error(told ? `\n${told}\n` : error)
  process.exit(1)
})
