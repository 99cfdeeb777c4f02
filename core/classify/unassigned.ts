import { TAG_FIELD } from '../charges/attributes.ts'
import type { Condition, KeyFigures } from '../types.ts'

const PLACE = ['ProviderName', 'SubAccountId', 'ServiceName'] as const

/**
 * Keys that nobody took, gathered by where they come from and which tags they carry. The conditions are what all keys
 * of the group have in common, ready to become a rule.
 */
export function groupUnassigned(keys: readonly KeyFigures[]): { conditions: Condition[]; keys: KeyFigures[] }[] {
  const groups = new Map<string, KeyFigures[]>()
  for (const key of keys) {
    const tags = Object.keys(key.attributes).filter((field) => field.startsWith(TAG_FIELD)).sort()
    const name = [...PLACE.map((field) => key.attributes[field] ?? ''), ...tags].join('\u0000')
    groups.set(name, [...(groups.get(name) ?? []), key])
  }
  return [...groups.values()].map((group) => ({ keys: group, conditions: commonConditions(group) }))
}

function commonConditions(group: readonly KeyFigures[]): Condition[] {
  const first = group[0]!.attributes
  const fields = [...PLACE, ...Object.keys(first).filter((field) => field.startsWith(TAG_FIELD)).sort()]
  return fields.flatMap((field): Condition[] => {
    const value = first[field]
    if (value === undefined || group.some(({ attributes }) => attributes[field] !== value)) return []
    return [{ field, operator: 'is', values: [value] }]
  })
}
