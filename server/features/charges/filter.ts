import { readFilter, type KeyFilter } from '../../../core/workings/keyFilter.ts'
import type { FigureRef } from '../../../core/workings/workings.ts'
import { invalid, Refusal } from '../../refusal.ts'
import type { Viewer } from '../../viewer.ts'

/** The filter of a `keys` reference; an owner gets only direct cost of the own cost centres. */
export function filterOf(ref: FigureRef, viewer: Viewer): KeyFilter {
  const filter = ref.kind === 'keys' ? readFilter(ref.parts) : null
  if (!filter) throw invalid('This figure is not made of charge lines alone.')
  const isOwn = filter.kind === 'direct' && viewer.centres?.includes(filter.target ?? '')
  if (viewer.centres && !isOwn) throw new Refusal(403, 'OUT_OF_SCOPE', 'These charges are not among those you may see.')
  return filter
}
