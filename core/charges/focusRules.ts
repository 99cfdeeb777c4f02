import { SERVICE_CATEGORIES } from './serviceCategories.ts'
import { parseFlatJson } from './flatJson.ts'
import { parseAmount } from '../money/amount.ts'
import { FIGURE_COLUMNS } from './attributes.ts'
import { isFocusColumn, FOCUS_COLUMNS, type FocusColumnName } from './focusColumns.ts'

/** A row as the checks see it: the text of a column, null where the cell is empty or the column is not there. */
export interface FocusRow {
  get(column: string): string | null
  has(column: string): boolean
  columns(): readonly string[]
}

/** Broken column of a rule, or null where the row keeps it. */
type Check = (row: FocusRow) => string | null

export interface FocusRule {
  id: string
  text: string
  /** whether a row that breaks it is useless for accounting; all else is a warning and the row is taken */
  refuses: boolean
  check: Check
}

const COSTS = ['BilledCost', 'EffectiveCost', 'ListCost', 'ContractedCost'] as const
const DECIMALS = Object.keys(FOCUS_COLUMNS).filter((name) => FOCUS_COLUMNS[name as FocusColumnName].kind === 'decimal')
const FIGURES = DECIMALS.filter((name) => (FIGURE_COLUMNS as readonly string[]).includes(name))
const DESCRIBING_DECIMALS = DECIMALS.filter((name) => !FIGURES.includes(name))
const CHARGE_CATEGORIES = ['Usage', 'Purchase', 'Tax', 'Credit', 'Adjustment']
const PLACEHOLDERS = new Set(['n/a', 'na', 'null', 'none', '-', 'nil', 'undefined'])

const isNull = (row: FocusRow, column: string): boolean => row.get(column) === null
const category = (row: FocusRow): string | null => row.get('ChargeCategory')
const isCorrection = (row: FocusRow): boolean => row.get('ChargeClass') === 'Correction'
const when = (broken: boolean, column: string): string | null => (broken ? column : null)
const notNull = (column: string): Check => (row) => when(isNull(row, column), column)
const oneOf = (column: string, values: readonly string[], nullable: boolean): Check => (row) => {
  const value = row.get(column)
  return when(value === null ? !nullable && row.has(column) : !values.includes(value), column)
}
const nullTogether = (column: string, other: string): Check => (row) =>
  when(row.has(column) && row.has(other) && isNull(row, column) !== isNull(row, other), column)
const nullWithout = (columns: readonly string[], other: string): Check => (row) =>
  columns.find((column) => isNull(row, other) && !isNull(row, column)) ?? null

/** Null on Tax; needed on Usage and Purchase that are no Correction; free otherwise. */
const pricing = (column: string): Check => (row) => {
  if (category(row) === 'Tax') return when(!isNull(row, column), column)
  const needed = ['Usage', 'Purchase'].includes(category(row) ?? '') && !isCorrection(row)
  return when(needed && row.has(column) && isNull(row, column), column)
}

/** Unit price x quantity within 0.01 of the cost (the tolerance is common practice). Approximate on purpose. */
const product = (cost: string, price: string): Check => (row) => {
  const [total, unit, quantity] = [row.get(cost), row.get(price), row.get('PricingQuantity')].map((text) => (text === null ? null : Number(text)))
  if (total == null || unit == null || quantity == null || isCorrection(row)) return null
  return when(Math.abs(unit * quantity - total) > 0.01 + 1e-9, cost)
}

const plainDecimals = (columns: readonly string[]): Check => (row) =>
  columns.find((column) => { const text = row.get(column); return text !== null && parseAmount(text) === null }) ?? null

const flat = (column: string): Check => (row) => {
  const text = row.get(column)
  return when(text !== null && parseFlatJson(text) === null, column)
}

const warning = (id: string, text: string, check: Check): FocusRule => ({ id, text, refuses: false, check })
const refusal = (id: string, text: string, check: Check): FocusRule => ({ id, text, refuses: true, check })

const placeholders: FocusRule = warning('F54', 'an absent value is empty, not a blank or a placeholder', (row) =>
  row.columns().find((name) => { const value = row.get(name); return value !== null && (value.trim() === '' || PLACEHOLDERS.has(value.trim().toLowerCase())) }) ?? null)

/**
 * Rules whose outcome depends only on the columns of the charge key and on which other columns are empty or zero: rows
 * that agree in those share one check. Source of all: FOCUS 1.0 to 1.2, from memory.
 */
export const KEY_RULES: readonly FocusRule[] = [
  refusal('F01', `ChargeCategory is one of ${CHARGE_CATEGORIES.join(', ')}`, (row) => when(!CHARGE_CATEGORIES.includes(category(row) ?? ''), 'ChargeCategory')),
  warning('F02', 'ChargeClass is empty or Correction', oneOf('ChargeClass', ['Correction'], true)),
  warning('F03', 'ChargeFrequency is One-Time, Recurring or Usage-Based', oneOf('ChargeFrequency', ['One-Time', 'Recurring', 'Usage-Based'], false)),
  warning('F04', 'a purchase is not Usage-Based', (row) => when(category(row) === 'Purchase' && row.get('ChargeFrequency') === 'Usage-Based', 'ChargeFrequency')),
  ...COSTS.map((column, index) => refusal(`F0${5 + index}`, `${column} is not empty`, notNull(column))),
  refusal('F10', 'BillingCurrency is a code of three capital letters', (row) => when(!/^[A-Z]{3}$/.test(row.get('BillingCurrency') ?? ''), 'BillingCurrency')),
  refusal('F14', 'BillingAccountId is not empty', notNull('BillingAccountId')),
  warning('F15', 'InvoiceIssuerName is not empty', notNull('InvoiceIssuerName')),
  refusal('F16', 'ProviderName is not empty', notNull('ProviderName')),
  warning('F17', 'PublisherName is not empty', notNull('PublisherName')),
  warning('F18', 'ServiceName is not empty', notNull('ServiceName')),
  warning('F19', 'ServiceCategory is one of the categories of the standard', (row) => when(!Object.hasOwn(SERVICE_CATEGORIES, row.get('ServiceCategory') ?? ''), 'ServiceCategory')),
  warning('F20', 'ServiceSubcategory belongs to the ServiceCategory', (row) => {
    const value = row.get('ServiceSubcategory')
    return when(value !== null && !(SERVICE_CATEGORIES[row.get('ServiceCategory') ?? ''] ?? []).includes(value), 'ServiceSubcategory')
  }),
  warning('F21', 'PricingCategory is empty or one of Standard, Dynamic, Committed, Other', oneOf('PricingCategory', ['Standard', 'Dynamic', 'Committed', 'Other'], true)),
  ...(['PricingCategory', 'PricingQuantity', 'ListUnitPrice', 'ContractedUnitPrice', 'SkuId', 'SkuPriceId'] as const).map((column, index) =>
    warning(`F${22 + index}`, `${column} is empty on Tax and given on Usage and Purchase that are no Correction`, pricing(column))),
  warning('F22b', 'pricing and SKU columns are empty on a Tax row', (row) =>
    category(row) === 'Tax' ? (['PricingCategory', 'PricingQuantity', 'ListUnitPrice', 'ContractedUnitPrice', 'SkuId', 'SkuPriceId'].find((column) => !isNull(row, column)) ?? null) : null),
  warning('F28', 'PricingUnit is empty exactly when PricingQuantity is', nullTogether('PricingUnit', 'PricingQuantity')),
  warning('F32', 'ConsumedQuantity is given on Usage that is neither Unused nor a Correction, and empty elsewhere', (row) => {
    const isUse = category(row) === 'Usage' && row.get('CommitmentDiscountStatus') !== 'Unused'
    if (!isUse) return when(!isNull(row, 'ConsumedQuantity'), 'ConsumedQuantity')
    return when(row.has('ConsumedQuantity') && isNull(row, 'ConsumedQuantity') && !isCorrection(row), 'ConsumedQuantity')
  }),
  warning('F33', 'ConsumedUnit is empty exactly when ConsumedQuantity is', nullTogether('ConsumedUnit', 'ConsumedQuantity')),
  warning('F34', 'CommitmentDiscountStatus is empty, Used or Unused', oneOf('CommitmentDiscountStatus', ['Used', 'Unused'], true)),
  warning('F35', 'CommitmentDiscountStatus is given exactly on Usage under a commitment', (row) => {
    if (isNull(row, 'CommitmentDiscountId')) return when(!isNull(row, 'CommitmentDiscountStatus'), 'CommitmentDiscountStatus')
    return when(category(row) === 'Usage' && isNull(row, 'CommitmentDiscountStatus'), 'CommitmentDiscountStatus')
  }),
  warning('F36', 'CommitmentDiscountStatus is empty unless the charge is Usage', (row) => when(category(row) !== 'Usage' && !isNull(row, 'CommitmentDiscountStatus'), 'CommitmentDiscountStatus')),
  warning('F37', 'CommitmentDiscountCategory is empty, Spend or Usage', oneOf('CommitmentDiscountCategory', ['Spend', 'Usage'], true)),
  warning('F38', 'CommitmentDiscountCategory is given exactly with CommitmentDiscountId', nullTogether('CommitmentDiscountCategory', 'CommitmentDiscountId')),
  warning('F39', 'CommitmentDiscountType is given exactly with CommitmentDiscountId', nullTogether('CommitmentDiscountType', 'CommitmentDiscountId')),
  warning('F40', 'CommitmentDiscountName is empty without CommitmentDiscountId', nullWithout(['CommitmentDiscountName'], 'CommitmentDiscountId')),
  warning('F41', 'CommitmentDiscountUnit is given exactly with CommitmentDiscountQuantity', nullTogether('CommitmentDiscountUnit', 'CommitmentDiscountQuantity')),
  warning('F42', 'CommitmentDiscountQuantity is given on Usage and Purchase under a commitment, and empty without one', (row) => {
    if (isNull(row, 'CommitmentDiscountId')) return when(!isNull(row, 'CommitmentDiscountQuantity'), 'CommitmentDiscountQuantity')
    const needed = ['Usage', 'Purchase'].includes(category(row) ?? '') && !isCorrection(row)
    return when(needed && row.has('CommitmentDiscountQuantity') && isNull(row, 'CommitmentDiscountQuantity'), 'CommitmentDiscountQuantity')
  }),
  warning('F43', 'CapacityReservationStatus is Used or Unused on Usage of a reservation, and empty without one', (row) => {
    const status = row.get('CapacityReservationStatus')
    if (isNull(row, 'CapacityReservationId')) return when(status !== null, 'CapacityReservationStatus')
    return when(category(row) === 'Usage' && status !== 'Used' && status !== 'Unused', 'CapacityReservationStatus')
  }),
  warning('F44', 'RegionName is given exactly with RegionId', nullTogether('RegionName', 'RegionId')),
  warning('F45', 'ResourceName is empty without ResourceId', nullWithout(['ResourceName'], 'ResourceId')),
  warning('F46', 'ResourceType is given exactly with a resource', (row) =>
    when(row.has('ResourceType') && (isNull(row, 'ResourceId') ? isNull(row, 'ResourceName') && !isNull(row, 'ResourceType') : isNull(row, 'ResourceType')), 'ResourceType')),
  warning('F47', 'SubAccountName and SubAccountType are empty without SubAccountId', nullWithout(['SubAccountName', 'SubAccountType'], 'SubAccountId')),
  warning('F48', 'SkuMeter is empty without SkuId, SkuPriceDetails without SkuPriceId', (row) =>
    nullWithout(['SkuMeter'], 'SkuId')(row) ?? nullWithout(['SkuPriceDetails'], 'SkuPriceId')(row)),
  refusal('F49', 'Tags is empty or a JSON object of scalars with unique keys', flat('Tags')),
  warning('F51', 'EffectiveCost is 0 on the purchase of a commitment', (row) =>
    when(category(row) === 'Purchase' && !isNull(row, 'CommitmentDiscountId') && Number(row.get('EffectiveCost')) !== 0, 'EffectiveCost')),
  warning('F52', 'PricingCategory is Committed on Usage under a commitment', (row) =>
    when(category(row) === 'Usage' && !isNull(row, 'CommitmentDiscountId') && row.has('PricingCategory') && row.get('PricingCategory') !== 'Committed', 'PricingCategory')),
  placeholders,
  warning('F56', 'account types are empty without their account', (row) =>
    nullWithout(['BillingAccountType'], 'BillingAccountId')(row) ?? nullWithout(['SubAccountType'], 'SubAccountId')(row)),
]

/** Rules that need only the descriptive columns beside the key: rows that agree in those share one check. */
export const DETAIL_RULES: readonly FocusRule[] = [
  refusal('F09', 'numbers are plain decimals', plainDecimals(DESCRIBING_DECIMALS)),
  warning('F29', 'unit prices are not negative', (row) => ['ListUnitPrice', 'ContractedUnitPrice'].find((column) => Number(row.get(column)) < 0) ?? null),
  warning('F50', 'SkuPriceDetails is empty or a JSON object of scalars with unique keys', flat('SkuPriceDetails')),
  warning('F53', 'columns that the standard does not know begin with x_', (row) => row.columns().find((name) => !isFocusColumn(name) && !name.startsWith('x_')) ?? null),
  placeholders,
  warning('F55', 'PricingCurrencyEffectiveCost is given with PricingCurrency', (row) =>
    when(!isNull(row, 'PricingCurrency') && row.has('PricingCurrencyEffectiveCost') && isNull(row, 'PricingCurrencyEffectiveCost'), 'PricingCurrencyEffectiveCost')),
]

/** Rules that need the figures or periods of the single row. F11 to F13 are checked where periods are read. */
export const FIGURE_RULES: readonly FocusRule[] = [
  refusal('F09', 'numbers are plain decimals', plainDecimals(FIGURES)),
  warning('F30', 'ListUnitPrice x PricingQuantity = ListCost', product('ListCost', 'ListUnitPrice')),
  warning('F31', 'ContractedUnitPrice x PricingQuantity = ContractedCost', product('ContractedCost', 'ContractedUnitPrice')),
]
