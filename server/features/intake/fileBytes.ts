import { open, type FileHandle } from 'node:fs/promises'
import { createGunzip } from 'node:zlib'

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

/** The bytes of a file, at most 512 GB once unpacked: unpacked where it begins like gzip, whatever its name says; `seen` counts the bytes on disk. */
export async function* fileBytes(path: string, seen: (bytes: number) => void): AsyncGenerator<Buffer> {
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
    let size = 0
    for await (const piece of raw.pipe(unpacked)) {
      size += (piece as Buffer).length
      if (size > LARGEST_UNPACKED) throw new RangeError('the unpacked file is larger than 512 GB')
      yield piece as Buffer
    }
  } finally {
    await file.close()
  }
}
