import { onScopeDispose, ref, shallowReactive, shallowRef, watch, type Ref, type ShallowRef } from 'vue'
import { useRoute } from 'vue-router'

/** Answers on the page that were given for another month, basis or currency than the address names, until theirs come. */
export const staleAnswers = shallowReactive(new Set<symbol>())

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
  const own = Symbol()
  const place = (): string => JSON.stringify([route.query.month, route.query.basis, route.query.currency])
  let answeredAt = ''
  let controller = new AbortController()
  function put(answer: T | null): void {
    data.value = answer
    staleAnswers.delete(own)
  }
  async function run(asked: Question | null): Promise<void> {
    controller.abort()
    const { signal } = (controller = new AbortController())
    if (asked === null) {
      put(null)
      isLoading.value = false
      return
    }
    isLoading.value = true
    const at = place()
    if (!keep) put(null)
    else if (data.value !== null && at !== answeredAt) staleAnswers.add(own)
    try {
      const answer = await ask(asked, signal)
      if (signal.aborted) return
      put(answer)
      answeredAt = at
      error.value = null
    } catch (failure) {
      if (signal.aborted) return
      // what was there may stay beside the error, but not under the name of another month, basis or currency
      if (at !== answeredAt) put(null)
      error.value = failure as Error
    } finally {
      if (!signal.aborted) isLoading.value = false
    }
  }
  // every answer may have amounts in it, and those are told in the currency of the address
  watch(() => JSON.stringify([question(), route.query.currency ?? '']), () => void run(question()), { immediate: true })
  onScopeDispose(() => {
    controller.abort()
    staleAnswers.delete(own)
  })
  return { data, error, isLoading, again: () => run(question()) }
}
