/** The columns of FOCUS 1.0 to 1.2, the open billing data standard (from memory). */
export interface FocusColumn {
  since: '1.0' | '1.1' | '1.2'
  kind: 'text' | 'decimal' | 'date' | 'json'
  mandatory: boolean
}

export const FOCUS_COLUMNS = {
  AvailabilityZone: { since: '1.0', kind: 'text', mandatory: false },
  BilledCost: { since: '1.0', kind: 'decimal', mandatory: true },
  BillingAccountId: { since: '1.0', kind: 'text', mandatory: true },
  BillingAccountName: { since: '1.0', kind: 'text', mandatory: true },
  BillingAccountType: { since: '1.2', kind: 'text', mandatory: false },
  BillingCurrency: { since: '1.0', kind: 'text', mandatory: true },
  BillingPeriodEnd: { since: '1.0', kind: 'date', mandatory: true },
  BillingPeriodStart: { since: '1.0', kind: 'date', mandatory: true },
  CapacityReservationId: { since: '1.1', kind: 'text', mandatory: false },
  CapacityReservationStatus: { since: '1.1', kind: 'text', mandatory: false },
  ChargeCategory: { since: '1.0', kind: 'text', mandatory: true },
  ChargeClass: { since: '1.0', kind: 'text', mandatory: true },
  ChargeDescription: { since: '1.0', kind: 'text', mandatory: true },
  ChargeFrequency: { since: '1.0', kind: 'text', mandatory: false },
  ChargePeriodEnd: { since: '1.0', kind: 'date', mandatory: true },
  ChargePeriodStart: { since: '1.0', kind: 'date', mandatory: true },
  CommitmentDiscountCategory: { since: '1.0', kind: 'text', mandatory: false },
  CommitmentDiscountId: { since: '1.0', kind: 'text', mandatory: false },
  CommitmentDiscountName: { since: '1.0', kind: 'text', mandatory: false },
  CommitmentDiscountQuantity: { since: '1.1', kind: 'decimal', mandatory: false },
  CommitmentDiscountUnit: { since: '1.1', kind: 'text', mandatory: false },
  CommitmentDiscountStatus: { since: '1.0', kind: 'text', mandatory: false },
  CommitmentDiscountType: { since: '1.0', kind: 'text', mandatory: false },
  ConsumedQuantity: { since: '1.0', kind: 'decimal', mandatory: false },
  ConsumedUnit: { since: '1.0', kind: 'text', mandatory: false },
  ContractedCost: { since: '1.0', kind: 'decimal', mandatory: true },
  ContractedUnitPrice: { since: '1.0', kind: 'decimal', mandatory: false },
  EffectiveCost: { since: '1.0', kind: 'decimal', mandatory: true },
  InvoiceId: { since: '1.2', kind: 'text', mandatory: false },
  InvoiceIssuerName: { since: '1.0', kind: 'text', mandatory: true },
  ListCost: { since: '1.0', kind: 'decimal', mandatory: true },
  ListUnitPrice: { since: '1.0', kind: 'decimal', mandatory: false },
  PricingCategory: { since: '1.0', kind: 'text', mandatory: false },
  PricingCurrency: { since: '1.2', kind: 'text', mandatory: false },
  PricingCurrencyContractedUnitPrice: { since: '1.2', kind: 'decimal', mandatory: false },
  PricingCurrencyEffectiveCost: { since: '1.2', kind: 'decimal', mandatory: false },
  PricingCurrencyListUnitPrice: { since: '1.2', kind: 'decimal', mandatory: false },
  PricingQuantity: { since: '1.0', kind: 'decimal', mandatory: true },
  PricingUnit: { since: '1.0', kind: 'text', mandatory: true },
  ProviderName: { since: '1.0', kind: 'text', mandatory: true },
  PublisherName: { since: '1.0', kind: 'text', mandatory: true },
  RegionId: { since: '1.0', kind: 'text', mandatory: false },
  RegionName: { since: '1.0', kind: 'text', mandatory: false },
  ResourceId: { since: '1.0', kind: 'text', mandatory: false },
  ResourceName: { since: '1.0', kind: 'text', mandatory: false },
  ResourceType: { since: '1.0', kind: 'text', mandatory: false },
  ServiceCategory: { since: '1.0', kind: 'text', mandatory: true },
  ServiceName: { since: '1.0', kind: 'text', mandatory: true },
  ServiceSubcategory: { since: '1.1', kind: 'text', mandatory: false },
  SkuId: { since: '1.0', kind: 'text', mandatory: false },
  SkuMeter: { since: '1.1', kind: 'text', mandatory: false },
  SkuPriceDetails: { since: '1.1', kind: 'json', mandatory: false },
  SkuPriceId: { since: '1.0', kind: 'text', mandatory: false },
  SubAccountId: { since: '1.0', kind: 'text', mandatory: false },
  SubAccountName: { since: '1.0', kind: 'text', mandatory: false },
  SubAccountType: { since: '1.2', kind: 'text', mandatory: false },
  Tags: { since: '1.0', kind: 'json', mandatory: false },
} as const satisfies Record<string, FocusColumn>
export type FocusColumnName = keyof typeof FOCUS_COLUMNS

/** Columns without which a charge cannot be accounted for: a file that lacks one is refused. */
export const NEEDED_COLUMNS: readonly FocusColumnName[] = [
  'ProviderName', 'BillingAccountId', 'BillingCurrency', 'BillingPeriodStart', 'BillingPeriodEnd', 'ChargePeriodStart',
  'ChargePeriodEnd', 'ChargeCategory', 'BilledCost', 'EffectiveCost', 'ListCost', 'ContractedCost',
]

/** Names that drafts of the standard used, proposed (never applied unasked) when a needed column is missing. */
export const DRAFT_NAMES: Readonly<Record<string, FocusColumnName>> = {
  Provider: 'ProviderName', Publisher: 'PublisherName', InvoiceIssuer: 'InvoiceIssuerName', Region: 'RegionId',
  ChargeType: 'ChargeCategory', AmortizedCost: 'EffectiveCost', AmortisedCost: 'EffectiveCost',
}

export const isFocusColumn = (name: string): name is FocusColumnName => Object.hasOwn(FOCUS_COLUMNS, name)
