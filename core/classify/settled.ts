import { SPECIAL_KINDS, type ClusterWay, type Rule, type Rulebook, type SpecialKind, type SpecialWay } from '../types.ts'
import type { FieldColumn, KeyTable } from './keyTable.ts'

/** What a setting of the rulebook sends, before any rule is asked: idle and overhead of clusters, special charges. */
export const SETTINGS = ['idle', 'overhead', ...SPECIAL_KINDS] as const
export type Setting = (typeof SETTINGS)[number]

/** Numbers below that of no rule stand for settings where rules are told by their number. */
const FIRST_SETTING = -2
export const settingRule = (setting: Setting): number => FIRST_SETTING - SETTINGS.indexOf(setting)
export const settingOfRule = (rule: number): Setting | null => (rule > FIRST_SETTING ? null : (SETTINGS[FIRST_SETTING - rule] ?? null))

const NAMES: Record<Setting, string> = {
  idle: 'idle cost of clusters', overhead: 'overhead of clusters', correction: 'corrections', tax: 'taxes', credit: 'credits', refund: 'refunds and adjustments',
  commitmentUnused: 'unused commitments', commitmentPurchase: 'purchases of commitments', support: 'support fees', marketplace: 'marketplace', discount: 'discounts billed as negative use',
}
export const settingName = (setting: Setting): string => NAMES[setting]

/** What sent charges, by the number that a run keeps: a rule, a setting, or nothing. */
export function senderName(rules: readonly Pick<Rule, 'name'>[], rule: number): string | null {
  const setting = settingOfRule(rule)
  return setting ? `the setting for ${settingName(setting)}` : (rules[rule]?.name ?? null)
}

/** The fields in which charges agree with the special ones that concern them: those of a kind follow charges with the same values. */
export const FOLLOWED: Record<SpecialKind, string[]> = {
  correction: ['ProviderName', 'SubAccountId', 'ServiceName'], tax: ['ProviderName', 'BillingAccountId'], credit: ['ProviderName', 'SubAccountId', 'ServiceName'], refund: ['ProviderName', 'SubAccountId', 'ServiceName'],
  commitmentUnused: ['CommitmentDiscountId'], commitmentPurchase: ['CommitmentDiscountId'], support: ['ProviderName', 'BillingAccountId'], marketplace: ['ProviderName', 'SubAccountId'], discount: ['ProviderName', 'SubAccountId', 'ServiceName'],
}

/** Columns by which the kind of a charge shows (FOCUS 1.2). A discount shows by its amount as well. */
const KIND_FIELDS = ['ChargeCategory', 'ChargeClass', 'CommitmentDiscountStatus', 'CommitmentDiscountId', 'ServiceSubcategory', 'PublisherName', 'ProviderName'] as const

function kindOf(valueOf: (field: (typeof KIND_FIELDS)[number]) => string | undefined, isNegative: boolean): SpecialKind | null {
  const category = valueOf('ChargeCategory')
  if (valueOf('ChargeClass') === 'Correction') return 'correction'
  if (category === 'Tax') return 'tax'
  if (category === 'Credit') return 'credit'
  if (category === 'Adjustment') return 'refund'
  if (valueOf('CommitmentDiscountStatus') === 'Unused') return 'commitmentUnused'
  if (category === 'Purchase' && valueOf('CommitmentDiscountId') !== undefined) return 'commitmentPurchase'
  if (valueOf('ServiceSubcategory') === 'Support') return 'support'
  const [publisher, provider] = [valueOf('PublisherName'), valueOf('ProviderName')]
  if (publisher !== undefined && publisher !== provider) return 'marketplace'
  return category === 'Usage' && isNegative ? 'discount' : null
}

/** The kind of special charge that each row is, or null. */
export function specialKinds(table: KeyTable): (SpecialKind | null)[] {
  const columns = Object.fromEntries(KIND_FIELDS.map((field) => [field, table.column(field)])) as Record<(typeof KIND_FIELDS)[number], FieldColumn>
  const { billed, effective } = table.amounts()
  const isBelowZero = (row: number): boolean => [billed, effective].some(({ wholes, fractions }) => wholes[row]! < 0 || fractions[row]! < 0)
  // rows that agree in every column are of one kind: decided once
  const known = new Map<number, SpecialKind | null>()
  return table.keys.map((_, row) => {
    const isNegative = isBelowZero(row)
    let code = isNegative ? 1 : 0
    for (const field of KIND_FIELDS) code = code * columns[field].values.length + columns[field].codes[row]!
    let kind = known.get(code)
    if (kind === undefined) known.set(code, (kind = kindOf((field) => columns[field].values[columns[field].codes[row]!], isNegative)))
    return kind
  })
}

/** Rows that settings send, as their number in place of a rule's, 0 for the others; null where there is none. */
export function settledRows(table: KeyTable, { clusters, special }: Pick<Rulebook, 'clusters' | 'special'>): Int32Array | null {
  const ways = Object.entries(special).flatMap(([kind, way]) => (way.kind === 'rules' ? [] : [kind as SpecialKind]))
  const isSent = (way: ClusterWay): boolean => way.kind !== 'rules' && way.kind !== 'node'
  const sends = clusters.flatMap(({ cluster, idle, overhead }) => [...(isSent(idle) ? [`${cluster} idle`] : []), ...(isSent(overhead) ? [`${cluster} overhead`] : [])])
  if (ways.length + sends.length === 0) return null
  const settled = new Int32Array(table.keys.length)
  const [cluster, use] = [table.column('Cluster'), table.column('ClusterUse')]
  const kinds = ways.length > 0 ? specialKinds(table) : []
  for (let row = 0; row < settled.length; row++) {
    const setting = use.values[use.codes[row]!]
    if (setting === 'idle' || setting === 'overhead') {
      if (sends.includes(`${cluster.values[cluster.codes[row]!]} ${setting}`)) settled[row] = settingRule(setting)
      continue
    }
    const kind = kinds[row]
    if (kind && ways.includes(kind)) settled[row] = settingRule(kind)
  }
  return settled
}

/** Where the setting sends a row, and the fields of the charges that it follows, where it follows any. */
export function settledWay({ clusters, special }: Pick<Rulebook, 'clusters' | 'special'>, setting: Setting, cluster: string | undefined): { way: ClusterWay | SpecialWay; follows: string[] } {
  if (setting !== 'idle' && setting !== 'overhead') return { way: special[setting]!, follows: FOLLOWED[setting] }
  return { way: clusters.find((one) => one.cluster === cluster)![setting], follows: ['Cluster'] }
}
