import { formatAmount, roundTo } from '../../../core/money/amount.ts'
import { CONVERTED_SCALE, ratesIn } from '../../../core/money/convert.ts'
import { minorDigits } from '../../../core/money/currency.ts'
import { addMonths } from '../../../core/calendar/month.ts'
import { baseLabel, POOL_TARGET } from '../../../core/pools/distribute.ts'
import { markUpLines, type MarkUpLine } from '../../../core/markUp/markUp.ts'
import { effectOfRates, type CurrencyEffect } from '../../../core/statements/currencyEffect.ts'
import { buildStatement, type PoolNote, type Statement } from '../../../core/statements/statement.ts'
import type { RoundedCell } from '../../../core/statements/cells.ts'
import type { Basis } from '../../../core/types.ts'
import type { Database } from '../../db/database.ts'
import { notFound } from '../../refusal.ts'
import { baseCurrency, reportingCurrency } from '../../settingsTable.ts'
import { needCentre, type Viewer } from '../../viewer.ts'
import { readStanding } from '../allocation/standing.ts'
import { frozenRates, latestRun, roundedCells, runRates, type RunRow } from '../allocation/store.ts'
import { readCentres, readUnits } from '../organisation/store.ts'
import { rulebookVersion } from '../rulebook/store.ts'

/** A statement is of one cost centre (`cc`) or of a business unit: the sum of its cost centres. */
export interface StatementScope { kind: 'cc' | 'unit'; code: string; name: string; unitName: string; owner: string; centres: string[] }

export interface FullStatement {
  scope: StatementScope
  month: string
  basis: Basis
  currency: string
  digits: number
  run: RunRow
  isCurrent: boolean
  previousMonth: string
  hasPrevious: boolean
  statement: Statement
  /** fees on top of the charged cost, apart from it */
  markUps: MarkUpLine[]
  /** what of the change against the month before the rates alone have made, by billing currency; minor units and exact */
  currencyEffect: CurrencyEffect[]
  /** totals of the twelve months that end with this one; null where there is no run */
  history: { month: string; amount: bigint | null }[]
}

/** `cc:1010` or `unit:10`; refuses what the viewer may not see. A unit needs all of its cost centres. */
export async function readScope(database: Database, text: string, viewer: Viewer): Promise<StatementScope> {
  const [kind, code = ''] = [text.slice(0, text.indexOf(':')), text.slice(text.indexOf(':') + 1)]
  const [units, centres] = await Promise.all([readUnits(database), readCentres(database)])
  const members = kind === 'cc' ? centres.filter((centre) => centre.code === code) : centres.filter((centre) => centre.unit === code)
  for (const centre of members.length > 0 ? members : [{ code }]) needCentre(viewer, centre.code)
  const unit = units.find((candidate) => candidate.code === (kind === 'cc' ? members[0]?.unit : code))
  if (!unit || (kind === 'cc' && members.length === 0)) throw notFound(kind === 'cc' ? `Cost centre ${code}` : `Business unit ${code}`)
  const own = kind === 'cc' ? members[0]! : unit
  return { kind: kind === 'cc' ? 'cc' : 'unit', code, name: own.name, unitName: unit.name, owner: own.owner, centres: members.map((centre) => centre.code) }
}

export async function scopeCells(database: Database, month: string, basis: Basis, scope: StatementScope): Promise<RoundedCell[] | null> {
  const run = await latestRun(database, month)
  if (!run) return null
  return (await roundedCells(database, run.id, basis)).filter(({ costCentre, kind }) => (kind === 'direct' || kind === 'pool') && scope.centres.includes(costCentre))
}

export async function readStatement(database: Database, scopeText: string, month: string, basis: Basis, viewer: Viewer): Promise<FullStatement> {
  const scope = await readScope(database, scopeText, viewer)
  const standing = await readStanding(database, month)
  if (!standing.run) throw notFound(`An allocation run of ${month}`)
  const currency = await reportingCurrency(database)
  const previousMonth = addMonths(month, -1)
  const [now, before, pools, version] = await Promise.all([
    scopeCells(database, month, basis, scope), scopeCells(database, previousMonth, basis, scope), poolNotes(database, standing.run, basis, scope), rulebookVersion(database, standing.run.version),
  ])
  const currencyEffect = before === null ? [] : effectOfRates(now ?? [], await runRates(database, standing.run.id), await runRates(database, (await latestRun(database, previousMonth))!.id))
  const history = await Promise.all(Array.from({ length: 12 }, async (_, index) => {
    const past = addMonths(month, index - 11)
    const cells = await scopeCells(database, past, basis, scope)
    return { month: past, amount: cells ? cells.reduce((sum, { rounded }) => sum + rounded, 0n) : null }
  }))
  return {
    scope, month, basis, currency, digits: minorDigits(currency), run: standing.run, isCurrent: standing.kind === 'current', previousMonth, hasPrevious: before !== null,
    statement: buildStatement(now ?? [], before ?? [], pools), markUps: markUpLines(version?.rulebook.markUps ?? [], now ?? [], minorDigits(currency), await rateToView(database, standing.run.id)), currencyEffect, history,
  }
}

/** What a unit of the reporting currency is in the one that is read in, in 10^-10: fixed amounts are agreed in the reporting currency. */
export async function rateToView(database: Database, runId: number): Promise<bigint> {
  const [base, to] = await Promise.all([baseCurrency(database), reportingCurrency(database)])
  return ratesIn(to, base, await frozenRates(database, runId)).get(base)!
}

export interface WeightRow { pool: string; cost_centre: string; weight: string; base: string }
export const readWeights = (database: Database, runId: number): Promise<WeightRow[]> => database.rows<WeightRow>('SELECT pool, cost_centre, weight, base FROM run_weights WHERE run_id = ?', [runId])

async function poolNotes(database: Database, run: RunRow, basis: Basis, scope: StatementScope): Promise<Map<string, PoolNote>> {
  const [version, weights, cells] = await Promise.all([rulebookVersion(database, run.version), readWeights(database, run.id), roundedCells(database, run.id, basis)])
  const notes = new Map<string, PoolNote>()
  for (const pool of version?.rulebook.pools ?? []) {
    const own = weights.filter((row) => row.pool === pool.code && scope.centres.includes(row.cost_centre))
    const weight = own.reduce((sum, row) => sum + exact(row.weight), 0n)
    const amount = cells.filter(({ kind, line }) => (kind === 'pool' || kind === 'held') && line === pool.code).reduce((sum, { rounded }) => sum + rounded, 0n)
    // where it serves other pools as well, what passes through it is more than what cost centres get
    const paid = weights.filter((row) => row.pool === pool.code && !row.cost_centre.startsWith(POOL_TARGET)).reduce((sum, row) => sum + exact(row.weight), 0n)
    const passing = own.length > 0 && paid > 0n ? roundedQuotient(amount * exact(own[0]!.base), paid) : amount
    const share = own.length > 0 ? (weight * 10n ** 8n) / exact(own[0]!.base) : 0n
    notes.set(pool.code, { name: pool.name, amount: passing, base: baseLabel(pool), share })
  }
  return notes
}

/** A DECIMAL(50, 20) as an integer of 10^-20. */
export function exact(text: string): bigint {
  const [whole = '0', fraction = ''] = text.split('.')
  return BigInt(whole + fraction.padEnd(CONVERTED_SCALE, '0'))
}

/** Rounds for display only: 10^-20 of the reporting currency to its minor digits. */
export const shown = (units: bigint, digits: number): string => formatAmount(roundTo(units, digits, CONVERTED_SCALE), digits, digits)

/** Half away from zero: for a note beside figures, which are exact. */
const roundedQuotient = (over: bigint, under: bigint): bigint => ((over < 0n ? -1n : 1n) * (2n * (over < 0n ? -over : over) + under)) / (2n * under)
