import { Type } from 'typebox'
import { daysOf } from '../../../core/calendar/month.ts'
import { CLUSTER_LEVELS, type ClusterLevel } from '../../../core/kubernetes/clusterView.ts'
import { emptyRulebook } from '../../../core/types.ts'
import type { App } from '../../app.ts'
import { STAFF } from '../../viewer.ts'
import type { MeasuredKind } from '../intake/measuredDays.ts'
import { Basis, Month, MonthParam } from '../schemas.ts'
import { RulebookSchema } from '../rulebook/schema.ts'
import { latestRulebook } from '../rulebook/store.ts'

const Level = Type.String({ maxLength: 300, pattern: `^(${CLUSTER_LEVELS.join('|')}|label:.+)$` })
const Path = Type.Array(Type.Object({ level: Level, value: Type.String({ maxLength: 500 }) }, { additionalProperties: false }), { maxItems: 8 })

/** The days of a cluster or a source of flows as the calendar shows them; amounts are pod hours or gigabytes. */
export interface MeasuredState { kind: MeasuredKind; subject: string; days: { day: string; things: number; amount: number; restated: boolean }[] }

/** Metered clusters: cost and use along any path, under the published rulebook or a draft. */
export function kubernetesRoutes(app: App): void {
  const { database, ledger } = app
  const asked = { config: { roles: STAFF }, bodyLimit: 32 << 20, schema: { body: Type.Object({ month: Month, basis: Basis, path: Path, by: Level, rulebook: Type.Optional(RulebookSchema) }) } }

  app.post('/api/clusters', asked, async ({ body: { month, basis, path, by, rulebook } }) =>
    ledger.clusters({ month, basis, path: path as { level: ClusterLevel; value: string }[], by: by as ClusterLevel, rulebook: rulebook ?? (await latestRulebook(database))?.rulebook ?? emptyRulebook() }))

  app.get('/api/intake/measured/:month', { config: { roles: STAFF }, schema: { params: MonthParam } }, async ({ params: { month } }) => {
    const rows = await database.rows<{ kind: MeasuredKind; subject: string; day: string; things: number; amount: number; restated: number }>(
      `SELECT m.kind, m.subject, m.day, m.things, m.amount, EXISTS (SELECT 1 FROM measured_days o WHERE o.kind = m.kind AND o.subject = m.subject AND o.day = m.day AND o.state = 'replaced') AS restated
       FROM measured_days m WHERE m.day BETWEEN ? AND LAST_DAY(?) AND m.state = 'current' ORDER BY m.kind, m.subject, m.day`, [`${month}-01`, `${month}-01`])
    const known = await database.rows<{ kind: MeasuredKind; subject: string }>("SELECT DISTINCT kind, subject FROM measured_days WHERE state = 'current' ORDER BY kind, subject")
    const of = new Map(rows.map((row) => [`${row.kind} ${row.subject} ${row.day}`, row]))
    const measured = known.map(({ kind, subject }): MeasuredState => ({
      kind, subject, days: daysOf(month).map((day) => { const row = of.get(`${kind} ${subject} ${day}`); return { day, things: row?.things ?? 0, amount: row?.amount ?? 0, restated: Boolean(row?.restated) } }),
    }))
    return { measured }
  })
}
