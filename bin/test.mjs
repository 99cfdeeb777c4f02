#!/usr/bin/env node
// All tests from nothing (`-- --journeys`: the browser journeys alone): packages, dependencies, build, type check, lint, Jest against a private MariaDB, browser journeys.
import { spawn, spawnSync } from 'node:child_process'
import { existsSync, mkdirSync, readFileSync, rmSync } from 'node:fs'
import { createServer } from 'node:net'
import { join } from 'node:path'
import { needPackages } from './lib/packages.mjs'
import { needBuild, needDependencies, ROOT } from './lib/project.mjs'
import { say } from './lib/say.mjs'
import { startMariadb } from './lib/mariadb.mjs'

const folder = join(ROOT, 'data', 'test')
let passed = 0
let failed = 0

/** Runs a step that passes or fails as one. */
function step(name, command, args) {
  say(name)
  const done = spawnSync(command, args, { cwd: ROOT, encoding: 'utf8', stdio: ['ignore', 'pipe', 'pipe'], env: { ...process.env, NODE_OPTIONS: '' } })
  if (done.status === 0) return void passed++
  failed++
  console.log(done.stdout.slice(-8000), done.stderr.slice(-4000))
}

const bin = (name) => join(ROOT, 'node_modules', '.bin', name)
const freePort = () => new Promise((done) => { const probe = createServer().listen(0, '127.0.0.1', () => { const { port } = probe.address(); probe.close(() => done(port)) }) })

function jest(url) {
  say('unit and server tests')
  const report = join(folder, 'jest.json')
  const done = spawnSync(process.execPath, ['--experimental-vm-modules', '--disable-warning=ExperimentalWarning', join(ROOT, 'node_modules/jest/bin/jest.js'), '--json', `--outputFile=${report}`], { cwd: ROOT, stdio: ['ignore', 'inherit', 'inherit'], env: { ...process.env, ABACUS_TEST_URL: url } })
  count(done, report, ({ numPassedTests, numFailedTests, numRuntimeErrorTestSuites }) => [numPassedTests, numFailedTests + numRuntimeErrorTestSuites])
}

function count(done, report, read) {
  const [good, bad] = existsSync(report) ? read(JSON.parse(readFileSync(report, 'utf8'))) : [0, 1]
  passed += good
  failed += bad + (done.status !== 0 && bad === 0 ? 1 : 0)
}

async function journeys(url) {
  say('browser journeys: starting the program with the demo')
  const port = await freePort()
  const data = join(folder, 'served')
  mkdirSync(data, { recursive: true })
  const server = spawn(process.execPath, ['--enable-source-maps', join(ROOT, 'dist/server/server.js')], { cwd: ROOT, stdio: ['ignore', 'inherit', 'inherit', 'ipc'], env: { ...process.env, ABACUS_DATA: data, ABACUS_PORT: String(port), ABACUS_DATABASE_URL: url, ABACUS_SIGN_IN_TRIES: '1000' } })
  const ready = await new Promise((done) => { server.once('message', () => done(true)); server.once('exit', () => done(false)) })
  if (!ready) return void failed++
  const report = join(folder, 'journeys.json')
  const done = spawnSync(bin('playwright'), ['test'], { cwd: ROOT, stdio: ['ignore', 'inherit', 'inherit'], env: { ...process.env, ABACUS_URL: `http://127.0.0.1:${port}`, ABACUS_DATA: data, ABACUS_JOURNEYS_REPORT: report } })
  count(done, report, ({ stats }) => [stats.expected, stats.unexpected])
  await new Promise((ended) => { server.once('exit', ended); server.kill('SIGTERM') })
}

function checks() {
  step('type check of core and server', bin('tsc'), ['--noEmit', '-p', 'tsconfig.json'])
  step('type check of the page', bin('vue-tsc'), ['--noEmit', '-p', 'tsconfig.web.json'])
  step('lint', bin('eslint'), ['.', '--max-warnings=0'])
  step('layers', bin('depcruise'), ['core', 'server', 'web', 'demo', 'bench', '--config', '.dependency-cruiser.cjs'])
  step('nothing unused', bin('knip'), [])
}

needPackages('mariadb', 'chromium')
needDependencies()
needBuild()
rmSync(folder, { recursive: true, force: true })
mkdirSync(folder, { recursive: true })
const database = await startMariadb(folder)
const stop = async () => { await database.stop(); rmSync(folder, { recursive: true, force: true }) }
for (const signal of ['SIGINT', 'SIGTERM']) process.on(signal, () => void stop().then(() => process.exit(1)))
if (!process.argv.includes('--journeys')) checks()
if (!process.argv.includes('--journeys')) jest(database.url)
await journeys(database.url)
await stop()
console.log(`\n${passed} passed, ${failed} failed`)
process.exit(failed > 0 ? 1 : 0)
