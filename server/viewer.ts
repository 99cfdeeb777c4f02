import type { FastifyRequest } from 'fastify'
import { Refusal } from './refusal.ts'

export type Role = 'accountant' | 'controller' | 'owner' | 'administrator'

/** Who is asking. `centres` is the scope that every query of money applies: null is everything. */
export interface Viewer {
  id: number
  login: string
  name: string
  role: Role
  centres: string[] | null
}

declare module 'fastify' {
  interface Session { viewer?: Viewer }
  interface FastifyContextConfig { open?: boolean; roles?: readonly Role[] }
}

/** Everybody but an owner. */
export const STAFF: readonly Role[] = ['accountant', 'controller', 'administrator']
/** Those who may change bills, rules and runs. */
export const KEEPERS: readonly Role[] = ['accountant', 'administrator']

export function viewerOf(request: FastifyRequest): Viewer {
  const { viewer } = request.session
  if (!viewer) throw new Refusal(401, 'NOT_SIGNED_IN', 'Sign in first.')
  return viewer
}

/** Refuses a cost centre outside the viewer's scope, in words that do not tell whether it exists. */
export function needCentre(viewer: Viewer, code: string): void {
  if (viewer.centres && !viewer.centres.includes(code)) throw new Refusal(403, 'OUT_OF_SCOPE', `Cost centre ${code} is not among those you may see.`)
}
