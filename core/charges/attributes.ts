import type { FocusColumnName } from './focusColumns.ts'

/**
 * The columns that make a charge key: what rules and groupings can see. The rest of a row is either a figure of the
 * charge (costs, quantities, periods) or a detail kept beside it.
 */
export const KEY_COLUMNS = [
  'ProviderName', 'PublisherName', 'InvoiceIssuerName', 'BillingAccountId', 'BillingAccountName', 'BillingAccountType',
  'SubAccountId', 'SubAccountName', 'SubAccountType', 'BillingCurrency', 'ServiceCategory', 'ServiceSubcategory',
  'ServiceName', 'RegionId', 'RegionName', 'AvailabilityZone', 'ResourceId', 'ResourceName', 'ResourceType', 'SkuId',
  'SkuMeter', 'SkuPriceId', 'ChargeCategory', 'ChargeClass', 'ChargeFrequency', 'PricingCategory', 'PricingUnit',
  'ConsumedUnit', 'CommitmentDiscountId', 'CommitmentDiscountName', 'CommitmentDiscountCategory',
  'CommitmentDiscountType', 'CommitmentDiscountStatus', 'CommitmentDiscountUnit', 'CapacityReservationId',
  'CapacityReservationStatus',
] as const satisfies readonly FocusColumnName[]

/** Columns whose values are figures of the single charge. */
export const FIGURE_COLUMNS = [
  'ListCost', 'ContractedCost', 'BilledCost', 'EffectiveCost', 'PricingQuantity', 'ConsumedQuantity', 'CommitmentDiscountQuantity',
] as const satisfies readonly FocusColumnName[]

export const PERIOD_COLUMNS = ['BillingPeriodStart', 'BillingPeriodEnd', 'ChargePeriodStart', 'ChargePeriodEnd'] as const

/** What a charge of a metered cluster's workload knows besides the columns of the node that it is a part of. */
export const CLUSTER_FIELDS = ['Cluster', 'ClusterUse', 'ClusterNode', 'Namespace', 'WorkloadKind', 'Workload'] as const

/** A field of a condition or a grouping is a key column, a field of clusters, `tag:` and the key of a tag, or `class:` and the code of a classification. */
export const TAG_FIELD = 'tag:'
export const tagField = (key: string): string => TAG_FIELD + key
const CLASS_FIELD = 'class:'
export const classField = (code: string): string => CLASS_FIELD + code
export const isField = (field: string): boolean =>
  field.startsWith(TAG_FIELD) ? field.length > TAG_FIELD.length : field.startsWith(CLASS_FIELD) ? field.length > CLASS_FIELD.length : ([...KEY_COLUMNS, ...CLUSTER_FIELDS] as readonly string[]).includes(field)

/** `ServiceName` as people read it: Service name. */
export function fieldLabel(field: string): string {
  if (field.startsWith(TAG_FIELD)) return `tag ${field.slice(TAG_FIELD.length)}`
  if (field.startsWith(CLASS_FIELD)) return `classification ${field.slice(CLASS_FIELD.length)}`
  const words = field.replace(/([a-z])([A-Z])/g, '$1 $2').toLowerCase().replace(/\b(id|sku)\b/g, (word) => (word === 'sku' ? 'SKU' : 'ID'))
  return words.charAt(0).toUpperCase() + words.slice(1)
}
