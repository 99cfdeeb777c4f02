import { CsvSplitter, rowTexts, type CellRanges } from '../../../core/charges/csvSplitter.ts'
import type { PackedTable } from '../../../core/packed/packedTable.ts'
import type { Problem } from '../../../core/problems.ts'
import { fileBytes, type ReadProgress } from './fileBytes.ts'

/** Keeps one measured day: of what, which day, how many things, how much of them, and the figures. */
export type KeepDay = (subject: string, day: string, things: number, amount: number, table: PackedTable) => Promise<void>
export interface MeasuredFile { problems: Problem[]; lines: number; write(keep: KeepDay): Promise<void> }

/** Reads a CSV whose head is checked first; rows are told only where the head is right. */
export async function readRowFile(path: string, progress: (progress: ReadProgress) => Promise<void>, open: (names: string[]) => { problems: Problem[]; read(row: CellRanges): void }): Promise<{ problems: Problem[]; lines: number }> {
  const state: ReadProgress = { bytes: 0, lines: 0 }
  let reader: ReturnType<typeof open> | null = null
  const splitter = new CsvSplitter((row) => {
    if (!reader) {
      reader = open(rowTexts(row))
      return
    }
    state.lines++
    if (reader.problems.length === 0) reader.read(row)
  })
  for await (const piece of fileBytes(path, (bytes) => { state.bytes += bytes })) {
    splitter.push(piece)
    if ((reader as ReturnType<typeof open> | null)?.problems.length) break
    await progress(state)
  }
  splitter.end()
  return { problems: (reader as ReturnType<typeof open> | null)?.problems ?? [], lines: state.lines }
}
