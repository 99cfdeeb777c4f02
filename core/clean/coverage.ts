import { TAG_FIELD, tagField } from '../charges/attributes.ts'
import type { KeyTable } from '../classify/keyTable.ts'
import { convert, type RateTable } from '../money/convert.ts'
import type { Basis } from '../types.ts'

/** A fall of a coverage from month to month that people want to know of, as a part of the money. */
export const COVERAGE_FALL = 0.01

/** Money of a provider's resources, and what of it carries the tag, in 10^-20 of the reporting currency; credits count by their size. */
export interface Coverage { key: string; provider: string; covered: bigint; total: bigint }

/**
 * How much of each provider's money carries each of the tag keys. Only resources can carry tags: taxes, support plans and
 * corrections of other months would make a month look worse than it is.
 */
export function coverageOf(table: KeyTable, keys: readonly string[], basis: Basis, rates: RateTable): Coverage[] {
  const provider = table.column('ProviderName')
  const [resource, correction] = [table.column('ResourceId'), table.column('ChargeClass')]
  const sizes = table.keys.map(({ amounts, attributes }, row) => {
    if (resource.codes[row] === 0 || correction.codes[row]! > 0) return 0n
    const cost = convert(amounts[basis], attributes.BillingCurrency!, rates, attributes.ProviderName ?? '')
    return cost < 0n ? -cost : cost
  })
  const totals = provider.values.map(() => 0n)
  sizes.forEach((size, row) => { totals[provider.codes[row]!]! += size })
  return keys.flatMap((key) => {
    const { codes } = table.column(tagField(key))
    const covered = provider.values.map(() => 0n)
    sizes.forEach((size, row) => { if (codes[row]! > 0) covered[provider.codes[row]!]! += size })
    return provider.values.flatMap((name, code) => (name === undefined ? [] : [{ key, provider: name, covered: covered[code]!, total: totals[code]! }]))
  })
}

/** The tag keys that occur. */
export const tagKeysOf = (table: KeyTable): string[] => [...table.fields().keys()].filter((field) => field.startsWith(TAG_FIELD)).map((field) => field.slice(TAG_FIELD.length)).sort()
