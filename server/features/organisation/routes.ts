import { Type } from 'typebox'
import { usesOfCentre } from '../../../core/classify/usesOfCentre.ts'
import type { App } from '../../app.ts'
import { audit } from '../../audit.ts'
import { conflict, invalid, notFound } from '../../refusal.ts'
import { KEEPERS, STAFF, viewerOf } from '../../viewer.ts'
import { Code, MonthOrNull, Name } from '../schemas.ts'
import { latestRulebook, readDraft } from '../rulebook/store.ts'
import { readOrganisation, writeOrganisation } from './csv.ts'
import { centreHasMoney, readCentres, readUnits, saveCentre, saveUnit, visibleCentres } from './store.ts'

const Owner = Type.String({ maxLength: 200 })
const Centre = Type.Object({ code: Code, name: Name, unit: Code, owner: Owner, ledgerAccount: Type.String({ maxLength: 64 }), validFrom: MonthOrNull, validTo: MonthOrNull }, { additionalProperties: false })
const Unit = Type.Object({ code: Code, name: Name, owner: Owner }, { additionalProperties: false })
const CodeParam = Type.Object({ code: Code })

export function organisationRoutes(app: App): void {
  const { database } = app
  app.get('/api/organisation', async (request) => {
    const viewer = viewerOf(request)
    const centres = await visibleCentres(database, viewer)
    const units = await readUnits(database)
    return { units: units.filter(({ code }) => !viewer.centres || centres.some(({ unit }) => unit === code)), centres }
  })

  app.put('/api/organisation/units/:code', { config: { roles: KEEPERS }, schema: { params: CodeParam, body: Unit } }, async (request) => {
    if (request.body.code !== request.params.code) throw invalid('The code in the address and in the business unit differ.')
    await database.transaction(async (queries) => {
      await saveUnit(queries, request.body)
      await audit(queries, viewerOf(request).name, 'business unit', request.body.code, request.body)
    })
    return { ok: true }
  })

  app.put('/api/organisation/centres/:code', { config: { roles: KEEPERS }, schema: { params: CodeParam, body: Centre } }, async (request) => {
    const centre = request.body
    if (centre.code !== request.params.code) throw invalid('The code in the address and in the cost centre differ.')
    if (centre.validFrom && centre.validTo && centre.validFrom > centre.validTo) throw invalid('A cost centre cannot end before it begins.')
    await database.transaction(async (queries) => {
      if (!(await readUnits(queries)).some(({ code }) => code === centre.unit)) throw invalid(`There is no business unit ${centre.unit}.`)
      await saveCentre(queries, centre)
      await audit(queries, viewerOf(request).name, 'cost centre', centre.code, centre)
    })
    return { ok: true }
  })

  app.delete('/api/organisation/centres/:code', { config: { roles: KEEPERS }, schema: { params: CodeParam } }, async (request) => {
    const { code } = request.params
    await database.transaction(async (queries) => {
      if (await centreHasMoney(queries, code)) throw conflict(`Cost centre ${code} has money in past runs, so it cannot be deleted. Retire it from a month instead.`)
      const [draft, published] = await Promise.all([readDraft(queries), latestRulebook(queries)])
      for (const [where, rulebook] of [['the draft', draft.rulebook], ['the published rulebook', published?.rulebook]] as const) {
        const [use, ...more] = rulebook ? usesOfCentre(rulebook, code) : []
        if (use) throw conflict(`Cost centre ${code} is named in ${where}: ${use}${more.length > 0 ? ` and ${more.length} more` : ''}. Take it out there first, or retire the cost centre from a month.`)
      }
      const deleted = await queries.run('DELETE FROM cost_centres WHERE code = ?', [code])
      if (deleted.affectedRows === 0) throw notFound(`Cost centre ${code}`)
      await audit(queries, viewerOf(request).name, 'cost centre deleted', code)
    })
    return { ok: true }
  })

  app.get('/api/organisation.csv', { config: { roles: STAFF } }, async (_request, reply) => {
    reply.header('content-disposition', 'attachment; filename="organisation.csv"').type('text/csv; charset=utf-8')
    return writeOrganisation(await readUnits(database), await readCentres(database))
  })

  app.post('/api/organisation/csv', { config: { roles: KEEPERS }, schema: { body: Type.Object({ csv: Type.String({ maxLength: 5_000_000 }) }) } }, async (request) => {
    const { units, centres } = readOrganisation(request.body.csv)
    await database.transaction(async (queries) => {
      for (const unit of units) await saveUnit(queries, unit)
      for (const centre of centres) await saveCentre(queries, centre)
      await audit(queries, viewerOf(request).name, 'organisation', `${centres.length} cost centres from a file`)
    })
    return { units: units.length, centres: centres.length }
  })
}
