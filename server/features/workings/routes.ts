import { Type } from 'typebox'
import type { ClusterLevel } from '../../../core/kubernetes/clusterView.ts'
import type { FigureRef, Workings } from '../../../core/workings/workings.ts'
import type { App } from '../../app.ts'
import { notFound } from '../../refusal.ts'
import { viewerOf } from '../../viewer.ts'
import { readFigureRef } from '../charges/routes.ts'
import { latestRulebook } from '../rulebook/store.ts'
import { writeWorkings } from './write.ts'

export function workingsRoutes(app: App): void {
  app.get('/api/workings', { schema: { querystring: Type.Object({ figure: Type.String({ minLength: 1, maxLength: 2_000 }) }) } }, (request) => {
    const ref = readFigureRef(request.query.figure)
    const viewer = viewerOf(request)
    return ref.kind === 'cluster' && viewer.centres === null ? clusterFigure(app, ref) : writeWorkings(app.database, ref, viewer)
  })
}

/** A place in a metered cluster: its parts are levels and values in turn. */
async function clusterFigure({ database, ledger }: App, { month, basis, parts }: FigureRef): Promise<Workings> {
  const published = await latestRulebook(database)
  if (!published) throw notFound('A published rulebook')
  const path = parts.flatMap((level, index) => (index % 2 === 0 ? [{ level: level as ClusterLevel, value: parts[index + 1] ?? '' }] : []))
  return ledger.clusterWorkings({ month, basis, path, rulebook: published.rulebook })
}
