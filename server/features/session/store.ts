import type { SessionStore } from '@fastify/session'
import type { Session } from 'fastify'
import type { Database } from '../../db/database.ts'
import type { Role, Viewer } from '../../viewer.ts'

/** Sessions live in the database, so that any server of several knows them. */
export class SessionTable implements SessionStore {
  constructor(private readonly database: Database) {}

  set(id: string, session: Session, done: (error?: unknown) => void): void {
    const expires = session.cookie.expires ?? new Date(Date.now() + 12 * 3_600_000)
    this.database.run('REPLACE INTO sessions (id, data, expires_at) VALUES (?, ?, ?)', [id, JSON.stringify(session), expires]).then(() => done(), done)
  }

  get(id: string, done: (error: unknown, session?: Session | null) => void): void {
    this.database.first<{ data: string }>('SELECT data FROM sessions WHERE id = ? AND expires_at > UTC_TIMESTAMP()', [id])
      .then((row) => done(null, row ? (JSON.parse(row.data) as Session) : null), done)
  }

  destroy(id: string, done: (error?: unknown) => void): void {
    this.database.run('DELETE FROM sessions WHERE id = ? OR expires_at < UTC_TIMESTAMP()', [id]).then(() => done(), done)
  }
}

interface UserRow { id: number; login: string; name: string; role: Role; password_hash: string }

export async function findUser(database: Database, login: string): Promise<{ viewer: Viewer; passwordHash: string } | null> {
  const user = await database.first<UserRow>('SELECT id, login, name, role, password_hash FROM users WHERE login = ?', [login])
  if (!user) return null
  const centres = await database.rows<{ cost_centre: string }>('SELECT cost_centre FROM user_centres WHERE user_id = ? ORDER BY cost_centre', [user.id])
  const scope = user.role === 'owner' ? centres.map(({ cost_centre: code }) => code) : null
  return { viewer: { id: user.id, login: user.login, name: user.name, role: user.role, centres: scope }, passwordHash: user.password_hash }
}
