import { computed } from 'vue'
import { useRoute, useRouter, type LocationQueryRaw } from 'vue-router'
import type { Basis } from '../../core/types.ts'
import { useSession } from '../stores/session.ts'

/** Where the page stands: month, basis and open figure, all in the address, so that reload, back and links return to it. */
export function usePlace() {
  const route = useRoute()
  const router = useRouter()
  const session = useSession()
  const months = computed(() => session.state?.months ?? [])
  const month = computed(() => {
    const asked = String(route.query.month ?? '')
    if (/^\d{4}-\d{2}$/.test(asked)) return asked
    return months.value.at(-1)?.month ?? (session.state?.today ?? new Date().toISOString()).slice(0, 7)
  })
  const basis = computed<Basis>(() => (route.query.basis === 'billed' || route.query.basis === 'effective' ? route.query.basis : (session.state?.basis ?? 'effective')))
  /** what amounts are read in: the reporting currency, or another that there are rates for */
  const currency = computed(() => (typeof route.query.currency === 'string' && /^[A-Z]{3}$/.test(route.query.currency) ? route.query.currency : (session.state?.currency ?? '')))
  const figure = computed(() => (typeof route.query.figure === 'string' ? route.query.figure : null))

  /** Changes parts of the address; undefined removes one. Figures opened one after the other are steps that back undoes. */
  const go = (change: LocationQueryRaw, { replace = false } = {}): void => {
    // before the first page is there, a change of the query alone would lead to the start
    void router.isReady().then(() => {
      const query = { ...route.query, ...change }
      return replace ? router.replace({ query }) : router.push({ query })
    })
  }
  const openFigure = (ref: string | null): void => go({ figure: ref ?? undefined })
  /** Another page at the same month and basis. */
  const linkTo = (path: string, query: LocationQueryRaw = {}) => {
    const [name, text = ''] = path.split('?')
    return { path: name!, query: { month: month.value, basis: route.query.basis, currency: route.query.currency, ...Object.fromEntries(new URLSearchParams(text)), ...query } }
  }
  return { route, month, months, basis, currency, figure, go, openFigure, linkTo }
}
