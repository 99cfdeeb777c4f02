import { verify } from '@node-rs/argon2'
import { Type } from 'typebox'
import type { App } from '../../app.ts'
import { audit } from '../../audit.ts'
import { Refusal } from '../../refusal.ts'
import { findUser } from './store.ts'
import { readState } from './state.ts'

/** A hash that no password has, so that an unknown name takes as long as a wrong password. */
const NOBODY = '$argon2id$v=19$m=19456,t=2,p=1$AAAAAAAAAAAAAAAAAAAAAA$AAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAA'

export function sessionRoutes(app: App): void {
  const { database, settings } = app
  app.get('/api/session', { config: { open: true } }, async (request, reply) => {
    const { viewer } = request.session
    return { viewer: viewer ?? null, csrf: reply.generateCsrf(), state: await readState(database, viewer) }
  })

  app.post('/api/session', {
    config: { open: true, rateLimit: { max: settings.signInTries, timeWindow: '1 minute' } },
    schema: { body: Type.Object({ login: Type.String({ minLength: 1, maxLength: 64 }), password: Type.String({ minLength: 1, maxLength: 200 }) }) },
  }, async (request, reply) => {
    const { login, password } = request.body
    const user = await findUser(database, login)
    const isRight = await verify(user?.passwordHash ?? NOBODY, password).catch(() => false)
    if (!user || !isRight) throw new Refusal(401, 'WRONG_SIGN_IN', 'The name or the password is not right.')
    await request.session.regenerate()
    request.session.viewer = user.viewer
    await audit(database, user.viewer.name, 'sign in', login)
    return { viewer: user.viewer, csrf: reply.generateCsrf(), state: await readState(database, user.viewer) }
  })

  app.delete('/api/session', async (request) => {
    await request.session.destroy()
    return { viewer: null }
  })
}
