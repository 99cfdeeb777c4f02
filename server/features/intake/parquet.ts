import { createWriteStream } from 'node:fs'
import { open } from 'node:fs/promises'
import { once } from 'node:events'
import { asyncBufferFromFile, parquetMetadataAsync, parquetReadObjects, parquetSchema } from 'hyparquet'
import { compressors } from 'hyparquet-compressors'
import { stringify } from 'csv-stringify/sync'

const MAGIC = 'PAR1'

export async function isParquet(path: string): Promise<boolean> {
  const file = await open(path)
  try {
    const { buffer, bytesRead } = await file.read(Buffer.alloc(4), 0, 4, 0)
    return bytesRead === 4 && buffer.toString('latin1') === MAGIC
  } finally {
    await file.close()
  }
}

/** What a cell of Parquet is in a CSV: dates as the standard writes them, maps and lists as JSON. */
function cellText(value: unknown): string {
  if (value === null || value === undefined) return ''
  if (value instanceof Date) return value.toISOString().replace('.000Z', 'Z')
  if (Array.isArray(value) && value.every((one) => one !== null && typeof one === 'object' && 'key' in one && 'value' in one)) return JSON.stringify(Object.fromEntries(value.map((one: { key: string; value: unknown }) => [one.key, one.value])))
  if (typeof value === 'object') return JSON.stringify(value, (_name, inner: unknown) => (typeof inner === 'bigint' ? String(inner) : inner))
  if (typeof value === 'number' && !Number.isInteger(value)) return plainDecimal(value)
  return String(value)
}

/** A double as a plain decimal: as short as it reads back the same, never with an exponent. */
function plainDecimal(value: number): string {
  const text = String(value)
  return text.includes('e') ? value.toFixed(20).replace(/0+$/, '') : text
}

/**
 * Writes a Parquet file as CSV beside it, a row group at a time, so that whatever is in it is checked and read like any other file. Throws a
 * RangeError where it is damaged.
 */
export async function unpackParquet(path: string): Promise<string> {
  const to = `${path}.csv`
  const out = createWriteStream(to)
  try {
    const file = await asyncBufferFromFile(path)
    const metadata = await parquetMetadataAsync(file)
    const columns = parquetSchema(metadata).children.map(({ element }) => element.name)
    out.write(stringify([columns]))
    let rowStart = 0
    for (const group of metadata.row_groups) {
      const rowEnd = rowStart + Number(group.num_rows)
      const rows = await parquetReadObjects({ file, metadata, compressors, rowStart, rowEnd })
      if (!out.write(stringify(rows.map((row) => columns.map((column) => cellText(row[column])))))) await once(out, 'drain')
      rowStart = rowEnd
    }
  } catch (error) {
    throw new RangeError(`the Parquet file is damaged or cut short (${(error as Error).message})`)
  } finally {
    out.end()
    await once(out, 'close')
  }
  return to
}
