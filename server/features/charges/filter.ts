import { readFilter, type KeyFilter } from '../../../core/workings/keyFilter.ts'
import type { FigureRef } from '../../../core/workings/workings.ts'
import type { Params } from '../../db/database.ts'
import { invalid, Refusal } from '../../refusal.ts'
import type { Viewer } from '../../viewer.ts'

const COLUMNS: Record<keyof KeyFilter, string> = { kind: 'r.kind', target: 'r.target', provider: 'k.provider', service: 'k.service', rule: 'r.rule', key: 'r.key_id' }

/** The filter as a condition on run_keys r joined with charge_keys k. Columns come from a fixed list, values are bound. */
export function filterSql(runId: number, filter: KeyFilter): { where: string; params: Params } {
  const names = (Object.keys(COLUMNS) as (keyof KeyFilter)[]).filter((name) => filter[name] !== undefined)
  return { where: ['r.run_id = ?', ...names.map((name) => `${COLUMNS[name]} = ?`)].join(' AND '), params: [runId, ...names.map((name) => filter[name]!)] }
}

/** The filter of a `keys` reference; an owner gets only direct cost of the own cost centres. */
export function filterOf(ref: FigureRef, viewer: Viewer): KeyFilter {
  const filter = ref.kind === 'keys' ? readFilter(ref.parts) : null
  if (!filter) throw invalid('This figure is not made of charge lines alone.')
  const isOwn = filter.kind === 'direct' && viewer.centres?.includes(filter.target ?? '')
  if (viewer.centres && !isOwn) throw new Refusal(403, 'OUT_OF_SCOPE', 'These charges are not among those you may see.')
  return filter
}
