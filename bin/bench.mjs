#!/usr/bin/env node
// npm run bench -- [--charges N] [--keys N] [--pod-hours N] [--only ROW,ROW] [--json FILE]
import { spawnSync } from 'node:child_process'
import { existsSync, readFileSync } from 'node:fs'
import { join } from 'node:path'
import { startMariadb } from './lib/mariadb.mjs'
import { needPackages } from './lib/packages.mjs'
import { DATA, needBuild, needDependencies, ROOT } from './lib/project.mjs'

if (!process.env.ABACUS_DATABASE_URL) needPackages('mariadb')
needDependencies()
needBuild()
const isServed = existsSync(join(DATA, 'server.json')) && existsSync(`/proc/${JSON.parse(readFileSync(join(DATA, 'server.json'), 'utf8')).pid}`)
const database = process.env.ABACUS_DATABASE_URL ? null : await startMariadb(DATA)
const done = spawnSync(process.execPath, ['--enable-source-maps', join(ROOT, 'dist/server/bench.js'), ...process.argv.slice(2)], {
  stdio: 'inherit', env: { ...process.env, ABACUS_DATA: DATA, ABACUS_DATABASE_URL: process.env.ABACUS_DATABASE_URL ?? database.url },
})
if (database && !isServed) await database.stop()
process.exit(done.status ?? 1)
