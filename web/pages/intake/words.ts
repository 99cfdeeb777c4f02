import type { Load, LoadState } from '../../../server/features/intake/store.ts'

export const STATE_WORDS: Record<LoadState, string> = {
  waiting: 'waiting', reading: 'reading', confirming: 'to be confirmed', taken: 'taken', unchanged: 'changed nothing', refused: 'refused', cancelled: 'cancelled', failed: 'failed',
}
export const isAtWork = ({ state }: Load): boolean => state === 'waiting' || state === 'reading'
