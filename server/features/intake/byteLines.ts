/** A growing buffer of ASCII text, written byte by byte: many times faster here than joining strings. */
export class ByteLines {
  buffer: Buffer
  length = 0

  constructor(size = 1 << 20) {
    this.buffer = Buffer.allocUnsafe(size)
  }

  text(text: string): void {
    this.room(text.length)
    for (let index = 0; index < text.length; index++) this.buffer[this.length++] = text.charCodeAt(index)
  }

  bytes(source: Uint8Array, start: number, end: number): void {
    this.room(end - start)
    for (let index = start; index < end; index++) this.buffer[this.length++] = source[index]!
  }

  tab(): void {
    this.room(1)
    this.buffer[this.length++] = 9
  }

  newline(): void {
    this.room(1)
    this.buffer[this.length++] = 10
  }

  clear(): void {
    this.length = 0
  }

  /** What was written, without a copy; the buffer must not be written to again. */
  taken(): Buffer {
    return this.buffer.subarray(0, this.length)
  }

  private room(more: number): void {
    if (this.length + more <= this.buffer.length) return
    const larger = Buffer.allocUnsafe(Math.max(this.buffer.length * 2, this.length + more))
    this.buffer.copy(larger, 0, 0, this.length)
    this.buffer = larger
  }
}
