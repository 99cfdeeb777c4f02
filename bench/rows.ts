import { createHash } from 'node:crypto'
import { copyFile, readdir, readFile } from 'node:fs/promises'
import { join } from 'node:path'
import { gzipSync } from 'node:zlib'
import { addMonths } from '../core/calendar/month.ts'
import { TAG_FIELD } from '../core/charges/attributes.ts'
import { classify } from '../core/classify/evaluate.ts'
import { KeyTable } from '../core/classify/keyTable.ts'
import { emptyRulebook, type Condition, type KeyFigures, type Rule, type Rulebook } from '../core/types.ts'
import { buildApp } from '../server/app.ts'
import { openDatabase, type Database } from '../server/db/database.ts'
import { migrate } from '../server/db/migrate.ts'
import { addLoad, findLoad } from '../server/features/intake/store.ts'
import { saveCentre, saveUnit } from '../server/features/organisation/store.ts'
import { publish } from '../server/features/rulebook/store.ts'
import { projectRoot } from '../server/paths.ts'
import { openWorkers } from '../server/workers/pools.ts'
import { BILL_COLUMNS, METER_FILE_COLUMNS, rawLoad } from './anchors.ts'
import { benchAttributes, FIRST, writeBenchFile } from './benchFile.ts'
import type { BenchResult } from './main.ts'
import { writeMeterFile } from './meterBenchFile.ts'

/** keys of the row of rules, whatever the bench file has */
const KEYS = 40_000
const RULES = 200

interface BenchTask { url: string; charges: number; keys: number; podHours: number; folder: string; only: string[] | null }
interface Bench { database: Database; url: string; workers: ReturnType<typeof openWorkers>; folder: string }

const seconds = async (work: () => Promise<unknown>): Promise<number> => {
  const begun = performance.now()
  await work()
  return (performance.now() - begun) / 1000
}
const median = async (times: number, work: () => Promise<unknown>): Promise<number> => {
  const all: number[] = []
  for (let time = 0; time < times; time++) all.push(await seconds(work))
  return all.sort((a, b) => a - b)[times >> 1]!
}
const result = (row: string, charges: number, own: number, anchor: number | null, goal: string, holds: (ratio: number) => boolean): BenchResult => {
  const ratio = anchor === null ? null : own / anchor
  return { row, charges, seconds: own, anchorSeconds: anchor, ratio, goal, holds: holds(ratio ?? own) }
}

/** A fresh database beside the one in use, with 400 cost centres and a rulebook of 200 rules. */
async function prepare(base: string, folder: string): Promise<Bench> {
  const url = base.replace(/\/[^/]+$/, '/abacus_bench')
  const root = openDatabase(base, 1)
  await root.run('DROP DATABASE IF EXISTS abacus_bench')
  await root.run('CREATE DATABASE abacus_bench CHARACTER SET utf8mb4')
  await root.close()
  await migrate(url)
  const database = openDatabase(url)
  await saveUnit(database, { code: 'B', name: 'Bench', owner: '' })
  for (let code = 0; code < RULES; code++) await saveCentre(database, { code: `C${code}`, name: `Centre ${code}`, unit: 'B', owner: '', ledgerAccount: '', validFrom: null, validTo: null })
  await publish(database, benchRulebook(), 'bench', 'bench')
  return { database, url, workers: openWorkers(url), folder }
}

/**
 * 200 rules as real rulebooks mix them: every one wants a team or an application, and beside it a service, a region, an
 * account, a machine type, an environment, a part of a resource name or a pattern, or the absence of something.
 */
function benchRulebook(): Rulebook {
  const besides: ((index: number) => Condition[])[] = [
    (index) => [{ field: 'ServiceName', operator: 'beginsWith', values: [`Service ${index % 6}`] }],
    (index) => [{ field: 'RegionId', operator: 'is', values: [`region-${index % 12}`, `region-${(index + 5) % 12}`] }],
    (index) => [{ field: 'ResourceName', operator: 'contains', values: [`-${index % 10}`, `${index % 7}${index % 5}`] }],
    () => [{ field: 'tag:environment', operator: 'isNot', values: ['test'] }, { field: 'CommitmentDiscountId', operator: 'absent', values: [] }],
    (index) => [{ field: 'SubAccountId', operator: 'matches', values: [`^sub-(${index % 20}|${(index + 7) % 20})$`] }],
    (index) => [{ field: 'SkuId', operator: 'notBeginsWith', values: [`sku-${index % 9}`] }, { field: 'tag:managed-by', operator: 'present', values: [] }],
    () => [],
    (index) => [{ field: 'ResourceId', operator: 'notContains', values: [`/${index}`] }, { field: 'ChargeCategory', operator: 'is', values: ['Usage'] }],
  ]
  const rules = Array.from({ length: RULES }, (_, index): Rule => {
    const who: Condition = index % 3 === 2 ? { field: 'tag:application', operator: 'beginsWith', values: [`app-${index}`] } : { field: 'tag:team', operator: 'is', values: [`team-${index}`, `team-${index + 200}`] }
    return {
      id: `r${index}`, name: `Rule ${index}`, enabled: true, from: null, to: null, conditions: [who, ...besides[index % besides.length]!(index)],
      outcome: index % 25 === 24 ? { kind: 'pool', code: 'SHARED' } : { kind: 'costCentre', code: `C${index}` },
    }
  })
  return { ...emptyRulebook(), rules, pools: [{ code: 'SHARED', name: 'Shared', base: { kind: 'direct' }, recipients: [] }] }
}

/** A condition as SQL with the same meaning, a missing field being NULL. */
function sqlOf({ field, operator, values }: Condition): string {
  const name = field.startsWith(TAG_FIELD) ? `JSON_VALUE(Tags, '$."${field.slice(TAG_FIELD.length)}"')` : `\`${field}\``
  const quoted = (text: string): string => `'${text.replaceAll("'", "''")}'`
  const any = (test: (value: string) => string): string => `(${values.map(test).join(' OR ')})`
  const not = (test: string): string => `(${name} IS NULL OR NOT ${test})`
  const tests: Record<Condition['operator'], () => string> = {
    is: () => `${name} IN (${values.map(quoted).join(', ')})`, isNot: () => not(tests.is()),
    contains: () => any((value) => `${name} LIKE ${quoted(`%${value}%`)}`), notContains: () => not(tests.contains()),
    beginsWith: () => any((value) => `${name} LIKE ${quoted(`${value}%`)}`), notBeginsWith: () => not(tests.beginsWith()),
    matches: () => any((value) => `${name} REGEXP ${quoted(value)}`), notMatches: () => not(tests.matches()),
    atLeast: () => any((value) => `${name} + 0 >= ${value}`), below: () => any((value) => `${name} + 0 < ${value}`),
    present: () => `${name} IS NOT NULL`, absent: () => `${name} IS NULL`,
  }
  return tests[operator]()
}

/** Waits, a minute at most, until the database no longer writes out what was done before, so that it does not weigh on what is timed next. */
async function quiet(database: Database): Promise<void> {
  let before = ''
  for (let tries = 0; tries < 60; tries++) {
    const { Value: flushed } = (await database.first<{ Value: string }>("SHOW GLOBAL STATUS LIKE 'Innodb_buffer_pool_pages_flushed'"))!
    if (flushed === before) return
    before = flushed
    await new Promise((done) => setTimeout(done, 1_000))
  }
}

async function takeIn({ database, workers }: Bench, path: string): Promise<number> {
  const id = await addLoad(database, path, path, createHash('sha256').update(path).digest('hex'), 0, 'bench')
  const own = await seconds(() => workers.readLoad(id))
  const load = await findLoad(database, id)
  if (load?.state !== 'taken') throw new Error(`the bench file was not taken: ${load?.message ?? ''}`)
  return own
}

export async function* benchRows({ url: base, charges, keys, podHours, folder, only }: BenchTask): AsyncGenerator<BenchResult> {
  const wants = (row: string): boolean => only === null || only.includes(row)
  if (wants('rules')) yield await rulesRow(base)
  if (['intake', 'allocate', 'open', 'effect', 'clusters'].some(wants)) {
    const bench = await prepare(base, folder)
    const path = join(folder, 'charges.csv')
    const bytes = await writeBenchFile(path, charges, keys)
    console.log(`${charges} lines, ${Math.round(bytes / charges)} bytes a line, ${keys} keys, ${RULES} rules`)
    await quiet(bench.database)
    const own = await takeIn(bench, path)
    const copy = path + '.copy'
    if (wants('intake')) await writeBenchFile(copy, charges, keys)
    await quiet(bench.database)
    const anchor = wants('intake') ? await rawLoad(bench.url, copy, BILL_COLUMNS) : null
    await quiet(bench.database)
    if (anchor !== null) yield result('intake', charges, own, anchor, 'at most 0.4 x a raw LOAD DATA of the same file (2.5 times as fast)', (ratio) => ratio <= 0.4)
    if (wants('allocate')) yield await allocateRow(bench, charges)
    if (wants('open')) yield await openRow(bench, charges)
    if (wants('effect')) yield await effectRow(bench, charges)
    if (wants('clusters')) yield* clusterRows(bench, podHours)
    await bench.workers.close()
    await bench.database.close()
  }
  if (wants('growth')) yield* growthRows(base, folder, charges, keys)
  if (wants('page')) yield await pageRow()
}

/** 200 rules over 40 000 keys, encoding included, against a generated SQL CASE over the same keys. */
async function rulesRow(base: string): Promise<BenchResult> {
  const keys = Array.from({ length: KEYS }, (_, id): KeyFigures => {
    const { Tags, ...columns } = benchAttributes(id)
    // as they arrive from the database
    const tags = Object.entries(JSON.parse(Tags!) as Record<string, string>).map(([name, value]) => [`tag:${name}`, value])
    return { id: id + 1, attributes: JSON.parse(JSON.stringify({ ...columns, ...Object.fromEntries(tags) })) as Record<string, string>, lines: 1, amounts: { billed: 0n, effective: 0n } }
  })
  const { rules } = benchRulebook()
  let ruleOf: Int32Array = new Int32Array()
  const own = await median(5, async () => { ruleOf = classify(rules, new KeyTable(keys), FIRST).ruleOf })
  const root = openDatabase(base, 1)
  // the keys as the standard shapes them: a column an attribute, the tags as JSON
  const fields = [...new Set(rules.flatMap(({ conditions }) => conditions.map(({ field }) => field)))].filter((field) => !field.startsWith(TAG_FIELD))
  await root.run(`CREATE TEMPORARY TABLE bench_keys (id INT PRIMARY KEY, ${fields.map((field) => `\`${field}\` VARCHAR(100) COLLATE utf8mb4_bin NULL`).join(', ')}, Tags TEXT NOT NULL)`)
  await root.insert('INSERT INTO bench_keys VALUES ?', keys.map(({ id, attributes }) => [id, ...fields.map((field) => attributes[field] ?? null), benchAttributes(id - 1).Tags!]))
  const sql = `SELECT id, CASE ${rules.map((rule, index) => `WHEN ${rule.conditions.map(sqlOf).join(' AND ')} THEN ${index}`).join(' ')} ELSE -1 END AS rule FROM bench_keys ORDER BY id`
  let rows: { rule: number }[] = []
  const anchor = await median(3, async () => { rows = await root.rows<{ rule: number }>(sql) })
  await root.close()
  if (rows.some(({ rule }, index) => Number(rule) !== ruleOf[index])) throw new Error('SQL and the rules do not agree')
  return result('rules', KEYS, own, anchor, 'at least 15 times as fast as a generated SQL CASE, same answer', (ratio) => ratio <= 1 / 15)
}

async function allocateRow({ database, workers }: Bench, charges: number): Promise<BenchResult> {
  const month = addMonths(FIRST, 5)
  await workers.ledger.fields({ month: FIRST })
  // as on a server that people have been using: its code compiled
  await median(20, () => workers.ledger.run({ month, user: 'bench' }))
  const own = await median(9, () => workers.ledger.run({ month, user: 'bench' }))
  const bill = (await database.first<{ id: number }>("SELECT id FROM bills WHERE month = ? AND state = 'current'", [month]))!
  const anchor = await median(5, () => database.rows('SELECT key_id, SUM(billed_cost), SUM(effective_cost) FROM charges WHERE bill_id = ? GROUP BY key_id', [bill.id]))
  return result('allocate', charges, own, anchor, 'whole run at most 2 x reading the charges of the month once, summed per key', (ratio) => ratio <= 2)
}

/** A month's metering of one cluster: to its taken days, and what it adds to a run; the first run divides the nodes, later ones find them divided. */
async function* clusterRows(bench: Bench, podHours: number): AsyncGenerator<BenchResult> {
  const { database, workers, folder } = bench
  const month = addMonths(FIRST, 5)
  const run = (): Promise<unknown> => workers.ledger.run({ month, user: 'bench' })
  // the engine has compiled what a run uses before one is timed
  await median(5, run)
  const before = await median(5, run)
  const path = join(folder, 'metering.csv')
  const hours = await writeMeterFile(path, month, podHours)
  const copy = path + '.copy'
  await copyFile(path, copy)
  await quiet(database)
  const own = await takeIn(bench, path)
  await quiet(database)
  yield result('metering', hours, own, await rawLoad(bench.url, copy, METER_FILE_COLUMNS), 'metering at most 2 x a raw LOAD DATA of the same file', (ratio) => ratio <= 2)
  yield result('divide', hours, await seconds(run), null, 'the first run after new metering, nodes divided: under 10 s', (time) => time < 10)
  yield result('allocate+', hours, await median(5, run), before, 'a run with the cluster at most 2 x one without it', (ratio) => ratio <= 2)
}

async function openRow(bench: Bench, charges: number): Promise<BenchResult> {
  const { database, workers } = bench
  const month = addMonths(FIRST, 5)
  await workers.ledger.run({ month, user: 'bench' })
  const { app, cookie, token } = await signedIn(bench)
  const figure = `keys~${month}~effective~kind=direct~target=C0`
  const body = { figure, path: [], limit: 100 }
  const ask = async (): Promise<void> => {
    const reply = await app.inject({ method: 'POST', url: '/api/charges/lines', payload: body, headers: { cookie, 'csrf-token': token } })
    if (reply.statusCode !== 200 || (reply.json() as { lines: unknown[] }).lines.length === 0) throw new Error(`the figure does not open: ${reply.body}`)
  }
  // as on a server that people have been using: its code compiled, the run's outcome at hand
  await median(40, ask)
  const own = await median(25, ask)
  const key = (await database.first<{ bill_id: number; key_id: number }>('SELECT c.bill_id, c.key_id FROM charges c JOIN bills b ON b.id = c.bill_id WHERE b.month = ? LIMIT 1', [month]))!
  const explained = await database.rows<{ type: string; table: string }>('EXPLAIN SELECT * FROM charges WHERE bill_id IN (?) AND key_id IN (?) ORDER BY key_id, bill_id, line LIMIT 100', [[key.bill_id], [key.key_id]])
  if (explained.some(({ type }) => type === 'ALL' || type === 'index')) throw new Error('opening a figure scans')
  const rows = Array.from({ length: 100 }, (_, index) => index)
  const anchor = await median(25, () => database.rows('SELECT * FROM charges WHERE bill_id = ? AND key_id >= ? ORDER BY key_id, line LIMIT ?', [key.bill_id, key.key_id, rows.length]))
  await app.close()
  return result('open', charges, own, anchor, 'at most 5 x reading 100 rows of one month by primary key, no scan', (ratio) => ratio <= 5)
}

/** The effect of a draft on one month, over HTTP, a rule being typed: what follows the typing. */
async function effectRow(bench: Bench, charges: number): Promise<BenchResult> {
  const { app, cookie, token } = await signedIn(bench)
  const rulebook = benchRulebook()
  let typed = 0
  const ask = async (): Promise<void> => {
    const rules = rulebook.rules.map((rule, index): Rule => (index === 7 ? { ...rule, conditions: [{ field: 'tag:team', operator: 'beginsWith', values: [`team-${++typed}`] }] } : rule))
    const reply = await app.inject({ method: 'POST', url: '/api/rulebook/effect', payload: { months: [addMonths(FIRST, 5)], rulebook: { ...rulebook, rules } }, headers: { cookie, 'csrf-token': token } })
    if (reply.statusCode !== 200) throw new Error(reply.body)
  }
  await ask()
  const own = await median(7, ask)
  await app.close()
  return result('effect', charges, own, null, 'the effect of a draft follows the typing: under 1 s with 40 000 keys', (seconds) => seconds < 1)
}

async function signedIn({ database, url, workers }: Bench): Promise<{ app: Awaited<ReturnType<typeof buildApp>>; cookie: string; token: string }> {
  const { hash } = await import('@node-rs/argon2')
  await database.run('INSERT IGNORE INTO users (login, name, role, password_hash) VALUES (?, ?, ?, ?)', ['bench', 'Bench', 'accountant', await hash('bench')])
  const app = await buildApp({ database, workers, settings: { databaseUrl: url, host: '127.0.0.1', port: 0, spoolFolder: 'data/spool', signInTries: 100 }, sessionSecret: 'x'.repeat(40), logLevel: 'error' })
  const first = await app.inject({ url: '/api/session' })
  const cookieOf = (reply: typeof first): string => reply.cookies.map(({ name, value }) => `${name}=${value}`).join('; ')
  const entered = await app.inject({ method: 'POST', url: '/api/session', payload: { login: 'bench', password: 'bench' }, headers: { cookie: cookieOf(first), 'csrf-token': (first.json() as { csrf: string }).csrf } })
  return { app, cookie: cookieOf(entered), token: (entered.json() as { csrf: string }).csrf }
}

/** Intake and allocation at a quarter, half and all of the charges with the same keys: each against its own smallest. */
async function* growthRows(base: string, folder: string, charges: number, keys: number): AsyncGenerator<BenchResult> {
  let smallest: { intake: number; allocate: number } | null = null
  for (const part of [4, 2, 1]) {
    const size = Math.round(charges / part)
    const bench = await prepare(base, folder)
    const path = join(folder, `growth-${size}.csv`)
    await writeBenchFile(path, size, keys)
    const intake = await takeIn(bench, path)
    await bench.workers.ledger.fields({ month: FIRST })
    const allocate = await median(3, () => bench.workers.ledger.run({ month: FIRST, user: 'bench' }))
    await bench.workers.close()
    await bench.database.close()
    smallest ??= { intake, allocate }
    const growth = 4 / part
    yield result(`growth-in ${growth}x`, size, intake, smallest.intake * growth, 'intake grows no faster than the charges', (ratio) => ratio <= 1.15)
    yield result(`growth-al ${growth}x`, size, allocate, smallest.allocate * growth, 'allocation grows no faster than the charges', (ratio) => ratio <= 1.15)
  }
}

/** JavaScript of the first page, packed. */
async function pageRow(): Promise<BenchResult> {
  const folder = join(projectRoot(), 'dist/web')
  const page = await readFile(join(folder, 'index.html'), 'utf8')
  const first = new Set([...page.matchAll(/assets\/[\w.-]+\.js/g)].map(([name]) => name))
  const desk = (await readdir(join(folder, 'assets'))).filter((name) => /^(DeskPage|PageHead|FigureButton|runtime-core|attributes)/.test(name) && name.endsWith('.js'))
  for (const name of desk) first.add(`assets/${name}`)
  let bytes = 0
  for (const name of first) bytes += gzipSync(await readFile(join(folder, name))).length
  return { row: 'page', charges: 0, seconds: bytes / 1000, anchorSeconds: null, ratio: null, goal: `JavaScript of the first page under 250 kB packed (kB in the column of seconds)`, holds: bytes < 250_000 }
}
