import { defineStore } from 'pinia'
import { computed, ref } from 'vue'
import type { FrameState } from '../../server/features/session/state.ts'
import type { Viewer } from '../../server/viewer.ts'
import { get, send, setToken, whenSignedOut } from '../api/client.ts'

interface SessionAnswer { viewer: Viewer | null; csrf: string; state: FrameState | null }

/** Who is signed in, and what the frame of every page shows. */
export const useSession = defineStore('session', () => {
  const viewer = ref<Viewer | null>(null)
  const state = ref<FrameState | null>(null)
  const isKnown = ref(false)
  /** grows when something that the balance line depends on has changed */
  const changes = ref(0)

  function take(answer: SessionAnswer): void {
    viewer.value = answer.viewer
    state.value = answer.state
    setToken(answer.csrf)
    isKnown.value = true
  }
  whenSignedOut(() => { viewer.value = null })

  const refresh = async (): Promise<void> => { take(await get<SessionAnswer>('/api/session')); changes.value++ }
  const signIn = async (login: string, password: string): Promise<void> => {
    if (!isKnown.value) await refresh()
    take(await send<SessionAnswer>('POST', '/api/session', { login, password }))
  }
  const signOut = async (): Promise<void> => {
    await send('DELETE', '/api/session')
    await refresh()
  }
  const isStaff = computed(() => viewer.value !== null && viewer.value.role !== 'owner')
  const isKeeper = computed(() => viewer.value?.role === 'accountant' || viewer.value?.role === 'administrator')
  const canClose = computed(() => viewer.value?.role === 'controller' || viewer.value?.role === 'administrator')
  return { viewer, state, isKnown, changes, isStaff, isKeeper, canClose, refresh, signIn, signOut }
})
