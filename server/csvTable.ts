import { parse } from 'csv-parse/sync'
import { stringify } from 'csv-stringify/sync'

export interface TableRow { line: number; values: Record<string, string> }

const FORMULA = /^[=+\-@\t\r]/
/** The apostrophe that `safe` put before a text is taken off again. */
const plain = (cell: string): string => (cell.startsWith("'") && FORMULA.test(cell.slice(1)) ? cell.slice(1) : cell)

/** Reads a small CSV with a head, of which some columns are needed; those that are missing and lines of another length are named. */
export function readTable(text: string, columns: readonly string[]): { rows: TableRow[]; problems: string[] } {
  const problems: string[] = []
  let cells: string[][] = []
  try {
    cells = parse(text, { bom: true, relax_column_count: true, skip_empty_lines: true, trim: true })
  } catch (error) {
    return { rows: [], problems: [`the text is no CSV: ${(error as Error).message}`] }
  }
  const head = cells[0] ?? []
  const missing = columns.filter((column) => !head.includes(column))
  if (missing.length > 0) return { rows: [], problems: [`line 1: the column ${missing.join(', ')} is missing; needed are ${columns.join(', ')}`] }
  const rows = cells.slice(1).map((row, index): TableRow => {
    if (row.length !== head.length) problems.push(`line ${index + 2}: ${row.length} cells instead of ${head.length}`)
    return { line: index + 2, values: Object.fromEntries([...new Set([...columns, ...head])].map((column) => [column, plain(row[head.indexOf(column)] ?? '')])) }
  })
  return { rows, problems }
}

const safe = (value: string): string => (FORMULA.test(value) && !/^-?\d+(\.\d+)?$/.test(value) ? "'" + value : value)

/** Writes CSV that no spreadsheet takes for formulas: a text that begins with = + - @ gets an apostrophe, a number stays. */
export const writeRows = (rows: readonly (readonly string[])[]): string => stringify(rows.map((row) => row.map(safe)))
export const writeTable = (head: readonly string[], rows: readonly (readonly string[])[]): string => writeRows([head, ...rows])
