// AssemblyScript, compiled to WebAssembly by bin/lib/scanner.mjs: finds the cells of CSV rows sixteen bytes at a time and
// hashes them eight at a time. Called through ../rowScanner.ts, which says what the numbers mean.

const QUOTE: i32 = 34
const COMMA: i32 = 44
const LF: i32 = 10
const CR: i32 = 13

export const MOST_CELLS: i32 = 4096
/** the longest row, a piece of a file, and room to read beyond the end */
export const BUFFER_BYTES: i32 = (4 << 20) + (1 << 20) + 64
const LISTS: i32 = 5

const starts = memory.data(4096 * 4, 16)
const ends = memory.data(4096 * 4, 16)
const doubled = memory.data(4096, 16)
const lists = memory.data(5 * 4096 * 4, 16)
const result = memory.data(4 * 4, 16)
/** of up to 32 figures: whole units, then fractions */
const figures = memory.data(2 * 32 * 8, 16)
const buffer = memory.data((4 << 20) + (1 << 20) + 64, 16)

export function startsAt(): usize { return starts }
export function endsAt(): usize { return ends }
export function doubledAt(): usize { return doubled }
export function listAt(list: i32): usize { return lists + <usize>(list % LISTS) * 4096 * 4 }
export function resultAt(): usize { return result }
export function figuresAt(): usize { return figures }
export function bufferAt(): usize { return buffer }

// @ts-ignore: decorator
@inline
function either(at: usize, first: i32, second: i32): i32 {
  const bytes = v128.load(at)
  return i8x16.bitmask(v128.or(i8x16.eq(bytes, i8x16.splat(<i8>first)), i8x16.eq(bytes, i8x16.splat(<i8>second))))
}

/** Address of the next byte that is one of two, from `at` on; one of them must come. */
// @ts-ignore: decorator
@inline
function next(at: usize, first: i32, second: i32): usize {
  let block = at & ~15
  let mask = either(block, first, second) & (-1 << (<i32>at & 15))
  while (mask == 0) {
    block += 16
    mask = either(block, first, second)
  }
  return block + <usize>ctz(mask)
}

/**
 * Scans one row from an offset of the buffer, in which `end` is a line feed put there so that no loop has to look for the
 * end. Returns the offset behind the row, or -1 where the row is not complete yet. Leaves the number of cells, the number
 * of lines and whether the row is well formed in the result.
 */
export function scanRow(from: i32, endOffset: i32, isLast: bool): i32 {
  const end = buffer + <usize>endOffset
  let at = buffer + <usize>from
  let count: i32 = 0
  let lines: i32 = 1
  let wellFormed: i32 = 1
  if (at >= end) return -1
  for (;;) {
    let byte = <i32>load<u8>(at)
    if (byte == QUOTE) {
      const start = at + 1
      let hasDoubled: i32 = 0
      for (;;) {
        at = next(at + 1, QUOTE, LF)
        if (load<u8>(at) == QUOTE) {
          if (load<u8>(at + 1) != QUOTE) break
          hasDoubled = 1
          at++
        } else {
          if (at >= end) break
          lines++
        }
      }
      // the closing mark may be the first of a doubled one whose second has not arrived
      if (at >= end - 1 && !isLast) return -1
      if (at >= end) wellFormed = 0
      store<i32>(starts + (<usize>count << 2), <i32>(start - buffer))
      store<i32>(ends + (<usize>count << 2), <i32>((at < end ? at : end) - buffer))
      store<u8>(doubled + <usize>count, hasDoubled)
      count++
      if (at < end) at++
      byte = <i32>load<u8>(at)
      if (byte != COMMA && byte != LF && byte != CR) wellFormed = 0
      at = next(at, COMMA, LF)
      byte = <i32>load<u8>(at)
    } else {
      const start = at
      at = next(at, COMMA, LF)
      byte = <i32>load<u8>(at)
      const stop = byte == LF && at > start && load<u8>(at - 1) == CR ? at - 1 : at
      store<i32>(starts + (<usize>count << 2), <i32>(start - buffer))
      store<i32>(ends + (<usize>count << 2), <i32>(stop - buffer))
      store<u8>(doubled + <usize>count, 0)
      count++
    }
    if (byte == COMMA && count < MOST_CELLS) at++
    else break
  }
  // the line feed that ended the row is the one put at the end: there may be more to come
  if (at >= end && !isLast) return -1
  store<i32>(result, count)
  store<i32>(result + 4, lines)
  store<i32>(result + 8, wellFormed)
  return <i32>(at - buffer) + 1
}

const K1: u64 = 0x9e3779b97f4a7c15
const K2: u64 = 0xc2b2ae3d27d4eb4f
const K3: u64 = 0x165667b19e3779f9

/**
 * Hashes the cells of a list of columns of the row scanned last: two lanes of multiply and shift, folded to 64 bits.
 * Leaves both halves and the number of bytes in the result.
 */
export function hashCells(list: i32, columns: i32, seed: i32): void {
  const from = listAt(list)
  let a: u64 = <u64><u32>seed * K1 + K2
  let b: u64 = ~(<u64><u32>seed) * K3
  let total: i32 = 0
  for (let index: i32 = 0; index < columns; index++) {
    const column = <usize>load<i32>(from + (<usize>index << 2)) << 2
    let at = buffer + <usize>load<i32>(starts + column)
    const end = buffer + <usize>load<i32>(ends + column)
    const length = <i32>(end - at)
    total += length
    for (; at + 8 <= end; at += 8) {
      const word = load<u64>(at)
      a = (a ^ word) * K1
      a ^= a >> 32
      b = (b + word) * K2
      b ^= b >> 29
    }
    const left = end - at
    const word = left > 0 ? load<u64>(at) & ((<u64>1 << (<u64>left << 3)) - 1) : 0
    // the length keeps a cell apart from the next one
    a = (a ^ word) * K1
    a ^= (a >> 32) + <u64>length
    b = (b + word + <u64>length * K3) * K2
    b ^= b >> 29
  }
  a = (a ^ (a >> 29)) * K3
  b = (b ^ (b >> 32)) * K1
  const hash = a ^ (b >> 31) ^ (b << 33)
  store<i32>(result, <i32>hash)
  store<i32>(result + 4, <i32>(hash >> 32))
  store<i32>(result + 8, total)
}

/** A bit for each of up to 31 columns of a list whose cell is not empty; a column of -1 is none. */
export function givenCells(list: i32, columns: i32): i32 {
  const from = listAt(list)
  let given: i32 = 0
  for (let index: i32 = 0; index < columns; index++) {
    const column = load<i32>(from + (<usize>index << 2))
    if (column < 0) continue
    const place = <usize>column << 2
    if (load<i32>(starts + place) != load<i32>(ends + place)) given |= 1 << index
  }
  return given
}

/** Whether a cell has no digit but 0. */
export function isZero(column: i32): bool {
  const place = <usize>column << 2
  const end = buffer + <usize>load<i32>(ends + place)
  for (let at = buffer + <usize>load<i32>(starts + place); at < end; at++) {
    const byte = <i32>load<u8>(at)
    if (byte >= 49 && byte <= 57) return false
  }
  return true
}

/**
 * Reads the cells of a list as decimals of up to twelve whole digits and ten decimals into the figures. Returns a bit for
 * each that is written otherwise (an exponent, more digits, no number): those are the caller's to read.
 */
export function readFigures(list: i32, columns: i32): i32 {
  const from = listAt(list)
  let unread: i32 = 0
  for (let index: i32 = 0; index < columns; index++) {
    const column = load<i32>(from + (<usize>index << 2))
    if (column < 0) continue
    const place = <usize>column << 2
    let at = buffer + <usize>load<i32>(starts + place)
    const end = buffer + <usize>load<i32>(ends + place)
    let whole: i64 = 0
    let fraction: i64 = 0
    const negative = at < end && load<u8>(at) == 45
    if (negative) at++
    const wholeStart = at
    for (; at < end; at++) {
      const digit = <i32>load<u8>(at) - 48
      if (<u32>digit > 9) break
      whole = whole * 10 + digit
    }
    const wholeDigits = <i32>(at - wholeStart)
    let decimals: i32 = 0
    if (at < end && load<u8>(at) == 46) {
      at++
      for (; at < end && decimals < 10; at++, decimals++) {
        const digit = <i32>load<u8>(at) - 48
        if (<u32>digit > 9) break
        fraction = fraction * 10 + digit
      }
    }
    if (at < end || wholeDigits == 0 || wholeDigits > 12) {
      unread |= 1 << index
      continue
    }
    for (; decimals < 10; decimals++) fraction *= 10
    const target = figures + (<usize>index << 3)
    store<f64>(target, <f64>(negative ? -whole : whole))
    store<f64>(target + 32 * 8, <f64>(negative ? -fraction : fraction))
  }
  return unread
}
