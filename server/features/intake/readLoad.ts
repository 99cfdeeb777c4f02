import { ChargeReader } from '../../../core/charges/chargeReader.ts'
import type { RowFinding } from '../../../core/charges/checkRow.ts'
import { CsvSplitter, rowTexts } from '../../../core/charges/csvSplitter.ts'
import { readHead, type ColumnMap, type Head } from '../../../core/charges/head.ts'
import type { ChargeWriter } from './chargeWriter.ts'
import { fileBytes, type ReadProgress } from './fileBytes.ts'
import type { Findings } from './findings.ts'

/** Beyond this number of distinct descriptions in one file the reader starts afresh, to bound its memory. */
const MOST_SHAPES = 300_000
/** The head and the first row of a file, to find the mapping of its provider. */
export async function peek(path: string): Promise<{ names: string[]; first: string[] }> {
  const rows: string[][] = []
  const splitter = new CsvSplitter((row) => { if (rows.length < 2) rows.push(rowTexts(row)) })
  let budget = 8 << 20
  for await (const piece of fileBytes(path, () => {})) {
    splitter.push(piece)
    budget -= piece.length
    if (rows.length >= 2 || budget < 0) break
  }
  if (rows.length < 2) splitter.end()
  return { names: rows[0] ?? [], first: rows[1] ?? [] }
}

/** Reads a whole file: every row is checked; charges go to the writer until the first refusal. */
export async function readLoad(path: string, map: ColumnMap, writer: ChargeWriter, findings: Findings, progress: (progress: ReadProgress) => Promise<void>): Promise<{ head: Head | null; lines: number }> {
  let head: Head | null = null
  let reader: ChargeReader | null = null
  let lines = 0
  const state: ReadProgress = { bytes: 0, lines: 0 }
  const newReader = (columns: readonly string[]): ChargeReader => new ChargeReader(columns, {
    charge: (charge, row) => { if (!findings.isRefused) writer.charge(charge, row) },
    findings: (line: number, found: readonly RowFinding[]) => findings.note(line, found),
    key: (shape, index) => writer.key(shape, index),
    detail: (shape, index) => writer.detail(shape, index),
  })
  const splitter = new CsvSplitter((row) => {
    if (!head) {
      head = readHead(rowTexts(row), map)
      if (head.problems.length === 0) reader = newReader(head.columns)
      return
    }
    lines++
    reader?.read(row)
  })
  for await (const piece of fileBytes(path, (bytes) => { state.bytes += bytes })) {
    splitter.push(piece)
    if ((head as Head | null)?.problems.length) break
    writer.lookAhead()
    if (writer.isFull) await writer.flush()
    if (reader && (reader as ChargeReader).shapeCount > MOST_SHAPES) {
      await writer.flush()
      writer.forgetShapes()
      reader = newReader(head!.columns)
    }
    state.lines = lines
    await progress(state)
  }
  splitter.end()
  await writer.openBills()
  return { head, lines }
}
