import { amountOf } from '../../../core/money/amount.ts'
import { rateName, type RateTable } from '../../../core/money/convert.ts'
import { roundCells, type Cell, type RoundedCell } from '../../../core/statements/cells.ts'
import type { Basis } from '../../../core/types.ts'
import type { Problem } from '../../../core/problems.ts'
import type { Queries } from '../../db/database.ts'
import { reportingCurrency } from '../../settingsTable.ts'
import { inViewCurrency } from '../rates/store.ts'

export interface RunRow {
  id: number
  month: string
  version: number
  inputHash: string
  resultHash: string
  user: string
  created: string
  /** when its rulebook version was published */
  published: string
  problems: Problem[]
}

const RUN = 'SELECT id, month, rulebook_version AS version, input_hash AS inputHash, result_hash AS resultHash, user_name AS user, created_at AS created, problems, published_at AS published FROM runs JOIN rulebook_versions ON version = rulebook_version'

const runOf = (row: Omit<RunRow, 'problems'> & { problems: string }): RunRow => ({ ...row, problems: JSON.parse(row.problems) as Problem[] })

export async function latestRun(queries: Queries, month: string): Promise<RunRow | null> {
  const row = await queries.first<RunRow & { problems: string }>(`${RUN} WHERE month = ? AND state = 'done' ORDER BY id DESC LIMIT 1`, [month])
  return row ? runOf(row) : null
}

export async function listRuns(queries: Queries, month: string): Promise<RunRow[]> {
  return (await queries.rows<RunRow & { problems: string }>(`${RUN} WHERE month = ? AND state = 'done' ORDER BY id DESC LIMIT 50`, [month])).map(runOf)
}

interface CellRow extends Omit<Cell, 'costCentre' | 'amounts'> { cost_centre: string; billed_cost: string; effective_cost: string }

export async function readCells(queries: Queries, runId: number): Promise<Cell[]> {
  const rows = await queries.rows<CellRow>('SELECT provider, currency, cost_centre, kind, line, billed_cost, effective_cost FROM run_cells WHERE run_id = ?', [runId])
  return rows.map(({ provider, currency, cost_centre: costCentre, kind, line, billed_cost: billed, effective_cost: effective }) =>
    ({ provider, currency, costCentre, kind, line, amounts: { billed: amountOf(billed), effective: amountOf(effective) } }))
}

/** The rates that a run froze, to the reporting currency of the organisation. */
export async function frozenRates(queries: Queries, runId: number): Promise<RateTable> {
  const rows = await queries.rows<{ currency: string; provider: string; rate: string }>('SELECT currency, provider, rate FROM run_rates WHERE run_id = ?', [runId])
  return new Map(rows.map(({ currency, provider, rate }) => [rateName(currency, provider), amountOf(rate)]))
}

/** The same to the currency that is read in. */
export async function runRates(queries: Queries, runId: number): Promise<RateTable> {
  const [rates, run] = await Promise.all([frozenRates(queries, runId), queries.first<{ month: string }>('SELECT month FROM runs WHERE id = ?', [runId])])
  return inViewCurrency(queries, rates, run?.month ?? '')
}

/** Runs never change, so what was rounded once is kept; the oldest entries go first. */
const MOST_KEPT = 200
const kept = new WeakMap<object, Map<string, RoundedCell[]>>()

/** The rounded cells of a run: what statements, the way of the money and the balance line are sums of. */
export async function roundedCells(queries: Queries, runId: number, basis: Basis): Promise<RoundedCell[]> {
  const cache = kept.get(queries) ?? new Map<string, RoundedCell[]>()
  kept.set(queries, cache)
  const currency = await reportingCurrency(queries)
  const name = `${runId} ${basis} ${currency}`
  const known = cache.get(name)
  if (known) return known
  const [cells, rates] = await Promise.all([readCells(queries, runId), runRates(queries, runId)])
  const rounded = roundCells(cells, basis, rates, currency)
  if (cache.size >= MOST_KEPT) cache.delete(cache.keys().next().value!)
  cache.set(name, rounded)
  return rounded
}
