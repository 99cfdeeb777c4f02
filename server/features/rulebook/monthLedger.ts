import { convert, CONVERTED_SCALE, type RateTable } from '../../../core/money/convert.ts'
import { minorDigits } from '../../../core/money/currency.ts'
import { formatAmount, roundTo } from '../../../core/money/amount.ts'
import { classify, type Classified } from '../../../core/classify/evaluate.ts'
import type { KeyTable } from '../../../core/classify/keyTable.ts'
import { settledRows } from '../../../core/classify/settled.ts'
import { monthsBackOf } from '../../../core/clean/cleanTags.ts'
import type { Basis, CostCentre, Drivers, KeyFigures, Rule, Rulebook } from '../../../core/types.ts'
import type { Queries } from '../../db/database.ts'
import { invalid } from '../../refusal.ts'
import { reportingCurrency } from '../../settingsTable.ts'
import { billsBefore, currentBills, monthTables, preparedTable, type MonthTables } from '../allocation/ledger.ts'
import { readDrivers } from '../drivers/store.ts'
import { currentDays } from '../intake/measuredDays.ts'
import { readCentres } from '../organisation/store.ts'
import { baseRatesOf, needRates, readRates } from '../rates/store.ts'

/** The code of the classification that charges cost centres, among the others. */
export const COST_CENTRE = ''

/** Everything that is computed from, for one month. */
export interface MonthLedger extends MonthTables { /** to the currency that is read in */ rates: RateTable; /** to the reporting currency: what allocation computes with */ baseRates: RateTable; digits: number; currency: string; centres: CostCentre[]; drivers: Drivers }

/** `monthsBack`: how many months before it the rulebooks in question look at. */
export async function readMonthLedger(queries: Queries, url: string, month: string, ...rulebooks: Pick<Rulebook, 'cleanUp'>[]): Promise<MonthLedger> {
  const monthsBack = Math.max(0, ...rulebooks.map(({ cleanUp }) => monthsBackOf(cleanUp)))
  const [bills, meterDays, earlierBills] = await Promise.all([currentBills(queries, month), currentDays(queries, 'metering', month), billsBefore(queries, month, monthsBack)])
  const [tables, baseRates, rates, currency, centres, drivers] = await Promise.all([monthTables(queries, url, month, { bills, meterDays, earlierBills }), baseRatesOf(queries, month), readRates(queries, month), reportingCurrency(queries), readCentres(queries), readDrivers(queries, month)])
  needRates(tables.table, baseRates, month)
  return { ...tables, rates, baseRates, digits: minorDigits(currency), currency, centres, drivers }
}

export interface Stage extends Classified { rules: Rule[]; table: KeyTable }

/** The rules of a classification, the charges as they see them (cleaned, with the classifications before it), and which takes which. */
export function stageOf(ledger: MonthTables, rulebook: Rulebook, classification: string): Stage {
  if (classification === COST_CENTRE) {
    const table = preparedTable(ledger, rulebook)
    return stage(rulebook.rules, table, classify(rulebook.rules, table, ledger.month, settledRows(table, rulebook)))
  }
  const at = rulebook.classifications.findIndex(({ code }) => code === classification)
  if (at < 0) throw invalid(`There is no classification ${classification}.`)
  const { rules } = rulebook.classifications[at]!
  const table = preparedTable(ledger, { ...rulebook, classifications: rulebook.classifications.slice(0, at) })
  return stage(rules, table, classify(rules, table, ledger.month))
}

const stage = (rules: Rule[], table: KeyTable, classified: Classified): Stage => ({ rules, table, ...classified })

/** Money and number of charges, the money in the reporting currency. */
export interface Taken { amount: string; lines: number; keys: number }

/** Adds charges up. */
export class Tally {
  amount = 0n
  private lines = 0
  private keys = 0

  constructor(private readonly basis: Basis, private readonly rates: RateTable, private readonly digits: number) {}

  add({ amounts, attributes, lines }: KeyFigures): void {
    this.amount += convert(amounts[this.basis], attributes.BillingCurrency!, this.rates, attributes.ProviderName ?? '')
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
