import type { RowFinding } from '../../../core/charges/checkRow.ts'
import type { Queries } from '../../db/database.ts'

export interface WarningCount { rule: string; column: string; text: string; count: number; examples: { line: number; value: string }[] }

const EXAMPLES = 5
const MOST_KEPT = 1_000_000
const shortened = (value: string): string => (value.length > 300 ? value.slice(0, 300) + '…' : value)

/** What was found in the rows of a load: refusals kept one by one, warnings counted by rule with a few examples. */
export class Findings {
  private readonly warnings = new Map<string, WarningCount>()
  private pending: (string | number)[][] = []
  private kept = 0
  private lastRefused = 0
  refusedLines = 0

  constructor(private readonly loadId: number) {}

  get isRefused(): boolean {
    return this.refusedLines > 0
  }

  note(line: number, found: readonly RowFinding[]): void {
    for (const finding of found) {
      if (finding.refuses) this.refuse(line, finding)
      else this.warn(line, finding)
    }
  }

  private refuse(line: number, { rule, column, value, text }: RowFinding): void {
    if (line !== this.lastRefused) this.refusedLines++
    this.lastRefused = line
    if (this.kept < MOST_KEPT) this.pending.push([this.loadId, ++this.kept, line, rule, column, shortened(value), text])
  }

  private warn(line: number, { rule, column, value, text }: RowFinding): void {
    const name = rule + ' ' + column
    let warning = this.warnings.get(name)
    if (!warning) this.warnings.set(name, (warning = { rule, column, text, count: 0, examples: [] }))
    warning.count++
    if (warning.examples.length < EXAMPLES) warning.examples.push({ line, value: shortened(value) })
  }

  warningCounts(): WarningCount[] {
    return [...this.warnings.values()].sort((a, b) => b.count - a.count)
  }

  /** Writes refusals that are waiting; called often, so that memory stays bounded. */
  async save(queries: Queries): Promise<void> {
    const rows = this.pending
    this.pending = []
    if (rows.length > 0) await queries.insert('INSERT INTO load_findings (load_id, seq, line, rule, column_name, value, reason) VALUES ?', rows)
  }
}
