import { createRouter, createWebHistory } from 'vue-router'
import { useSession } from './stores/session.ts'

declare module 'vue-router' {
  interface RouteMeta { staff?: boolean; open?: boolean; title?: string }
}

export interface Chapter { path: string; name: string; key: string; staff: boolean }

/** The chapters in the order of work; only those that have content. */
export const CHAPTERS: Chapter[] = [
  { path: '/desk', name: 'Desk', key: 'd', staff: false },
  { path: '/intake', name: 'Intake', key: 'i', staff: true },
  { path: '/rulebook', name: 'Rulebook', key: 'r', staff: true },
  { path: '/allocation', name: 'Allocation', key: 'a', staff: true },
  { path: '/statements', name: 'Statements', key: 's', staff: false },
]

export const router = createRouter({
  history: createWebHistory(),
  routes: [
    { path: '/', redirect: '/desk' },
    { path: '/sign-in', component: () => import('./pages/session/SignIn.vue'), meta: { open: true, title: 'Sign in' } },
    { path: '/desk', component: () => import('./pages/desk/DeskPage.vue'), meta: { title: 'Desk' } },
    { path: '/intake', component: () => import('./pages/intake/IntakePage.vue'), meta: { staff: true, title: 'Intake' } },
    { path: '/rulebook', component: () => import('./pages/rulebook/RulebookPage.vue'), meta: { staff: true, title: 'Rulebook' } },
    { path: '/allocation', component: () => import('./pages/allocation/AllocationPage.vue'), meta: { staff: true, title: 'Allocation' } },
    { path: '/statements', component: () => import('./pages/statements/StatementsPage.vue'), meta: { title: 'Statements' } },
    { path: '/statements/:scope', component: () => import('./pages/statements/StatementPage.vue'), meta: { title: 'Statement' } },
    { path: '/charges', component: () => import('./pages/charges/ChargesPage.vue'), meta: { title: 'Charge lines' } },
    { path: '/:rest(.*)*', component: () => import('./pages/NotFound.vue'), meta: { title: 'Not found' } },
  ],
})

/** Asks who is signed in; a server that is just starting gets three chances before the sign-in page says that it is away. */
async function knowSession(): Promise<void> {
  for (let tries = 0; tries < 3; tries++) {
    try {
      return await useSession().refresh()
    } catch {
      await new Promise((done) => setTimeout(done, 400 * (tries + 1)))
    }
  }
}

router.beforeEach(async (to) => {
  const session = useSession()
  if (!session.isKnown) await knowSession()
  if (!to.meta.open && !session.viewer) return { path: '/sign-in', query: { to: to.fullPath } }
  if (to.meta.staff && !session.isStaff) return { path: '/desk' }
  return true
})
router.afterEach((to) => { document.title = `${to.meta.title ?? ''} · Candid Abacus` })
