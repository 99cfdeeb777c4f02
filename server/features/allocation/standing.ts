import type { Queries } from '../../db/database.ts'
import { readInputs } from './inputs.ts'
import { latestRun, type RunRow } from './store.ts'

/** How the latest run of a month stands to what is in the ledger now. */
export interface Standing { kind: 'none' | 'current' | 'outOfDate'; run: RunRow | null }

export async function readStanding(queries: Queries, month: string): Promise<Standing> {
  const run = await latestRun(queries, month)
  if (!run) return { kind: 'none', run: null }
  const { hash } = await readInputs(queries, month)
  return { kind: hash === run.inputHash ? 'current' : 'outOfDate', run }
}
