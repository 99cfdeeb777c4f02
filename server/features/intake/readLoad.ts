import { open, type FileHandle } from 'node:fs/promises'
import { createGunzip } from 'node:zlib'
import { ChargeReader } from '../../../core/charges/chargeReader.ts'
import type { RowFinding } from '../../../core/charges/checkRow.ts'
import { CsvSplitter, rowTexts } from '../../../core/charges/csvSplitter.ts'
import { readHead, type ColumnMap, type Head } from '../../../core/charges/head.ts'
import type { ChargeWriter } from './chargeWriter.ts'
import type { Findings } from './findings.ts'

/** Beyond this number of distinct descriptions in one file the reader starts afresh, to bound its memory. */
const MOST_SHAPES = 300_000
const LARGEST_UNPACKED = 512 * 2 ** 30

export interface ReadProgress { bytes: number; lines: number }

/** Small enough that answers of the database are looked at between two pieces. */
const PIECE = 1 << 18

/** The pieces of a file, read into two buffers in turn: the next is read while one is worked on, so a piece must not be kept. */
async function* filePieces(file: FileHandle): AsyncGenerator<Buffer> {
  const buffers = [Buffer.allocUnsafe(PIECE), Buffer.allocUnsafe(PIECE)]
  const readInto = (turn: number): Promise<{ bytesRead: number }> => file.read(buffers[turn % 2]!, 0, PIECE, null)
  let reading = readInto(0)
  for (let turn = 0; ; turn++) {
    const { bytesRead } = await reading
    if (bytesRead === 0) return
    reading = readInto(turn + 1)
    reading.catch(() => {})
    yield buffers[turn % 2]!.subarray(0, bytesRead)
  }
}

/** The bytes of a file, unpacked where it begins like gzip, whatever its name says; `seen` counts the bytes on disk. */
async function* fileBytes(path: string, seen: (bytes: number) => void): AsyncGenerator<Buffer> {
  const file = await open(path)
  try {
    const start = Buffer.alloc(2)
    await file.read(start, 0, 2, 0)
    if (start[0] !== 0x1f || start[1] !== 0x8b) {
      for await (const piece of filePieces(file)) {
        seen(piece.length)
        yield piece
      }
      return
    }
    const raw = file.createReadStream({ start: 0, highWaterMark: PIECE, autoClose: false })
    raw.on('data', (piece) => seen(piece.length))
    const unpacked = createGunzip({ chunkSize: PIECE })
    raw.on('error', (error) => unpacked.destroy(error))
    for await (const piece of raw.pipe(unpacked)) yield piece as Buffer
  } finally {
    await file.close()
  }
}

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
  let unpacked = 0
  for await (const piece of fileBytes(path, (bytes) => { state.bytes += bytes })) {
    unpacked += piece.length
    if (unpacked > LARGEST_UNPACKED) throw new RangeError('the unpacked file is larger than 512 GB')
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
