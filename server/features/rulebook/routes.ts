import { isDeepStrictEqual } from 'node:util'
import { Type } from 'typebox'
import { checkRulebook } from '../../../core/classify/checkRulebook.ts'
import type { Rulebook } from '../../../core/types.ts'
import type { App } from '../../app.ts'
import { audit } from '../../audit.ts'
import { conflict, invalid, notFound } from '../../refusal.ts'
import { KEEPERS, STAFF, viewerOf } from '../../viewer.ts'
import { readCentres } from '../organisation/store.ts'
import { latestRulebook, listVersions, publish, readDraft, rulebookVersion, saveDraft, type RulebookVersion } from './store.ts'
import { RulebookSchema } from './schema.ts'

const Large = { bodyLimit: 32 << 20 }

const isOther = (rulebook: Rulebook, latest: RulebookVersion | null): boolean => !isDeepStrictEqual(rulebook, latest?.rulebook)

export function rulebookRoutes(app: App): void {
  const { database } = app
  const keepers = { config: { roles: KEEPERS } }
  const staff = { config: { roles: STAFF } }

  app.get('/api/rulebook', staff, async () => {
    const [draft, latest] = await Promise.all([readDraft(database), latestRulebook(database)])
    return { draft, latest: latest?.version ?? 0, isChanged: isOther(draft.rulebook, latest), problems: checkRulebook(draft.rulebook, await readCentres(database)) }
  })

  app.put('/api/rulebook/draft', { ...keepers, ...Large, schema: { body: Type.Object({ revision: Type.Integer({ minimum: 0 }), rulebook: RulebookSchema }) } }, async (request) => {
    const { revision, rulebook } = request.body
    const { name } = viewerOf(request)
    await database.transaction(async (queries) => {
      if (await saveDraft(queries, rulebook, revision, name)) return
      const { changedBy, changedAt } = await readDraft(queries)
      throw conflict(`${changedBy} saved the draft at ${changedAt.slice(11, 16)} UTC, after you opened it. Your change was not saved over it.`, { changedBy, changedAt })
    })
    return { revision: revision === 0 ? 1 : revision + 1, problems: checkRulebook(rulebook, await readCentres(database)), isChanged: isOther(rulebook, await latestRulebook(database)) }
  })

  app.post('/api/rulebook/publish', { ...keepers, schema: { body: Type.Object({ revision: Type.Integer({ minimum: 0 }), note: Type.String({ minLength: 1, maxLength: 1000 }) }) } }, async (request) => {
    const { revision, note } = request.body
    const { name } = viewerOf(request)
    const version = await database.transaction(async (queries) => {
      const draft = await readDraft(queries)
      if (draft.revision !== revision) throw conflict(`${draft.changedBy} has changed the draft since you looked at its effect. Look again, then publish.`)
      const problems = checkRulebook(draft.rulebook, await readCentres(queries))
      if (problems.length > 0) throw invalid(`The rulebook cannot be published yet: ${problems[0]!.message}`, { problems })
      const number = await publish(queries, draft.rulebook, name, note)
      await audit(queries, name, 'rulebook published', String(number), { note })
      return number
    })
    return { version }
  })

  app.get('/api/rulebook/versions', staff, async () => ({ versions: await listVersions(database) }))

  app.get('/api/rulebook/versions/:version', { ...staff, schema: { params: Type.Object({ version: Type.Integer({ minimum: 1 }) }) } }, async (request) => {
    const found = await rulebookVersion(database, request.params.version)
    if (!found) throw notFound(`Version ${request.params.version} of the rulebook`)
    return found
  })
}
