import type { Queries } from './db/database.ts'

/** Writes who did what to what; in the transaction of the change itself. */
export async function audit(queries: Queries, user: string, action: string, subject: string, detail: unknown = {}): Promise<void> {
  await queries.run('INSERT INTO audit (user_name, action, subject, detail) VALUES (?, ?, ?, ?)', [user, action, subject, JSON.stringify(detail)])
}
