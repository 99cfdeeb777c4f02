import { onScopeDispose, ref, shallowRef, watch, type Ref, type ShallowRef } from 'vue'
import { useRoute } from 'vue-router'

export interface Answer<T> {
  data: ShallowRef<T | null>
  error: Ref<Error | null>
  isLoading: Ref<boolean>
  again: () => Promise<void>
}

/** Asks whenever the question changes; an answer that comes late, to a question no longer asked, is ignored. */
export function useAnswer<Question, T>(question: () => Question | null, ask: (question: Question, signal: AbortSignal) => Promise<T>, { keep = true } = {}): Answer<T> {
  const data = shallowRef<T | null>(null)
  const error = ref<Error | null>(null)
  const isLoading = ref(false)
  const route = useRoute()
  let controller = new AbortController()
  async function run(asked: Question | null): Promise<void> {
    controller.abort()
    const own = (controller = new AbortController())
    if (asked === null) {
      data.value = null
      isLoading.value = false
      return
    }
    isLoading.value = true
    if (!keep) data.value = null
    try {
      const answer = await ask(asked, own.signal)
      if (own.signal.aborted) return
      data.value = answer
      error.value = null
    } catch (failure) {
      if (!own.signal.aborted) error.value = failure as Error
    } finally {
      if (!own.signal.aborted) isLoading.value = false
    }
  }
  // every answer may have amounts in it, and those are told in the currency of the address
  watch(() => JSON.stringify([question(), route.query.currency ?? '']), () => void run(question()), { immediate: true })
  onScopeDispose(() => controller.abort())
  return { data, error, isLoading, again: () => run(question()) }
}
