import { Type } from 'typebox'
import type { App } from '../../app.ts'
import { audit } from '../../audit.ts'
import { conflict, notFound } from '../../refusal.ts'
import { viewerOf } from '../../viewer.ts'
import { MonthParam } from '../schemas.ts'
import { readStanding } from '../allocation/standing.ts'
import { readMonths } from './store.ts'

export function periodRoutes(app: App): void {
  const { database } = app
  app.put('/api/periods/:month', {
    config: { roles: ['controller', 'administrator'] },
    schema: { params: MonthParam, body: Type.Object({ state: Type.Enum(['open', 'review', 'closed']), reason: Type.String({ maxLength: 1000 }) }) },
  }, async (request) => {
    const { month } = request.params
    const { state, reason } = request.body
    await database.transaction(async (queries) => {
      const period = await queries.first<{ state: string }>('SELECT state FROM periods WHERE month = ? FOR UPDATE', [month])
      if (!period) throw notFound(`The period ${month}`)
      const standing = await readStanding(queries, month)
      if (state === 'closed' && standing.kind !== 'current') throw conflict(`${month} cannot be closed: its allocation ${standing.kind === 'none' ? 'has not been run' : 'is out of date'}. Run it first.`)
      if (period.state === 'closed' && state !== 'closed' && reason.trim() === '') throw conflict('Opening a closed period needs a reason.')
      await queries.run('UPDATE periods SET state = ? WHERE month = ?', [state, month])
      await audit(queries, viewerOf(request).name, `period ${state}`, month, { reason })
    })
    return { months: await readMonths(database) }
  })
}
