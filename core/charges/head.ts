import { NEEDED_COLUMNS, DRAFT_NAMES, FOCUS_COLUMNS, isFocusColumn, type FocusColumnName } from './focusColumns.ts'
import type { Problem } from '../problems.ts'

/** Names of the file to columns of the standard, mapped by hand once for a provider. */
export type ColumnMap = Readonly<Record<string, string>>

export interface Head {
  /** column names in file order, mapped to the standard */
  columns: string[]
  problems: Problem[]
  /** mandatory columns of the standard that are not there but that accounting can do without */
  missingMandatory: string[]
  /** for each needed column that is missing: the column of the file that a draft of the standard called so */
  proposals: Record<string, string | null>
  /** columns of the file that the standard does not know, to choose from */
  unknown: string[]
}

/** Reads the head of a FOCUS file: order is free, names are exact, `x_` columns are kept, needed ones must be there once. */
export function readHead(names: readonly string[], map: ColumnMap = {}): Head {
  const columns = names.map((name) => map[name.trim()] ?? name.trim())
  const doubled = columns.filter((name, index) => isFocusColumn(name) && columns.indexOf(name) !== index)
  const missing = NEEDED_COLUMNS.filter((name) => !columns.includes(name))
  const draftFor = (column: FocusColumnName): string | null => names.find((name) => DRAFT_NAMES[name] === column) ?? null
  return {
    columns,
    problems: [
      ...doubled.map((name): Problem => ({ code: 'COLUMN_DOUBLED', message: `The column ${name} is there twice.`, subject: name, line: 1 })),
      ...missing.map((name): Problem => ({ code: 'COLUMN_MISSING', message: `The column ${name} is missing.`, subject: name, line: 1 })),
    ],
    missingMandatory: Object.entries(FOCUS_COLUMNS)
      .filter(([name, column]) => column.mandatory && !columns.includes(name) && !missing.includes(name as FocusColumnName))
      .map(([name]) => name),
    proposals: Object.fromEntries(missing.map((name) => [name, draftFor(name)])),
    unknown: columns.filter((name) => !isFocusColumn(name)),
  }
}
