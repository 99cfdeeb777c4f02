import { Type } from 'typebox'
import type { App } from '../../app.ts'
import { viewerOf } from '../../viewer.ts'
import { readFigureRef } from '../charges/routes.ts'
import { writeWorkings } from './write.ts'

export function workingsRoutes(app: App): void {
  app.get('/api/workings', { schema: { querystring: Type.Object({ figure: Type.String({ minLength: 1, maxLength: 2_000 }) }) } }, (request) =>
    writeWorkings(app.database, readFigureRef(request.query.figure), viewerOf(request)))
}
