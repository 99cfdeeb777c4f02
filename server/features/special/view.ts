import { allocatePeriod } from '../../../core/allocatePeriod.ts'
import { senderName, specialKinds } from '../../../core/classify/settled.ts'
import { costsByStream, prepaidMovements, prepaidSchedule } from '../../../core/commitments/prepaid.ts'
import { convert, CONVERTED_SCALE } from '../../../core/money/convert.ts'
import { formatAmount, roundTo } from '../../../core/money/amount.ts'
import { roundList } from '../../../core/money/apportion.ts'
import { BASES, SPECIAL_KINDS, type Basis, type Rulebook, type SpecialKind } from '../../../core/types.ts'
import { preparedTable } from '../allocation/ledger.ts'
import { bySize, type MonthLedger } from '../rulebook/monthLedger.ts'

/** Where a kind went: `cc:1010`, `pool:TAX`, `aside`, `unassigned`, and what sent it there. */
export interface SpecialPlace { place: string; by: string; amount: string; charges: number }
export interface SpecialRow { kind: SpecialKind; billed: string; effective: string; charges: number; places: SpecialPlace[] }
/** In the billing currency, to the last digit. */
export interface PrepaidRow { month: string; provider: string; currency: string; commitment: string; opening: string; purchased: string; used: string; unused: string; closing: string }
export interface Reconciliation { provider: string; currency: string; billed: string; effective: string; difference: string; movement: string }
export interface SpecialView { currency: string; kinds: SpecialRow[]; schedule: PrepaidRow[]; reconciliation: Reconciliation[]; problems: string[] }

/** The special charges of a month under a rulebook, kind by kind, and what ties billed to effective cost. `earlier`: the months before it that have bills, oldest first. */
export function specialView(ledger: MonthLedger, earlier: readonly MonthLedger[], rulebook: Rulebook, basis: Basis): SpecialView {
  const { rates, baseRates, digits, currency, month, centres, drivers } = ledger
  const { result, problems } = allocatePeriod({ month, table: preparedTable(ledger, rulebook), rulebook, centres, rates: baseRates, drivers })
  const kinds = specialKinds(result.table)
  const [currencyOf, providerOf] = [result.table.column('BillingCurrency'), result.table.column('ProviderName')]
  const sums = new Map<SpecialKind, { billed: bigint; effective: bigint; rows: Set<number>; places: Map<string, { place: string; by: string; amount: bigint; rows: Set<number> }> }>()
  for (const { row, rule, way, amounts } of result.outcomes) {
    const kind = kinds[row]
    if (!kind) continue
    const sum = sums.get(kind) ?? { billed: 0n, effective: 0n, rows: new Set(), places: new Map() }
    sums.set(kind, sum)
    const [code, provider] = [currencyOf.values[currencyOf.codes[row]!]!, providerOf.values[providerOf.codes[row]!] ?? '']
    for (const one of BASES) sum[one] += convert(amounts[one], code, rates, provider)
    sum.rows.add(row)
    const place = way.kind === 'costCentre' ? `cc:${way.target}` : way.kind === 'pool' ? `pool:${way.target}` : way.kind
    const name = senderName(rulebook.rules, rule)
    const by = name === null ? '' : rule >= 0 ? `rule “${name}”` : name
    const found = sum.places.get(`${place}\u0000${by}`) ?? { place, by, amount: 0n, rows: new Set<number>() }
    sum.places.set(`${place}\u0000${by}`, found)
    found.amount += convert(amounts[basis], code, rates, provider)
    found.rows.add(row)
  }
  const linesOf = (rows: Iterable<number>): number => [...new Set([...rows].map((row) => result.table.keys[row]!))].reduce((count, { lines }) => count + lines, 0)
  const show = (minor: bigint): string => formatAmount(minor, digits, digits)
  return {
    currency, problems: problems.map(({ message }) => message),
    kinds: SPECIAL_KINDS.flatMap((kind): SpecialRow[] => {
      const sum = sums.get(kind)
      if (!sum) return []
      const places = [...sum.places.values()]
      const { rounded } = roundList(places.map(({ amount }) => amount), digits, CONVERTED_SCALE)
      return [{
        kind, billed: show(roundTo(sum.billed, digits, CONVERTED_SCALE)), effective: show(roundTo(sum.effective, digits, CONVERTED_SCALE)), charges: linesOf(sum.rows),
        places: places.map(({ place, by, rows }, index) => ({ place, by, amount: show(rounded[index]!), charges: linesOf(rows) })).sort(bySize),
      }]
    }),
    ...reconcile(ledger, earlier),
  }
}

function reconcile(ledger: MonthLedger, earlier: readonly MonthLedger[]): Pick<SpecialView, 'schedule' | 'reconciliation'> {
  const movements = prepaidMovements(ledger.table)
  const schedule = prepaidSchedule([...earlier.map(({ month, table }) => ({ month, movements: prepaidMovements(table) })), { month: ledger.month, movements }])
  return {
    schedule: schedule.map(({ opening, purchased, used, unused, closing, ...line }) => ({ ...line, opening: formatAmount(opening, 2), purchased: formatAmount(purchased, 2), used: formatAmount(used, 2), unused: formatAmount(unused, 2), closing: formatAmount(closing, 2) })),
    reconciliation: costsByStream(ledger.table).map(({ provider, currency, amounts: { billed, effective } }) => {
      const movement = movements.filter((one) => one.provider === provider && one.currency === currency).reduce((sum, { purchased, used, unused }) => sum + purchased - used - unused, 0n)
      return { provider, currency, billed: formatAmount(billed, 2), effective: formatAmount(effective, 2), difference: formatAmount(billed - effective, 2), movement: formatAmount(movement, 2) }
    }),
  }
}
