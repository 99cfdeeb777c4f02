import type { FocusColumnName } from '../core/charges/focusColumns.ts'

/** The columns that the demo writes, in the order of the file. */
export const DEMO_COLUMNS = [
  'BillingAccountId', 'BillingAccountName', 'BillingCurrency', 'BillingPeriodStart', 'BillingPeriodEnd', 'ChargePeriodStart', 'ChargePeriodEnd',
  'ProviderName', 'PublisherName', 'InvoiceIssuerName', 'InvoiceId', 'SubAccountId', 'SubAccountName', 'ServiceCategory', 'ServiceSubcategory',
  'ServiceName', 'RegionId', 'RegionName', 'ResourceId', 'ResourceName', 'ResourceType', 'SkuId', 'SkuPriceId', 'SkuMeter', 'SkuPriceDetails', 'ChargeCategory',
  'ChargeClass', 'ChargeFrequency', 'ChargeDescription', 'PricingCategory', 'PricingQuantity', 'PricingUnit', 'ListUnitPrice', 'ContractedUnitPrice',
  'ConsumedQuantity', 'ConsumedUnit', 'CommitmentDiscountId', 'CommitmentDiscountName', 'CommitmentDiscountCategory', 'CommitmentDiscountType',
  'CommitmentDiscountStatus', 'CommitmentDiscountQuantity', 'CommitmentDiscountUnit', 'ListCost', 'ContractedCost', 'BilledCost', 'EffectiveCost', 'Tags',
] as const satisfies readonly FocusColumnName[]

export type DemoRow = Partial<Record<(typeof DEMO_COLUMNS)[number], string>>

type Column = (typeof DEMO_COLUMNS)[number]
/** The cells of a line in the order of DEMO_COLUMNS, an empty text where there is nothing. */
export type Cells = string[]

const POSITION = Object.fromEntries(DEMO_COLUMNS.map((column, index) => [column, index])) as Record<Column, number>

export const cellsOf = (row: DemoRow): Cells => DEMO_COLUMNS.map((column) => row[column] ?? '')
export const cellOf = (cells: Cells, column: Column): string => cells[POSITION[column]]!
export function setCell(cells: Cells, column: Column, value: string): void {
  cells[POSITION[column]] = value
}

const csvCell = (value: string): string => (/[",\r\n]/.test(value) ? `"${value.replaceAll('"', '""')}"` : value)
export const csvHead = (): string => DEMO_COLUMNS.join(',') + '\n'
export const csvLine = (cells: Cells): string => cells.map(csvCell).join(',') + '\n'
