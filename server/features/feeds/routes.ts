import { Type } from 'typebox'
import type { App } from '../../app.ts'
import { audit } from '../../audit.ts'
import { invalid, notFound } from '../../refusal.ts'
import { KEEPERS, STAFF, viewerOf } from '../../viewer.ts'
import { IdParam, Name } from '../schemas.ts'
import { collectFeed } from './collect.ts'
import { scheduleFlaw } from './schedule.ts'
import { addFeed, changeFeed, findFeed, listFeeds } from './store.ts'

const Given = Type.Object({ name: Name, url: Type.String({ maxLength: 1_000 }), schedule: Type.String({ maxLength: 100 }), enabled: Type.Boolean(), nextDay: Type.String({ pattern: '^\\d{4}-(0[1-9]|1[0-2])-(0[1-9]|[12]\\d|3[01])$' }) }, { additionalProperties: false })

/** Meters that are collected on a schedule. */
export function feedRoutes(app: App): void {
  const { database, settings } = app
  const check = ({ url, schedule }: { url: string; schedule: string }): void => {
    if (!/^https?:\/\/[^\s]+$/.test(url) || !URL.canParse(url)) throw invalid(`${url} is no address of a page: it begins with http:// or https://.`)
    const flaw = scheduleFlaw(schedule)
    if (flaw) throw invalid(flaw)
  }
  app.get('/api/feeds', { config: { roles: STAFF } }, async () => ({ feeds: await listFeeds(database) }))

  app.post('/api/feeds', { config: { roles: KEEPERS }, schema: { body: Given } }, async (request) => {
    check(request.body)
    if ((await listFeeds(database)).some(({ name }) => name === request.body.name)) throw invalid(`There is a feed ${request.body.name} already.`)
    const id = await addFeed(database, request.body)
    await audit(database, viewerOf(request).name, 'feed added', request.body.name, request.body)
    return { id }
  })

  app.put('/api/feeds/:id', { config: { roles: KEEPERS }, schema: { params: IdParam, body: Given } }, async (request) => {
    const { id } = request.params
    if (!(await findFeed(database, id))) throw notFound(`Feed ${id}`)
    check(request.body)
    await changeFeed(database, id, request.body)
    await audit(database, viewerOf(request).name, 'feed changed', request.body.name, request.body)
    return { id }
  })

  app.delete('/api/feeds/:id', { config: { roles: KEEPERS }, schema: { params: IdParam } }, async (request) => {
    const { id } = request.params
    await database.run('DELETE FROM feeds WHERE id = ?', [id])
    await audit(database, viewerOf(request).name, 'feed deleted', String(id))
    return { id }
  })

  /** collects what is due now */
  app.post('/api/feeds/:id/collect', { config: { roles: KEEPERS }, schema: { params: IdParam } }, async (request) => {
    const { id } = request.params
    if (!(await findFeed(database, id))) throw notFound(`Feed ${id}`)
    const result = await collectFeed({ database, spoolFolder: settings.spoolFolder, readLoad: app.readLoad }, id)
    return { result }
  })
}
