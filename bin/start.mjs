#!/usr/bin/env node
// Starts everything: what is missing is installed, built and prepared; then the program runs until Ctrl-C.
import { spawn } from 'node:child_process'
import { existsSync, mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { createServer } from 'node:net'
import { join } from 'node:path'
import { startMariadb } from './lib/mariadb.mjs'
import { needPackages } from './lib/packages.mjs'
import { DATA, needBuild, needDependencies, ROOT } from './lib/project.mjs'
import { say, stop } from './lib/say.mjs'

const port = Number(process.env.ABACUS_PORT ?? 7180)
const host = process.env.ABACUS_HOST ?? '127.0.0.1'
const lock = join(DATA, 'server.json')
const ownDatabase = !process.env.ABACUS_DATABASE_URL

function refuseTwice() {
  if (!existsSync(lock)) return
  const { pid, address } = JSON.parse(readFileSync(lock, 'utf8'))
  try {
    if (readFileSync(`/proc/${pid}/cmdline`, 'utf8').includes('start.mjs')) stop(`Candid Abacus is already running at ${address} (process ${pid}). Stop it there first, or start a second one with ABACUS_DATA and ABACUS_PORT set to other values.`)
  } catch {
    say('a former program did not stop cleanly; its lock is removed')
  }
  rmSync(lock, { force: true })
}

const isTaken = () => new Promise((done) => {
  const probe = createServer().once('error', ({ code }) => done(code)).listen(port, host, () => probe.close(() => done(null)))
})

mkdirSync(DATA, { recursive: true })
refuseTwice()
const taken = await isTaken()
if (taken === 'EADDRINUSE') stop(`Port ${port} is taken by another program. Stop that program, or choose another port: ABACUS_PORT=${port + 1} npm start`)
if (taken) stop(`The address ${host}:${port} cannot be used (${taken}).`)
if (ownDatabase) needPackages('mariadb')
needDependencies()
needBuild()
writeFileSync(lock, JSON.stringify({ pid: process.pid, address: `http://${host}:${port}` }))
let database = ownDatabase ? await startMariadb(DATA) : null
if (database) say('MariaDB is up')
const server = spawn(process.execPath, ['--enable-source-maps', join(ROOT, 'dist/server/server.js')], {
  cwd: ROOT, stdio: ['ignore', 'inherit', 'inherit', 'ipc'], detached: true,
  env: { ...process.env, ABACUS_DATA: DATA, ABACUS_DATABASE_URL: process.env.ABACUS_DATABASE_URL ?? database.url },
})
let isStopping = false

/** A database that dies is started again; the server reconnects by itself. */
if (database) {
  let isRestarting = false
  setInterval(async () => {
    if (isStopping || isRestarting || database.isAlive()) return
    isRestarting = true
    say('MariaDB has stopped; starting it again')
    database = await startMariadb(DATA)
    isRestarting = false
  }, 1_000).unref()
}
let wasReady = false
server.on('message', () => { wasReady = true; say('ready') })
server.on('exit', async (code) => {
  if (database) await database.stop()
  rmSync(lock, { force: true })
  // one that never came up has said why
  if (!isStopping && code && wasReady) console.error('The server has stopped. What was acknowledged is in the database; start again with npm start.')
  process.exit(isStopping ? 0 : (code ?? 1))
})
for (const signal of ['SIGINT', 'SIGTERM', 'SIGHUP']) {
  process.on(signal, () => {
    if (isStopping) return
    isStopping = true
    console.log('\nstopping')
    server.kill('SIGTERM')
    setTimeout(() => server.kill('SIGKILL'), 10_000).unref()
  })
}
