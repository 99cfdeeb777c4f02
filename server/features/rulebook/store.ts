import { emptyRulebook, type Rulebook } from '../../../core/types.ts'
import type { Queries } from '../../db/database.ts'

export interface RulebookVersion { version: number; rulebook: Rulebook; author: string; note: string; published: string }
export interface Draft { revision: number; rulebook: Rulebook; changedBy: string; changedAt: string }

/** A stored rulebook; what versions of earlier programs did not have is empty. */
const rulebookOf = (document: string): Rulebook => ({ ...emptyRulebook(), ...(JSON.parse(document) as Partial<Rulebook>) })

interface VersionRow { version: number; document: string; author: string; note: string; published_at: string }
const versionOf = ({ version, document, author, note, published_at: published }: VersionRow): RulebookVersion => ({ version, rulebook: rulebookOf(document), author, note, published })

export async function latestRulebook(queries: Queries): Promise<RulebookVersion | null> {
  const row = await queries.first<VersionRow>('SELECT * FROM rulebook_versions ORDER BY version DESC LIMIT 1')
  return row ? versionOf(row) : null
}

/** Versions never change, so each is read once; some are kept by database. A ledger that was emptied begins again at version 1, so the moment of publishing is compared. */
const kept = new WeakMap<object, Map<number, RulebookVersion>>()
const MOST_KEPT = 20

/** `published`: when the version wanted was published, where the caller knows it. */
export async function rulebookVersion(queries: Queries, version: number, published?: string): Promise<RulebookVersion | null> {
  const versions = kept.get(queries) ?? new Map<number, RulebookVersion>()
  kept.set(queries, versions)
  const known = versions.get(version)
  const stored = known && (published ?? (await queries.first<{ published: string }>('SELECT published_at AS published FROM rulebook_versions WHERE version = ?', [version]))?.published)
  if (known && known.published === stored) return known
  const found = await readVersion(queries, version)
  if (versions.size >= MOST_KEPT) versions.clear()
  if (found) versions.set(version, found)
  return found
}

async function readVersion(queries: Queries, version: number): Promise<RulebookVersion | null> {
  const row = await queries.first<VersionRow>('SELECT * FROM rulebook_versions WHERE version = ?', [version])
  return row ? versionOf(row) : null
}

export const listVersions = (queries: Queries): Promise<{ version: number; author: string; note: string; published: string; rules: number }[]> =>
  queries.rows("SELECT version, author, note, published_at AS published, JSON_LENGTH(document, '$.rules') + 0 AS rules FROM rulebook_versions ORDER BY version DESC")

/** The draft that everybody edits; begins as the latest version. */
export async function readDraft(queries: Queries): Promise<Draft> {
  const row = await queries.first<{ revision: number; document: string; changed_by: string; changed_at: string }>('SELECT revision, document, changed_by, changed_at FROM rulebook_draft WHERE id = 1')
  if (row) return { revision: row.revision, rulebook: rulebookOf(row.document), changedBy: row.changed_by, changedAt: row.changed_at }
  return { revision: 0, rulebook: (await latestRulebook(queries))?.rulebook ?? emptyRulebook(), changedBy: '', changedAt: '' }
}

/** Saves the draft on top of the revision it was read at; false where somebody else has saved since. */
export async function saveDraft(queries: Queries, rulebook: Rulebook, readAt: number, user: string): Promise<boolean> {
  const document = JSON.stringify(rulebook)
  if (readAt === 0) {
    const made = await queries.run('INSERT IGNORE INTO rulebook_draft (id, revision, document, changed_by) VALUES (1, 1, ?, ?)', [document, user])
    return made.affectedRows === 1
  }
  const changed = await queries.run('UPDATE rulebook_draft SET revision = revision + 1, document = ?, changed_by = ?, changed_at = NOW(3) WHERE id = 1 AND revision = ?', [document, user, readAt])
  return changed.affectedRows === 1
}

export async function publish(queries: Queries, rulebook: Rulebook, author: string, note: string): Promise<number> {
  const latest = await queries.first<{ version: number }>('SELECT version FROM rulebook_versions ORDER BY version DESC LIMIT 1 FOR UPDATE')
  const version = (latest?.version ?? 0) + 1
  await queries.run('INSERT INTO rulebook_versions (version, document, author, note) VALUES (?, ?, ?, ?)', [version, JSON.stringify(rulebook), author, note])
  return version
}
