import type { KeyTable } from '../classify/keyTable.ts'
import { BASES, type Amounts } from '../types.ts'

/** What one month did to the prepaid account of a commitment: in 10^-10 of the billing currency. */
export interface PrepaidMovement {
  provider: string
  currency: string
  /** empty where charges differ in billed and effective cost without naming a commitment */
  commitment: string
  /** billed in advance: raises what is prepaid */
  purchased: bigint
  /** taken into effective cost for use, and for the part that nobody used: lowers what is prepaid */
  used: bigint
  unused: bigint
}

/**
 * The movements of a month. Billed cost is cash and effective cost spreads it, so that for every provider and currency billed less
 * effective is purchases less what was amortised, to the last digit: nothing else may differ (FOCUS 1.2, effective cost).
 */
export function prepaidMovements(table: KeyTable): PrepaidMovement[] {
  const movements = new Map<string, PrepaidMovement>()
  table.keys.forEach(({ amounts, attributes }) => {
    const difference = amounts.billed - amounts.effective
    if (difference === 0n) return
    const { ProviderName: provider = '', BillingCurrency: currency = '', CommitmentDiscountId: commitment = '' } = attributes
    const name = [provider, currency, commitment].join('\u0000')
    const movement = movements.get(name) ?? { provider, currency, commitment, purchased: 0n, used: 0n, unused: 0n }
    movements.set(name, movement)
    if (attributes.ChargeCategory === 'Purchase') movement.purchased += difference
    else if (attributes.CommitmentDiscountStatus === 'Unused') movement.unused -= difference
    else movement.used -= difference
  })
  return [...movements].sort(([a], [b]) => (a < b ? -1 : 1)).map(([, movement]) => movement)
}

export interface PrepaidLine extends PrepaidMovement { month: string; opening: bigint; closing: bigint }

/** Opening + purchases − amortised = closing, month by month for each commitment; months in rising order, from the first that is known. */
export function prepaidSchedule(months: readonly { month: string; movements: readonly PrepaidMovement[] }[]): PrepaidLine[] {
  const open = new Map<string, { of: PrepaidMovement; closing: bigint }>()
  return months.flatMap(({ month, movements }) => {
    for (const of of movements) { const name = nameOf(of); if (!open.has(name)) open.set(name, { of, closing: 0n }) }
    return [...open].sort(([a], [b]) => (a < b ? -1 : 1)).map(([name, account]) => {
      const { purchased, used, unused } = movements.find((one) => nameOf(one) === name) ?? { purchased: 0n, used: 0n, unused: 0n }
      const opening = account.closing
      account.closing = opening + purchased - used - unused
      return { ...account.of, month, opening, purchased, used, unused, closing: account.closing }
    })
  })
}

const nameOf = ({ provider, currency, commitment }: PrepaidMovement): string => [provider, currency, commitment].join('\u0000')

/** Billed and effective cost of a month by provider and currency. */
export function costsByStream(table: KeyTable): { provider: string; currency: string; amounts: Amounts }[] {
  const streams = new Map<string, { provider: string; currency: string; amounts: Amounts }>()
  for (const { amounts, attributes: { ProviderName: provider = '', BillingCurrency: currency = '' } } of table.keys) {
    const name = `${provider}\u0000${currency}`
    const stream = streams.get(name) ?? { provider, currency, amounts: { billed: 0n, effective: 0n } }
    streams.set(name, stream)
    for (const basis of BASES) stream.amounts[basis] += amounts[basis]
  }
  return [...streams].sort(([a], [b]) => (a < b ? -1 : 1)).map(([, stream]) => stream)
}
