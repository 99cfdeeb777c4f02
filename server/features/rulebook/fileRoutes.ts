import { Type } from 'typebox'
import { checkRulebook } from '../../../core/classify/checkRulebook.ts'
import type { App } from '../../app.ts'
import { audit } from '../../audit.ts'
import { conflict, invalid } from '../../refusal.ts'
import { KEEPERS, STAFF, viewerOf } from '../../viewer.ts'
import { Code, MonthOrNull, Name } from '../schemas.ts'
import { readCentres, readUnits, saveCentre, saveUnit } from '../organisation/store.ts'
import { latestRulebook, readDraft, saveDraft } from './store.ts'
import { RulebookSchema } from './schema.ts'

const Closed = { additionalProperties: false }
const Text = Type.String({ maxLength: 200 })

/** Rules and organisation as one file. The schema is published beside it. */
export const RulebookFile = Type.Object({
  format: Type.Literal('candid-abacus/rulebook'), edition: Type.Literal(1),
  organisation: Type.Object({
    units: Type.Array(Type.Object({ code: Code, name: Name, owner: Text }, Closed), { maxItems: 10_000 }),
    centres: Type.Array(Type.Object({ code: Code, name: Name, unit: Code, owner: Text, ledgerAccount: Type.String({ maxLength: 64 }), validFrom: MonthOrNull, validTo: MonthOrNull }, Closed), { maxItems: 20_000 }),
  }, Closed),
  rulebook: RulebookSchema,
}, { ...Closed, $id: 'rulebook.schema.json', title: 'Rules and organisation of Candid Abacus' })

export function rulebookFileRoutes(app: App): void {
  const { database } = app

  app.get('/api/rulebook.schema.json', { config: { roles: STAFF } }, (_request, reply) => reply.header('content-disposition', 'attachment; filename="rulebook.schema.json"').type('application/schema+json').send(JSON.stringify(RulebookFile, null, 2)))

  app.get('/api/rulebook.json', { config: { roles: STAFF }, schema: { querystring: Type.Object({ of: Type.Enum(['draft', 'published'], { default: 'draft' }) }) } }, async ({ query }, reply) => {
    const [units, centres, draft, latest] = await Promise.all([readUnits(database), readCentres(database), readDraft(database), latestRulebook(database)])
    const rulebook = query.of === 'draft' ? draft.rulebook : (latest?.rulebook ?? draft.rulebook)
    return reply.header('content-disposition', 'attachment; filename="rulebook.json"').type('application/json').send(JSON.stringify({ format: 'candid-abacus/rulebook', edition: 1, organisation: { units, centres }, rulebook }, null, 2))
  })

  app.post('/api/rulebook/file', { config: { roles: KEEPERS }, bodyLimit: 64 << 20, attachValidation: true, schema: { body: Type.Object({ revision: Type.Integer({ minimum: 0 }), file: RulebookFile }, Closed) } }, async (request) => {
    if (request.validationError) throw invalid(placeOfError(request.validationError.validation ?? []))
    const { revision, file: { organisation, rulebook } } = request.body
    const { name } = viewerOf(request)
    const units = new Set(organisation.units.map(({ code }) => code))
    const homeless = organisation.centres.find(({ unit }) => !units.has(unit))
    if (homeless) throw invalid(`The file was not taken: cost centre ${homeless.code} is in the business unit ${homeless.unit}, which the file does not have.`)
    return database.transaction(async (queries) => {
      for (const unit of organisation.units) await saveUnit(queries, unit)
      for (const centre of organisation.centres) await saveCentre(queries, centre)
      if (!(await saveDraft(queries, rulebook, revision, name))) throw conflict('Somebody else has saved the draft since you opened it. Nothing of the file was taken: open the rulebook again, then take the file.')
      await audit(queries, name, 'rulebook file taken', String(revision + 1), { rules: rulebook.rules.length, centres: organisation.centres.length })
      return { revision: revision === 0 ? 1 : revision + 1, rules: rulebook.rules.length, centres: organisation.centres.length, problems: checkRulebook(rulebook, await readCentres(queries)) }
    })
  })
}

interface Flaw { instancePath: string; message?: string | undefined; keyword: string; params: Record<string, unknown> }

/** Where a file is not as its schema wants it, in words. Of several forms a part may have, the one that came furthest is meant. */
function placeOfError(flaws: readonly Flaw[]): string {
  const telling = flaws.filter(({ keyword }) => keyword !== 'const' && keyword !== 'anyOf')
  const deepest = [...(telling.length > 0 ? telling : flaws)].sort((a, b) => b.instancePath.split('/').length - a.instancePath.split('/').length)[0]
  const place = deepest?.instancePath.replace(/^\/file\/?/, '').replaceAll('/', ' › ') || 'its outermost level'
  const extra = deepest?.params.additionalProperty ?? deepest?.params.missingProperty
  return `The file was not taken, and nothing was changed. At ${place}: ${deepest?.message ?? 'it is not as the schema wants it'}${typeof extra === 'string' && !deepest?.message?.includes(extra) ? ` (${extra})` : ''}.`
}
