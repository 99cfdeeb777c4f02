import { useDebounceFn } from '@vueuse/core'
import { ref, shallowRef, watch } from 'vue'
import type { Rulebook } from '../../core/types.ts'
import { send } from '../api/client.ts'
import { useDraft } from '../stores/draft.ts'
import { useAnswer, type Answer } from './useAnswer.ts'
import { usePlace } from './usePlace.ts'

const PAUSE = 80

/** An answer about the draft in hand in the month in hand, asked again a moment after each edit; null: nothing to ask yet. */
export function useDraftAnswer<T>(path: string, more: () => Record<string, unknown> | null = () => ({})): Answer<T> {
  const draft = useDraft()
  const { month } = usePlace()
  const rulebook = shallowRef<Rulebook | null>(draft.rulebook)
  const follow = useDebounceFn(() => { rulebook.value = draft.rulebook }, PAUSE)
  watch(() => draft.rulebook, follow)
  const extra = ref(more())
  watch(more, (value) => { extra.value = value }, { deep: true })
  return useAnswer(() => (rulebook.value && extra.value ? { month: month.value, rulebook: rulebook.value, ...extra.value } : null), (question, signal) => send<T>('POST', path, question, signal))
}
