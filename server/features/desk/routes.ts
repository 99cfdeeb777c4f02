import { Type } from 'typebox'
import { emptyRulebook } from '../../../core/types.ts'
import { isField } from '../../../core/charges/attributes.ts'
import type { App } from '../../app.ts'
import { invalid, Refusal } from '../../refusal.ts'
import { STAFF, viewerOf } from '../../viewer.ts'
import { MonthAndBasis, Basis, Month } from '../schemas.ts'
import { latestRulebook } from '../rulebook/store.ts'
import { readFigures } from './figures.ts'
import { readMovements } from './movements.ts'
import { readTasks } from './tasks.ts'

export function deskRoutes(app: App): void {
  const { database, ledger } = app
  app.get('/api/desk', { schema: { querystring: MonthAndBasis } }, async (request) => {
    const viewer = viewerOf(request)
    const { month, basis } = request.query
    // figures that cannot be told (a rate is missing) must not hide what there is to do about it
    const told = readFigures(database, month, basis, viewer).then((figures) => ({ figures, problem: '' }), (error: unknown) => {
      if (!(error instanceof Refusal)) throw error
      return { figures: null, problem: error.message }
    })
    const [answer, tasks] = await Promise.all([told, viewer.centres ? [] : readTasks(database, ledger, month)])
    return { ...answer, tasks }
  })

  app.get('/api/desk/movements', { config: { roles: STAFF }, schema: { querystring: MonthAndBasis } }, (request) => readMovements(database, request.query.month, request.query.basis))

  app.get('/api/desk/top', { config: { roles: STAFF }, schema: { querystring: Type.Object({ month: Month, basis: Basis, by: Type.String({ maxLength: 300 }) }) } }, async (request) => {
    const { month, basis, by } = request.query
    if (!isField(by)) throw invalid(`${by} is no attribute of a charge.`)
    const rulebook = (await latestRulebook(database))?.rulebook ?? emptyRulebook()
    return { values: (await ledger.values({ month, rulebook, field: by, text: '', basis })).slice(0, 15) }
  })
}
