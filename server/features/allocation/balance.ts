import { amountOf, formatAmount, roundTo } from '../../../core/money/amount.ts'
import { convert, CONVERTED_SCALE, MissingRate } from '../../../core/money/convert.ts'
import { minorDigits } from '../../../core/money/currency.ts'
import type { RoundedCell } from '../../../core/statements/cells.ts'
import type { Basis } from '../../../core/types.ts'
import type { Database } from '../../db/database.ts'
import { reportingCurrency } from '../../settingsTable.ts'
import type { Viewer } from '../../viewer.ts'
import { readRates } from '../rates/store.ts'
import { readStanding, type Standing } from './standing.ts'
import { roundedCells, runRates } from './store.ts'

/** The line at the foot of every page, in the reporting currency, rounded as statements are. */
export interface Balance {
  month: string
  basis: Basis
  currency: string
  billed: string
  charged: string
  held: string
  unassigned: string
  /** billed less the other three; zero when the books balance */
  difference: string
  standing: Standing['kind']
  runId: number | null
  /** currencies without a rate for the month: then no sum can be told */
  missingRates: string[]
  /** true where the viewer sees only what is charged to the own cost centres */
  isScoped: boolean
}

interface StreamRow { provider: string; currency: string; billed: string; effective: string }

export async function readBalance(database: Database, month: string, basis: Basis, viewer: Viewer): Promise<Balance> {
  const [standing, currency] = await Promise.all([readStanding(database, month), reportingCurrency(database)])
  const digits = minorDigits(currency)
  const show = (units: bigint): string => formatAmount(units, digits, digits)
  const cells = standing.run ? await roundedCells(database, standing.run.id, basis) : []
  const sum = (test: (cell: RoundedCell) => boolean): bigint => cells.filter(test).reduce((total, { rounded }) => total + rounded, 0n)
  const isCharged = ({ kind }: RoundedCell): boolean => kind === 'direct' || kind === 'pool'
  const common = { month, basis, currency, standing: standing.kind, runId: standing.run?.id ?? null, missingRates: [] as string[] }
  if (viewer.centres) {
    const own = show(sum((cell) => isCharged(cell) && viewer.centres!.includes(cell.costCentre)))
    return { ...common, billed: own, charged: own, held: show(0n), unassigned: show(0n), difference: show(0n), isScoped: true }
  }
  const { total, missingRates } = await billedTotal(database, month, basis, standing)
  const [charged, held, unassigned] = [sum(isCharged), sum(({ kind }) => kind === 'held' || kind === 'aside'), sum(({ kind }) => kind === 'unassigned')]
  return { ...common, missingRates, billed: show(total), charged: show(charged), held: show(held), unassigned: show(unassigned), difference: show(total - charged - held - unassigned), isScoped: false }
}

/** The total of the bills in the ledger now, each provider's rounded by itself; at the rates of the run while it is current. */
async function billedTotal(database: Database, month: string, basis: Basis, { kind, run }: Standing): Promise<{ total: bigint; missingRates: string[] }> {
  const rows = await database.rows<StreamRow>(
    `SELECT b.provider, d.currency, SUM(d.billed_cost) AS billed, SUM(d.effective_cost) AS effective
     FROM bills b JOIN bill_days d ON d.bill_id = b.id WHERE b.month = ? AND b.state = 'current' GROUP BY b.provider, d.currency`, [month])
  const rates = kind === 'current' ? await runRates(database, run!.id) : await readRates(database, month)
  const digits = minorDigits(await reportingCurrency(database))
  const missingRates: string[] = []
  let total = 0n
  for (const row of rows) {
    try {
      total += roundTo(convert(amountOf(row[basis]), row.currency, rates, row.provider), digits, CONVERTED_SCALE)
    } catch (error) {
      if (!(error instanceof MissingRate)) throw error
      missingRates.push(error.currency)
    }
  }
  return { total, missingRates: [...new Set(missingRates)] }
}
