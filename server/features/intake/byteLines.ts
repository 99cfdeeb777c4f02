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

  /** A whole number from 0 to 2^31, digit by digit: no text in between. */
  number(value: number): void {
    this.room(10)
    let digits = 1
    for (let rest = value | 0; rest >= 10; rest = (rest / 10) | 0) digits++
    const { buffer, length } = this
    for (let at = length + digits - 1, rest = value | 0; at >= length; at--) {
      const tens = (rest / 10) | 0
      buffer[at] = 48 + rest - tens * 10
      rest = tens
    }
    this.length = length + digits
  }

  bytes(source: Uint8Array, start: number, end: number): void {
    this.room(end - start)
    const { buffer } = this
    let at = this.length
    for (let index = start; index < end; index++) buffer[at++] = source[index]!
    this.length = at
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
