import { Type } from 'typebox'
import { isField } from '../../../core/charges/attributes.ts'
import { senderName } from '../../../core/classify/settled.ts'
import { readRef, type FigureRef } from '../../../core/workings/workings.ts'
import type { App } from '../../app.ts'
import { invalid, notFound } from '../../refusal.ts'
import { viewerOf } from '../../viewer.ts'
import { latestRun, type RunRow } from '../allocation/store.ts'
import { rulebookVersion } from '../rulebook/store.ts'
import { filterOf } from './filter.ts'
import { readCharge, readLines, type Cursor } from './store.ts'

const Figure = Type.String({ minLength: 1, maxLength: 2_000 })
const Step = Type.Object({ field: Type.String({ maxLength: 300 }), value: Type.Union([Type.String(), Type.Null()]) }, { additionalProperties: false })

const Path = Type.Array(Step, { maxItems: 10 })
/** key, bill and line of a charge */
const Place = Type.String({ pattern: '^\\d{1,10}\\.\\d{1,10}\\.\\d{1,10}$' })

function placeOf(text: string): Cursor {
  const [key, bill, line] = text.split('.').map(Number)
  return { key: key!, bill: bill!, line: line! }
}

export function readFigureRef(text: string): FigureRef {
  const ref = readRef(text)
  if (!ref) throw invalid('The address of the figure cannot be read. Open the figure again from its page.')
  return ref
}

export function chargeRoutes(app: App): void {
  const { database, ledger } = app
  const needRun = async (month: string): Promise<RunRow> => {
    const run = await latestRun(database, month)
    if (!run) throw notFound(`An allocation run of ${month}`)
    return run
  }

  app.post('/api/charges/lines', {
    schema: { body: Type.Object({ figure: Figure, path: Path, after: Type.Optional(Place), limit: Type.Integer({ minimum: 1, maximum: 500, default: 100 }) }) },
  }, async (request) => {
    const { figure, path, after, limit } = request.body
    const ref = readFigureRef(figure)
    const filter = filterOf(ref, viewerOf(request))
    const run = await needRun(ref.month)
    const only = path.length > 0 ? await ledger.keys({ runId: run.id, filter, path }) : null
    const [{ lines, next }, rulebook] = await Promise.all([
      readLines(database, run.id, filter, ref.basis, after === undefined ? null : placeOf(after), limit, only), rulebookVersion(database, run.version, run.published),
    ])
    const named = lines.map((charge) => Object.assign(charge, { ruleName: senderName(rulebook?.rulebook.rules ?? [], charge.rule) ?? '' }))
    return { lines: named, version: run.version, next: next ? `${next.key}.${next.bill}.${next.line}` : null }
  })

  app.post('/api/charges/line', { schema: { body: Type.Object({ figure: Figure, line: Place }) } }, async (request) => {
    const ref = readFigureRef(request.body.figure)
    const filter = filterOf(ref, viewerOf(request))
    const [run, place] = [await needRun(ref.month), placeOf(request.body.line)]
    const found = await readCharge(database, run.id, filter, place)
    if (!found) throw notFound('A charge line of this figure at that place')
    return { ...found, counted: await ledger.counted({ runId: run.id, key: place.key }) }
  })

  app.post('/api/charges/groups', {
    schema: { body: Type.Object({ figure: Figure, path: Path, by: Type.String({ maxLength: 300 }) }) },
  }, async (request) => {
    const { figure, path, by } = request.body
    if (!isField(by) || path.some(({ field }) => !isField(field))) throw invalid(`${by} is no attribute of a charge.`)
    const ref = readFigureRef(figure)
    const filter = filterOf(ref, viewerOf(request))
    const run = await needRun(ref.month)
    return ledger.group({ runId: run.id, basis: ref.basis, filter, path, by })
  })
}
