import { Type } from 'typebox'
import { isField } from '../../../core/charges/attributes.ts'
import { conditionFlaw, stepFlaw } from '../../../core/classify/checkRulebook.ts'
import { emptyRulebook, type Rule, type Rulebook } from '../../../core/types.ts'
import type { App } from '../../app.ts'
import { invalid, notFound } from '../../refusal.ts'
import { STAFF } from '../../viewer.ts'
import { Basis, Month } from '../schemas.ts'
import { readMonths } from '../periods/store.ts'
import { latestRulebook, readDraft, rulebookVersion } from './store.ts'
import { ConditionSchema, RulebookSchema } from './schema.ts'

/** Months over which rules count as used, and values are shown. */
const MONTHS_LOOKED_AT = 15
const MONTHS_SHOWN = 12
/** Commitments run for up to three years, so the prepaid schedule looks back further. */
const MONTHS_OF_SCHEDULE = 48

/** Figures are computed for what is being typed; rules and steps that are not complete yet do not take part. */
function usable(rulebook: Rulebook): Rulebook {
  const complete = (rule: Rule): Rule => ({ ...rule, enabled: rule.enabled && (rule.conditions.length > 0 || rule.outcome.kind === 'mapped') && rule.conditions.every((condition) => conditionFlaw(condition) === null) })
  return {
    ...rulebook, rules: rulebook.rules.map(complete), classifications: rulebook.classifications.map((one) => ({ ...one, rules: one.rules.map(complete) })),
    cleanUp: rulebook.cleanUp.filter(({ act }) => stepFlaw(act) === null),
  }
}

const Drafted = { month: Month, rulebook: RulebookSchema }
/** the code of a classification; empty for the cost centre */
const Classified = Type.String({ maxLength: 32, default: '' })

/** Money under a draft: computed in the ledger's worker, from what the page has in hand, nothing being saved. */
export function rulebookFigureRoutes(app: App): void {
  const { database, ledger } = app
  const asked = <Body extends ReturnType<typeof Type.Object>>(body: Body) => ({ config: { roles: STAFF }, bodyLimit: 32 << 20, schema: { body } })

  app.post('/api/rulebook/figures', asked(Type.Object({ ...Drafted, classification: Classified })), ({ body }) => ledger.figures({ ...body, rulebook: usable(body.rulebook) }))

  app.post('/api/rulebook/unassigned', asked(Type.Object({ ...Drafted, classification: Classified })), async ({ body }) => ({ groups: await ledger.unassigned({ ...body, rulebook: usable(body.rulebook) }) }))

  app.post('/api/rulebook/health', asked(Type.Object({ ...Drafted, classification: Classified })), ({ body }) => ledger.health({ ...body, rulebook: usable(body.rulebook), months: MONTHS_LOOKED_AT }))

  app.post('/api/rulebook/class-values', asked(Type.Object({ ...Drafted, classification: Classified })), ({ body }) => ledger.classValues({ ...body, rulebook: usable(body.rulebook), months: MONTHS_SHOWN }))

  app.post('/api/rulebook/matrix', asked(Type.Object({ ...Drafted, across: Classified, down: Classified })), ({ body }) => ledger.matrix({ ...body, rulebook: usable(body.rulebook) }))

  app.post('/api/rulebook/methods', asked(Type.Object(Drafted)), ({ body }) => ledger.methods({ ...body, rulebook: usable(body.rulebook) }))

  app.post('/api/rulebook/special', asked(Type.Object({ ...Drafted, basis: Basis })), ({ body }) => ledger.special({ ...body, rulebook: usable(body.rulebook), months: MONTHS_OF_SCHEDULE }))

  app.post('/api/rulebook/clean', asked(Type.Object(Drafted)), ({ body }) => ledger.clean({ ...body, rulebook: usable(body.rulebook) }))

  app.post('/api/rulebook/coverage', asked(Type.Object(Drafted)), async ({ body }) => ({ rows: await ledger.coverage({ ...body, rulebook: usable(body.rulebook), months: MONTHS_LOOKED_AT }) }))

  /** the same under the published rulebook: what Intake shows */
  app.get('/api/intake/coverage', { config: { roles: STAFF }, schema: { querystring: Type.Object({ month: Month }) } }, async ({ query }) => {
    const rulebook = (await latestRulebook(database))?.rulebook ?? emptyRulebook()
    return { rows: rulebook.tagKeys.length > 0 ? await ledger.coverage({ month: query.month, rulebook, months: MONTHS_LOOKED_AT }) : [] }
  })

  app.post('/api/rulebook/resources', asked(Type.Object({ ...Drafted, conditions: Type.Array(ConditionSchema, { maxItems: 20 }), text: Type.String({ maxLength: 200, default: '' }) })), ({ body }) => {
    const flaw = body.conditions.map(conditionFlaw).find((one) => one !== null)
    if (flaw) throw invalid(`The search is not complete: ${flaw}`)
    return ledger.resources({ ...body, rulebook: usable(body.rulebook) })
  })

  app.post('/api/rulebook/test', asked(Type.Object({ ...Drafted, charge: Type.Union([
    Type.Object({ key: Type.Integer({ minimum: 1 }), part: Type.Optional(Type.Integer({ minimum: 0 })) }, { additionalProperties: false }),
    Type.Object({ attributes: Type.Record(Type.String({ maxLength: 300 }), Type.String({ maxLength: 2_000 })) }, { additionalProperties: false }),
  ]) })), async ({ body }) => {
    if ('attributes' in body.charge) {
      const unknown = Object.keys(body.charge.attributes).filter((field) => !isField(field))
      if (unknown.length > 0) throw invalid(`${unknown.slice(0, 3).join(', ')} ${unknown.length > 1 ? 'are' : 'is'} no attribute of a charge.`)
    }
    const found = await ledger.testCharge({ ...body, rulebook: usable(body.rulebook) })
    if (!found) throw notFound(`That charge, or that part of it, in ${body.month}`)
    return found
  })

  app.get('/api/rulebook/charges', { config: { roles: STAFF }, schema: { querystring: Type.Object({ month: Month, text: Type.String({ minLength: 1, maxLength: 200 }) }) } }, async ({ query }) => ({ charges: await ledger.findCharges(query) }))

  app.post('/api/rulebook/effect', asked(Type.Object({ months: Type.Array(Month, { maxItems: 36 }), rulebook: RulebookSchema, against: Type.Optional(Type.Integer({ minimum: 1 })) })), async ({ body }) => {
    const states = new Map((await readMonths(database)).map(({ month, state }) => [month, state]))
    const open = body.months.filter((month) => body.against !== undefined || states.get(month) !== 'closed')
    const before = body.against === undefined ? await latestRulebook(database) : await rulebookVersion(database, body.against)
    if (body.against !== undefined && !before) throw notFound(`Version ${body.against} of the rulebook`)
    const effects = await ledger.effect({ months: open, before: before?.rulebook ?? emptyRulebook(), after: usable(body.rulebook) })
    return { effects, closed: body.months.filter((month) => !open.includes(month)) }
  })

  app.get('/api/rulebook/values', { config: { roles: STAFF }, schema: { querystring: Type.Object({ month: Month, field: Type.String({ minLength: 1, maxLength: 300 }), text: Type.Optional(Type.String({ maxLength: 200 })) }) } }, async ({ query }) =>
    ({ values: await ledger.values({ month: query.month, rulebook: usable((await readDraft(database)).rulebook), field: query.field, text: query.text ?? '' }) }))

  app.get('/api/rulebook/fields', { config: { roles: STAFF }, schema: { querystring: Type.Object({ month: Month }) } }, async ({ query }) =>
    ({ fields: await ledger.fields({ month: query.month, rulebook: usable((await readDraft(database)).rulebook) }) }))
}
