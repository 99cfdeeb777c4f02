import { CLUSTER_FIELDS } from '../charges/attributes.ts'
import { FieldColumn, type KeyTable } from '../classify/keyTable.ts'

/**
 * The column of a field by which tags are taken from surroundings. A part of a metered node is not the node: what workloads carry says
 * nothing of others on it, so parts stand nowhere but in the fields of clusters.
 */
export function placeColumn(table: KeyTable, from: string): FieldColumn {
  const column = table.column(from)
  const use = table.column('ClusterUse')
  if (use.values.length === 1 || (CLUSTER_FIELDS as readonly string[]).includes(from)) return column
  return new FieldColumn(column.codes.map((code, row) => ((use.values[use.codes[row]!] ?? 'unmetered') === 'unmetered' ? code : 0)), column.values, column.codeOf)
}
