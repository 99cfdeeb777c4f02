import { once } from 'node:events'
import { createWriteStream } from 'node:fs'
import { addDays, addMonths } from '../core/calendar/month.ts'
import { formatAmount } from '../core/money/amount.ts'
import { cellsOf, csvHead, csvLine, DEMO_COLUMNS, type DemoRow } from '../demo/focusLine.ts'
import { noise } from '../demo/random.ts'

/** Cells of a bench line that change from line to line; the rest is one template a key. */
const CHANGING = ['BillingPeriodStart', 'BillingPeriodEnd', 'ChargePeriodStart', 'ChargePeriodEnd', 'InvoiceId', 'PricingQuantity', 'ConsumedQuantity', 'ListCost', 'ContractedCost', 'BilledCost', 'EffectiveCost'] as const
const SLOT = '\u0001'
const PRICE = 192_000n
export const FIRST = '2026-01'

/** Attributes of the bench key of a number: 20 sub accounts, 60 services, 12 regions, 400 teams, a resource each. */
export function benchAttributes(key: number): DemoRow {
  const service = `Service ${key % 60}`
  return {
    BillingAccountId: 'bench-account', BillingAccountName: 'Bench account with a name of the usual length', BillingCurrency: 'EUR', ProviderName: 'Bench Cloud', PublisherName: 'Bench Cloud', InvoiceIssuerName: 'Bench Cloud Services',
    SubAccountId: `sub-${key % 20}`, SubAccountName: `Sub account number ${key % 20}`, ServiceCategory: 'Compute', ServiceSubcategory: 'Virtual Machines', ServiceName: service, RegionId: `region-${key % 12}`, RegionName: `Region ${key % 12}`,
    ResourceId: `resource/bench/${String(key).padStart(9, '0')}/instance`, ResourceName: `machine-${key}`, ResourceType: 'Machine', SkuId: `sku-${key % 300}`, SkuPriceId: `sku-${key % 300}-price`, SkuMeter: 'Hours',
    SkuPriceDetails: `{"InstanceType":"m-${key % 30}","CoreCount":${4 + (key % 5)}}`, ChargeCategory: 'Usage', ChargeFrequency: 'Usage-Based', ChargeDescription: `${service}, machine hours in region ${key % 12}, on demand`, PricingCategory: 'Standard', PricingUnit: 'Hours', ConsumedUnit: 'Hours',
    ListUnitPrice: formatAmount(PRICE * 10_000n), ContractedUnitPrice: formatAmount(PRICE * 10_000n),
    Tags: JSON.stringify({ team: `team-${key % 400}`, environment: key % 3 ? 'prod' : 'test', application: `app-${key % 900}`, 'managed-by': 'pipeline' }),
  }
}

const templateOf = (key: number): string[] => csvLine(cellsOf({ ...benchAttributes(key), ...Object.fromEntries(CHANGING.map((column) => [column, SLOT])) })).split(SLOT)

/** Writes `charges` lines over twelve months with `keys` distinct resources, streamed; the order of CHANGING is that of the columns. */
export async function writeBenchFile(path: string, charges: number, keys: number): Promise<number> {
  const order = CHANGING.map((column) => DEMO_COLUMNS.indexOf(column))
  if (order.some((at, index) => index > 0 && at < order[index - 1]!)) throw new Error('the changing columns are not in file order')
  const stream = createWriteStream(path, { highWaterMark: 1 << 20 })
  const templates: string[][] = []
  const days = Array.from({ length: 365 }, (_, index) => addDays(`${FIRST}-01`, index))
  let piece = csvHead()
  let bytes = 0
  for (let line = 0; line < charges; line++) {
    const key = (line * 7_919) % keys
    const t = keys <= 100_000 ? (templates[key] ??= templateOf(key)) : templateOf(key)
    const day = days[Math.floor((line * 365) / charges)]!
    const month = day.slice(0, 7)
    const quantity = 10_000 + Math.floor(noise(7, line) * 230_000)
    const units = formatAmount(BigInt(quantity) * 1_000_000n)
    const cost = formatAmount(BigInt(quantity) * PRICE)
    piece += `${t[0]}${month}-01T00:00:00Z${t[1]}${addMonths(month, 1)}-01T00:00:00Z${t[2]}${day}T00:00:00Z${t[3]}${addDays(day, 1)}T00:00:00Z${t[4]}bench-${month}${t[5]}${units}${t[6]}${units}${t[7]}${cost}${t[8]}${cost}${t[9]}${cost}${t[10]}${cost}${t[11]}`
    if (piece.length < 1 << 20) continue
    bytes += piece.length
    if (!stream.write(piece)) await once(stream, 'drain')
    piece = ''
  }
  stream.end(piece)
  await once(stream, 'finish')
  return bytes + piece.length
}
