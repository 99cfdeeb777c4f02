import { addMonths, daysOf, firstDay, addDays, monthsBetween, type Month } from '../core/calendar/month.ts'
import { formatAmount } from '../core/money/amount.ts'
import { clusterExtras } from './clusters.ts'
import { networkExtras } from './network.ts'
import { cellsOf, csvHead, csvLine, setCell, type Cells, type DemoRow } from './focusLine.ts'
import { noise } from './random.ts'
import { sharedResources, steadyResources, type Resource } from './resources.ts'
import { DEMO_DATE, FIRST_MONTH, LAST_MONTH, PROVIDERS, type Provider } from './scenario.ts'
import { STORY_DAYS, tellStories } from './stories.ts'

/** What the generator knows of a charge that it writes: where the demo rulebook sends it (null: nowhere). */
export interface DemoCharge {
  cells: Cells
  day: string
  target: string | null
  billed: bigint
  effective: bigint
}

const SEED = 20_260_901
const stamp = (day: string): string => `${day}T00:00:00Z`
const isWeekend = (day: string): boolean => [0, 6].includes(new Date(stamp(day)).getUTCDay())
const yearsSince = (day: string): number => (Date.parse(day) - Date.parse(firstDay(FIRST_MONTH))) / (365 * 86_400_000)

export function allResources(): Resource[] {
  const steady = steadyResources()
  return [...steady, ...sharedResources(), ...tellStories(steady), ...clusterExtras(), ...networkExtras()]
}

/** Every file of the demo in the order in which it would have arrived. */
export function demoFiles(): { provider: string; month: Month }[] {
  return monthsBetween(FIRST_MONTH, LAST_MONTH).flatMap((month) => Object.keys(PROVIDERS).map((provider) => ({ provider, month })))
}

function common(provider: Provider, month: Month, day: string): DemoRow {
  return {
    BillingAccountId: provider.account, BillingAccountName: provider.accountName, BillingCurrency: provider.currency,
    BillingPeriodStart: stamp(firstDay(month)), BillingPeriodEnd: stamp(firstDay(addMonths(month, 1))),
    ChargePeriodStart: stamp(day), ChargePeriodEnd: stamp(addDays(day, 1)),
    ProviderName: provider.name, PublisherName: provider.name, InvoiceIssuerName: provider.name, InvoiceId: `${provider.account}-${month.replace('-', '')}`,
  }
}

/** Quantity of the day in 10^-4 units: growth, week, a little noise, and what a story does. */
function quantityOn(resource: Resource, index: number, day: string): number {
  const growth = resource.growth ** yearsSince(day)
  const week = isWeekend(day) ? resource.weekend : 1
  const jitter = resource.unit === 'Hours' ? 1 : 0.94 + 0.12 * noise(SEED, index, Date.parse(day) / 86_400_000)
  return Math.round(resource.quantity * growth * week * jitter * (resource.adjust?.(day) ?? 1) * 10_000)
}

/** The cells of a resource that do not change within a month. */
function template(resource: Resource, provider: Provider, month: Month): Cells {
  const hasTags = Object.keys(resource.tags).length > 0
  return cellsOf({
    ...common(provider, month, firstDay(month)), SubAccountId: resource.subAccount, SubAccountName: resource.subAccount.slice(3),
    ServiceCategory: resource.category, ServiceSubcategory: resource.subcategory, ServiceName: resource.service, RegionId: resource.region, RegionName: resource.region.replace('-', ' '),
    ResourceId: resource.id, ResourceName: resource.name, ResourceType: resource.type, SkuId: resource.sku, SkuPriceId: `${resource.sku}-1`, SkuMeter: resource.unit,
    ChargeCategory: 'Usage', ChargeFrequency: 'Usage-Based', ChargeDescription: `${resource.service} ${resource.sku}`, PricingCategory: resource.committed ? 'Committed' : 'Standard',
    PricingUnit: resource.unit, ConsumedUnit: resource.unit, Tags: hasTags ? JSON.stringify(resource.tags) : '',
    ...(resource.committed ? { ...COMMITMENT.columns, CommitmentDiscountStatus: 'Used', CommitmentDiscountQuantity: formatAmount(COMMITMENT.perMachineDay), CommitmentDiscountUnit: 'USD' } : {}),
  })
}

function usage(resource: Resource, index: number, day: string, cells: Cells): DemoCharge {
  const quantity = quantityOn(resource, index, day)
  const price = Math.round(resource.priceAt?.(day) ?? resource.price)
  const list = BigInt(quantity) * BigInt(price)
  const billed = resource.committed ? 0n : list
  const effective = resource.committed ? COMMITMENT.perMachineDay : list
  setCell(cells, 'ChargePeriodStart', stamp(day))
  setCell(cells, 'ChargePeriodEnd', stamp(addDays(day, 1)))
  const units = formatAmount(BigInt(quantity) * 1_000_000n)
  for (const column of ['PricingQuantity', 'ConsumedQuantity'] as const) setCell(cells, column, units)
  const unitPrice = formatAmount(BigInt(price) * 10_000n)
  for (const column of ['ListUnitPrice', 'ContractedUnitPrice'] as const) setCell(cells, column, unitPrice)
  const cost = formatAmount(list)
  for (const column of ['ListCost', 'ContractedCost'] as const) setCell(cells, column, cost)
  setCell(cells, 'BilledCost', formatAmount(billed))
  setCell(cells, 'EffectiveCost', formatAmount(effective))
  const lostTags = resource.tagsAt?.(day)
  if (lostTags) setCell(cells, 'Tags', '')
  return { cells, day, target: lostTags ? null : resource.target, billed, effective }
}

/** 21 900 USD paid on 1 August 2026 for 365 days: 60 a day, for ten machines. */
export const COMMITMENT = {
  upfront: 219_000_000_000_000n,
  perDay: 600_000_000_000n,
  perMachineDay: 60_000_000_000n,
  columns: { CommitmentDiscountId: 'nb-commit-08', CommitmentDiscountName: 'Steady machines 1 year', CommitmentDiscountCategory: 'Spend', CommitmentDiscountType: 'Daily spend' },
} as const

interface Extra { day: string; target: string | null; billed: bigint; effective?: bigint; row: DemoRow }

const flatCost = (amount: bigint): DemoRow => ({ ListCost: formatAmount(amount), ContractedCost: formatAmount(amount) })
const units = (whole: number): bigint => BigInt(Math.round(whole * 100)) * 100_000_000n

/** Charges that are not daily use: support plans, taxes, the commitment, a credit, a correction. */
function extras(key: string, month: Month, days: readonly string[], soFar: bigint): Extra[] {
  const found: Extra[] = []
  const management: DemoRow = { ServiceCategory: 'Management and Governance', ServiceSubcategory: 'Support', ServiceName: 'Support plan' }
  const plans: Record<string, number> = { nimbrel: 3_900, tarnhost: 1_450 }
  const fee = plans[key]
  if (fee && days.includes(firstDay(month))) {
    const amount = units(fee)
    const price = formatAmount(amount)
    found.push({ day: firstDay(month), target: 'SUPPORT', billed: amount, row: { ...management, ...flatCost(amount), ChargeCategory: 'Purchase', ChargeFrequency: 'Recurring', ChargeDescription: 'Support plan of the month', PricingCategory: 'Standard', PricingQuantity: '1', PricingUnit: 'Months', ListUnitPrice: price, ContractedUnitPrice: price, SkuId: 'support', SkuPriceId: 'support-1' } })
  }
  const lastDay = daysOf(month).at(-1)!
  if ((key === 'tarnhost' || key === 'orvane') && days.includes(lastDay)) {
    const amount = (soFar * 2n) / 100n
    found.push({ day: lastDay, target: 'TAX', billed: amount, row: { ...flatCost(amount), ServiceCategory: 'Other', ServiceSubcategory: 'Other (Other)', ServiceName: 'Tax', ChargeCategory: 'Tax', ChargeFrequency: 'Recurring', ChargeDescription: 'Levy of 2 per cent' } })
  }
  if (key === 'nimbrel' && month >= '2026-08') found.push(...commitmentLines(month, days))
  if (key === 'tarnhost' && month === '2026-10') {
    found.push({ day: '2026-10-19', target: '1030', billed: -units(600), row: { ...flatCost(-units(600)), SubAccountId: 'th-duty', SubAccountName: 'duty', ServiceCategory: 'Compute', ServiceSubcategory: 'Virtual Machines', ServiceName: 'Machines', ChargeCategory: 'Credit', ChargeFrequency: 'One-Time', ChargeDescription: 'Credit for the outage of 27 August' } })
  }
  if (key === 'loomlog' && month === '2026-11') {
    found.push({ day: '2026-08-14', target: '2010', billed: -units(1_240.5), row: { ...flatCost(-units(1_240.5)), SubAccountId: 'lm-prod', SubAccountName: 'prod', ServiceCategory: 'Management and Governance', ServiceSubcategory: 'Observability', ServiceName: 'Log Keeping', ChargeCategory: 'Usage', ChargeClass: 'Correction', ChargeFrequency: 'Usage-Based', ChargeDescription: 'Volume counted twice in August', Tags: JSON.stringify({ team: 'app' }) } })
  }
  return found
}

function commitmentLines(month: Month, days: readonly string[]): Extra[] {
  const place: DemoRow = { SubAccountId: 'nb-forecast', SubAccountName: 'forecast', ServiceCategory: 'Compute', ServiceSubcategory: 'Virtual Machines', ServiceName: 'Machines', RegionId: 'north-2', RegionName: 'north 2', ResourceId: 'nb-commit-08', ResourceName: 'Steady machines', ResourceType: 'Commitment', SkuId: 'commit-1y', SkuPriceId: 'commit-1y-1', ...COMMITMENT.columns }
  const found: Extra[] = []
  if (month === '2026-08') {
    const price = formatAmount(COMMITMENT.upfront)
    found.push({ day: '2026-08-01', target: '9010', billed: COMMITMENT.upfront, effective: 0n, row: { ...place, ...flatCost(COMMITMENT.upfront), ChargeCategory: 'Purchase', ChargeFrequency: 'One-Time', ChargeDescription: 'Commitment for a year, all upfront', PricingCategory: 'Standard', PricingQuantity: '1', PricingUnit: 'Units', ListUnitPrice: price, ContractedUnitPrice: price, CommitmentDiscountQuantity: price, CommitmentDiscountUnit: 'USD' } })
  }
  const unused = COMMITMENT.perDay / 2n
  for (const day of days.filter((candidate) => candidate >= STORY_DAYS.commitment.halfFrom)) {
    const text = formatAmount(unused)
    found.push({ day, target: '9010', billed: 0n, effective: unused, row: { ...place, ...flatCost(unused), ChargeCategory: 'Usage', ChargeFrequency: 'Usage-Based', ChargeDescription: 'Unused part of the commitment', PricingCategory: 'Committed', PricingQuantity: '24', PricingUnit: 'Hours', ListUnitPrice: '1.25', ContractedUnitPrice: '1.25', CommitmentDiscountStatus: 'Unused', CommitmentDiscountQuantity: text, CommitmentDiscountUnit: 'USD' } })
  }
  return found
}

/** Charges of one provider and month, day by day, as known on the demo date. */
export function* demoCharges(key: string, month: Month, resources: readonly Resource[]): Generator<DemoCharge> {
  const provider = PROVIDERS[key]!
  const last = addDays(DEMO_DATE, -provider.lag)
  const isMissing = (day: string): boolean => STORY_DAYS.missingDay.provider === key && STORY_DAYS.missingDay.day === day
  const days = daysOf(month).filter((day) => day <= last && !isMissing(day))
  const own = [...resources.entries()].filter(([, resource]) => resource.provider === key).map(([index, resource]) => ({ index, resource, cells: template(resource, provider, month) }))
  let soFar = 0n
  for (const day of days) {
    for (const { index, resource, cells } of own) {
      if ((resource.from && day < resource.from) || (resource.to && day > resource.to)) continue
      const charge = usage(resource, index, day, [...cells])
      soFar += charge.billed
      yield charge
    }
  }
  for (const { day, target, billed, effective = billed, row } of extras(key, month, days, soFar)) {
    yield { cells: cellsOf({ ...common(provider, month, day), ...row, BilledCost: formatAmount(billed), EffectiveCost: formatAmount(effective) }), day, target, billed, effective }
  }
}

/** The text of one demo file in pieces, telling each charge to `note` as it goes. */
export function* demoFile(key: string, month: Month, resources: readonly Resource[], note: (charge: DemoCharge) => void = () => {}): Generator<string> {
  let piece = csvHead()
  for (const charge of demoCharges(key, month, resources)) {
    note(charge)
    piece += csvLine(charge.cells)
    if (piece.length < 1 << 18) continue
    yield piece
    piece = ''
  }
  yield piece
}
