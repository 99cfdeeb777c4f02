#!/usr/bin/env node
// npm run demo:clear, npm run demo:load, npm run demo:files -- FOLDER
import { spawnSync } from 'node:child_process'
import { existsSync, readFileSync } from 'node:fs'
import { join } from 'node:path'
import { startMariadb } from './lib/mariadb.mjs'
import { needPackages } from './lib/packages.mjs'
import { DATA, needBuild, needDependencies, ROOT } from './lib/project.mjs'

const needsDatabase = process.argv[2] !== 'files' && !process.env.ABACUS_DATABASE_URL
needDependencies()
needBuild()
if (needsDatabase) needPackages('mariadb')
const isServed = existsSync(join(DATA, 'server.json')) && existsSync(`/proc/${JSON.parse(readFileSync(join(DATA, 'server.json'), 'utf8')).pid}`)
const database = needsDatabase ? await startMariadb(DATA) : null
const done = spawnSync(process.execPath, [join(ROOT, 'dist/server/demoMain.js'), ...process.argv.slice(2)], {
  cwd: process.cwd(), stdio: 'inherit', env: { ...process.env, ABACUS_DATA: DATA, ABACUS_DATABASE_URL: process.env.ABACUS_DATABASE_URL ?? database?.url },
})
if (database && !isServed) await database.stop()
process.exit(done.status ?? 1)
