import { convert, CONVERTED_SCALE, type RateTable } from '../../../core/money/convert.ts'
import { minorDigits } from '../../../core/money/currency.ts'
import { formatAmount, roundTo } from '../../../core/money/amount.ts'
import type { KeyTable } from '../../../core/classify/keyTable.ts'
import { monthsBackOf } from '../../../core/clean/cleanTags.ts'
import type { Basis, CostCentre, Drivers, KeyFigures, Rule, Rulebook } from '../../../core/types.ts'
import type { Queries } from '../../db/database.ts'
import { invalid } from '../../refusal.ts'
import { reportingCurrency } from '../../settingsTable.ts'
import { billsBefore, currentBills, monthTables, preparedTable, type MonthTables } from '../allocation/ledger.ts'
import { readDrivers } from '../drivers/store.ts'
import { readCentres } from '../organisation/store.ts'
import { readRates } from '../rates/store.ts'

/** The code of the classification that charges cost centres, among the others. */
export const COST_CENTRE = ''

/** Everything that is computed from, for one month. */
export interface MonthLedger extends MonthTables { rates: RateTable; digits: number; currency: string; centres: CostCentre[]; drivers: Drivers }

/** `monthsBack`: how many months before it the rulebooks in question look at. */
export async function readMonthLedger(queries: Queries, url: string, month: string, ...rulebooks: Pick<Rulebook, 'cleanUp'>[]): Promise<MonthLedger> {
  const monthsBack = Math.max(0, ...rulebooks.map(({ cleanUp }) => monthsBackOf(cleanUp)))
  const [bills, before] = await Promise.all([currentBills(queries, month), billsBefore(queries, month, monthsBack)])
  const [tables, rates, currency, centres, drivers] = await Promise.all([monthTables(queries, url, month, bills, before), readRates(queries, month), reportingCurrency(queries), readCentres(queries), readDrivers(queries, month)])
  const missing = tables.table.column('BillingCurrency').values.filter((code) => code !== undefined && !rates.has(code))
  if (missing.length > 0) throw invalid(`There is no exchange rate for ${missing.join(', ')} in ${month}. Enter it in Intake first.`)
  return { ...tables, rates, digits: minorDigits(currency), currency, centres, drivers }
}

/** The rules of a classification of the rulebook, and the charges as they see them: cleaned, with the classifications before it. */
export function stageOf(ledger: MonthTables, rulebook: Rulebook, classification: string): { rules: Rule[]; table: KeyTable } {
  if (classification === COST_CENTRE) return { rules: rulebook.rules, table: preparedTable(ledger, rulebook) }
  const at = rulebook.classifications.findIndex(({ code }) => code === classification)
  if (at < 0) throw invalid(`There is no classification ${classification}.`)
  return { rules: rulebook.classifications[at]!.rules, table: preparedTable(ledger, { cleanUp: rulebook.cleanUp, classifications: rulebook.classifications.slice(0, at) }) }
}

/** Money and number of charges, the money in the reporting currency. */
export interface Taken { amount: string; lines: number; keys: number }

/** Adds charges up. */
export class Tally {
  amount = 0n
  private lines = 0
  private keys = 0

  constructor(private readonly basis: Basis, private readonly rates: RateTable, private readonly digits: number) {}

  add({ amounts, attributes, lines }: KeyFigures): void {
    this.amount += convert(amounts[this.basis], attributes.BillingCurrency!, this.rates)
    this.lines += lines
    this.keys++
  }

  /** `rounded`: minor units, where the amount was rounded together with others */
  taken(rounded = roundTo(this.amount, this.digits, CONVERTED_SCALE)): Taken {
    return { amount: formatAmount(rounded, this.digits, this.digits), lines: this.lines, keys: this.keys }
  }
}

/** The sum of some rows. */
export function takenBy({ rates, digits }: MonthLedger, table: KeyTable, rows: Iterable<number>, basis: Basis): Taken {
  const tally = new Tally(basis, rates, digits)
  for (const row of rows) tally.add(table.keys[row]!)
  return tally.taken()
}

/** Largest money first, whatever its sign. */
export const bySize = (a: { amount: string }, b: { amount: string }): number => Math.abs(Number(b.amount)) - Math.abs(Number(a.amount))
