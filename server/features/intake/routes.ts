import { createHash, randomUUID } from 'node:crypto'
import { createWriteStream } from 'node:fs'
import { mkdir, rm } from 'node:fs/promises'
import { basename, join } from 'node:path'
import { Readable, Transform } from 'node:stream'
import { pipeline } from 'node:stream/promises'
import { Type } from 'typebox'
import { isFocusColumn } from '../../../core/charges/focusColumns.ts'
import type { App } from '../../app.ts'
import { audit } from '../../audit.ts'
import { writeRows, writeTable } from '../../csvTable.ts'
import { conflict, invalid, notFound, Refusal } from '../../refusal.ts'
import { KEEPERS, STAFF, viewerOf } from '../../viewer.ts'
import { IdParam, MonthParam } from '../schemas.ts'
import { readCalendar } from './calendar.ts'
import { addLoad, findLoad, listFindings, listLoads, type Load } from './store.ts'
import { emptyReport, endLoad, LoadConflict, takeBills } from './takeLoad.ts'

const FIRST_FINDINGS = 1_000

export function intakeRoutes(app: App): void {
  const { database, jobs, settings } = app
  const keepers = { config: { roles: KEEPERS } }
  const staff = { config: { roles: STAFF } }
  const needLoad = async (id: number): Promise<Load> => {
    const load = await findLoad(database, id)
    if (!load) throw notFound(`Load ${id}`)
    return load
  }

  app.post('/api/loads', keepers, async (request, reply) => {
    const part = await request.file()
    if (!part) throw invalid('No file came with the request. Choose a FOCUS file as CSV, or as CSV compressed with gzip.')
    await mkdir(settings.spoolFolder, { recursive: true })
    const path = join(settings.spoolFolder, randomUUID())
    const hash = createHash('sha256')
    let bytes = 0
    const meter = new Transform({ transform(piece: Buffer, _encoding, done) { hash.update(piece); bytes += piece.length; done(null, piece) } })
    try {
      await pipeline(part.file, meter, createWriteStream(path))
      if (part.file.truncated) throw new Refusal(413, 'FILE_TOO_LARGE', 'The file is larger than 64 GB. Split it by month.')
    } catch (error) {
      await rm(path, { force: true })
      if ((error as { code?: string }).code === 'ENOSPC') throw new Refusal(507, 'DISK_FULL', 'The disk of the server is full; the file was not taken. Free some space and send it again.')
      throw error
    }
    const { name } = viewerOf(request)
    const id = await addLoad(database, basename(part.filename || 'unnamed'), path, hash.digest('hex'), bytes, name)
    await audit(database, name, 'load', String(id), { file: part.filename, bytes })
    jobs.start(id)
    reply.code(202)
    return { id }
  })

  app.get('/api/loads', { ...staff, schema: { querystring: Type.Object({ before: Type.Integer({ default: 2_000_000_000 }), limit: Type.Integer({ minimum: 1, maximum: 500, default: 100 }) }) } }, async (request) =>
    ({ loads: await listLoads(database, request.query.before, request.query.limit) }))

  app.get('/api/loads/:id', { ...staff, schema: { params: IdParam } }, async (request) => ({ load: await needLoad(request.params.id) }))

  app.get('/api/loads/:id/findings', { ...staff, schema: { params: IdParam } }, async (request) => ({ findings: await listFindings(database, request.params.id, 0, FIRST_FINDINGS) }))

  app.get('/api/loads/:id/findings.csv', { ...staff, schema: { params: IdParam } }, async (request, reply) => {
    const { id } = request.params
    await needLoad(id)
    reply.header('content-disposition', `attachment; filename="refused-lines-of-load-${id}.csv"`).type('text/csv; charset=utf-8')
    return reply.send(Readable.from(findingTexts(id)))
  })

  async function* findingTexts(id: number): AsyncGenerator<string> {
    yield writeTable(['line', 'rule', 'column', 'value', 'reason'], [])
    for (let after = 0; ;) {
      const findings = await listFindings(database, id, after, 5_000)
      if (findings.length === 0) return
      yield writeRows(findings.map(({ line, rule, column, value, reason }) => [String(line), rule, column, value, reason]))
      after = findings.at(-1)!.seq
    }
  }
  app.post('/api/loads/:id/confirm', { ...keepers, schema: { params: IdParam } }, async (request) => {
    const { id } = request.params
    if ((await needLoad(id)).state !== 'confirming') throw conflict('This load is not waiting for a confirmation.')
    try {
      await takeBills(database, id)
    } catch (error) {
      if (error instanceof LoadConflict) throw conflict(error.message)
      throw error
    }
    await audit(database, viewerOf(request).name, 'load confirmed', String(id))
    return { load: await needLoad(id) }
  })

  app.post('/api/loads/:id/discard', { ...keepers, schema: { params: IdParam } }, async (request) => {
    const load = await needLoad(request.params.id)
    if (load.state !== 'confirming') throw conflict('This load is not waiting for a confirmation.')
    await endLoad(database, load.id, 'cancelled', 'Discarded before it was confirmed; nothing was taken.', load.report ?? emptyReport())
    await audit(database, viewerOf(request).name, 'load discarded', String(load.id))
    return { load: await needLoad(load.id) }
  })

  app.post('/api/loads/:id/cancel', { ...keepers, schema: { params: IdParam } }, async (request) => {
    const { id } = request.params
    await needLoad(id)
    await database.run("UPDATE loads SET cancel_asked = TRUE WHERE id = ? AND state IN ('waiting', 'reading')", [id])
    return { load: await needLoad(id) }
  })

  app.post('/api/loads/:id/map', {
    ...keepers, schema: { params: IdParam, body: Type.Object({ provider: Type.String({ minLength: 1, maxLength: 200 }), columns: Type.Record(Type.String({ maxLength: 200 }), Type.String({ maxLength: 64 })) }) },
  }, async (request) => {
    const { id } = request.params
    const { provider, columns } = request.body
    const load = await needLoad(id)
    if (load.state !== 'refused' || !load.report?.mapping) throw conflict('The columns of this load cannot be mapped any more. Load the file again.')
    const bad = Object.values(columns).find((target) => !isFocusColumn(target))
    if (bad) throw invalid(`${bad} is no column of the standard.`)
    const name = viewerOf(request).name
    await database.transaction(async (queries) => {
      await queries.insert('REPLACE INTO column_maps (provider, source_column, target_column) VALUES ?', Object.entries(columns).map(([source, target]) => [provider, source, target]))
      await queries.run("UPDATE loads SET state = 'waiting', message = NULL, report = NULL, finished_at = NULL WHERE id = ?", [id])
      await audit(queries, name, 'columns mapped', provider, columns)
    })
    jobs.start(id)
    return { load: await needLoad(id) }
  })

  app.get('/api/intake/calendar/:month', { ...staff, schema: { params: MonthParam } }, async (request) => ({ providers: await readCalendar(database, request.params.month) }))
}
