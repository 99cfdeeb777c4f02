import { TAG_FIELD } from '../charges/attributes.ts'
import type { Condition } from '../types.ts'
import type { KeyTable } from './keyTable.ts'

const PLACE = ['ProviderName', 'SubAccountId', 'ServiceName'] as const

/**
 * Rows that nobody took, gathered by where they come from and which tags they carry. The conditions are what all rows
 * of the group have in common, ready to become a rule.
 */
export function groupUnassigned(table: KeyTable, rows: readonly number[]): { conditions: Condition[]; rows: number[] }[] {
  const tags = [...table.fields().keys()].filter((field) => field.startsWith(TAG_FIELD)).sort()
  const place = PLACE.map((field) => table.column(field))
  const carried = tags.map((field) => table.column(field))
  const groups = new Map<string, number[]>()
  for (const row of rows) {
    const name = [...place.map(({ codes }) => codes[row]), ...tags.filter((_, index) => carried[index]!.codes[row]! > 0)].join('\u0000')
    const group = groups.get(name)
    if (group) group.push(row)
    else groups.set(name, [row])
  }
  return [...groups.values()].map((group) => ({ rows: group, conditions: commonConditions(table, group, [...PLACE, ...tags]) }))
}

function commonConditions(table: KeyTable, group: readonly number[], fields: readonly string[]): Condition[] {
  return fields.flatMap((field): Condition[] => {
    const { codes, values } = table.column(field)
    const code = codes[group[0]!]!
    return code === 0 || group.some((row) => codes[row] !== code) ? [] : [{ field, operator: 'is', values: [values[code]!] }]
  })
}
