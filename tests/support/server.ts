import { mkdtemp, rm } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { hash } from '@node-rs/argon2'
import { buildApp, type App } from '../../server/app.ts'
import { openDatabase, type Database } from '../../server/db/database.ts'
import { migrate } from '../../server/db/migrate.ts'
import { saveDriver } from '../../server/features/drivers/store.ts'
import type { Load } from '../../server/features/intake/store.ts'
import { saveCentre, saveUnit } from '../../server/features/organisation/store.ts'
import { openWorkers } from '../../server/workers/pools.ts'
import { DRIVERS, driverQuantities } from '../../demo/drivers.ts'
import { NETWORKS } from '../../demo/network.ts'
import { CENTRES, PEOPLE, RATES, UNITS } from '../../demo/scenario.ts'

export interface Reply<T> { status: number; body: T; text: string; headers: Record<string, unknown> }

/** Somebody with a browser: keeps the cookie and the token. */
export class Client {
  private cookie = ''
  private token = ''

  constructor(private readonly app: App) {}

  async signIn(login: string): Promise<this> {
    this.take(await this.ask<{ csrf: string }>('GET', '/api/session'))
    this.take(await this.ask<{ csrf: string }>('POST', '/api/session', { login, password: `${login}-larkmoor` }))
    return this
  }

  forgetToken(): void { this.token = '' }
  private take({ body }: Reply<{ csrf: string }>): void { this.token = body.csrf }

  async ask<T>(method: 'GET' | 'POST' | 'PUT' | 'DELETE', url: string, payload?: unknown, headers: Record<string, string> = {}): Promise<Reply<T>> {
    const reply = await this.app.inject({ method, url, headers: { cookie: this.cookie, 'csrf-token': this.token, ...headers }, ...(payload === undefined ? {} : { payload: payload as string }) })
    if (reply.cookies.length > 0) this.cookie = reply.cookies.map(({ name, value }) => `${name}=${value}`).join('; ')
    const isJson = String(reply.headers['content-type']).includes('json')
    return { status: reply.statusCode, body: (isJson ? reply.json() : undefined) as T, text: reply.body, headers: reply.headers }
  }

  async get<T>(url: string): Promise<T> { return (await this.ask<T>('GET', url)).body }

  /** Sends a file and waits until it is no longer being read. */
  async load(name: string, content: string | Buffer): Promise<Load> {
    const boundary = 'boundary-of-the-test'
    const payload = Buffer.concat([Buffer.from(`--${boundary}\r\nContent-Disposition: form-data; name="file"; filename="${name}"\r\nContent-Type: text/csv\r\n\r\n`), Buffer.from(content), Buffer.from(`\r\n--${boundary}--\r\n`)])
    const { body, status, text } = await this.ask<{ id: number }>('POST', '/api/loads', payload, { 'content-type': `multipart/form-data; boundary=${boundary}` })
    if (status !== 202) throw new Error(`the file was not accepted: ${text}`)
    return this.settled(body.id)
  }

  async settled(id: number): Promise<Load> {
    for (let tries = 0; tries < 600; tries++) {
      const { load } = await this.get<{ load: Load }>(`/api/loads/${id}`)
      if (load.state !== 'waiting' && load.state !== 'reading') return load
      await new Promise((done) => setTimeout(done, 50))
    }
    throw new Error(`load ${id} does not end`)
  }
}

export interface TestServer { app: App; database: Database; client(): Client; accountant: Client; close(): Promise<void> }

let serial = 0

/** A server on an empty database of its own, with the demo's people, organisation and rates but no bills. */
export async function openServer(): Promise<TestServer> {
  const base = process.env.ABACUS_TEST_URL
  if (!base) throw new Error('ABACUS_TEST_URL is not set: run npm test')
  const name = `abacus_t${process.env.JEST_WORKER_ID ?? '0'}_${process.pid}_${++serial}`
  const url = base.replace(/\/[^/]+$/, `/${name}`)
  const root = openDatabase(base, 1)
  await root.run(`CREATE DATABASE ${name} CHARACTER SET utf8mb4`)
  await migrate(url)
  const database = openDatabase(url, 4)
  await fill(database)
  const spoolFolder = await mkdtemp(join(tmpdir(), 'abacus-spool-'))
  const workers = openWorkers(url, 1)
  const app = await buildApp({ database, workers, sessionSecret: 'secret-of-the-test-'.repeat(3), logLevel: 'fatal', settings: { databaseUrl: url, host: '127.0.0.1', port: 0, spoolFolder, signInTries: 40 } })
  return {
    app, database, client: () => new Client(app), accountant: await new Client(app).signIn('aldous'),
    async close() {
      await app.close()
      await workers.close()
      await database.close()
      await root.run(`DROP DATABASE ${name}`)
      await root.close()
      await rm(spoolFolder, { recursive: true, force: true })
    },
  }
}

async function fill(database: Database): Promise<void> {
  for (const unit of UNITS) await saveUnit(database, unit)
  for (const centre of CENTRES) await saveCentre(database, centre)
  for (const { login, name, role, centres } of PEOPLE) {
    await database.run('INSERT INTO users (login, name, role, password_hash) VALUES (?, ?, ?, ?)', [login, name, role, await hash(`${login}-larkmoor`, { memoryCost: 8, timeCost: 1 })])
    for (const centre of centres) await database.run('INSERT INTO user_centres (user_id, cost_centre) SELECT id, ? FROM users WHERE login = ?', [centre, login])
  }
  await database.insert('INSERT INTO exchange_rates (month, currency, rate) VALUES ?', Object.entries(RATES).flatMap(([month, rates]) => Object.entries(rates).map(([currency, rate]) => [month, currency, rate])))
  for (const driver of DRIVERS) await saveDriver(database, driver)
  await database.insert('INSERT INTO driver_values (driver, month, target, quantity) VALUES ?', driverQuantities().map(({ driver, month, target, quantity }) => [driver, month, target, quantity]))
  await database.insert('INSERT INTO networks (name, cost_centre) VALUES ?', NETWORKS.flatMap(({ name, centre }) => (centre === null ? [] : [[name, centre]])))
  await database.run("INSERT INTO settings (name, value) VALUES ('currency', 'EUR'), ('today', '2026-11-20')")
}
