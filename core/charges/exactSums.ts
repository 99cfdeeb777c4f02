/** One unit of currency in 10^-10; a fraction counter below 2^53 holds many of them before it must carry. */
const UNIT_AS_NUMBER = 1e10
/** fractions are carried into wholes before they could leave the range of exact integers, which is after many additions */
const CARRIED = 2 ** 52

/**
 * Exact running sums in pairs of floats: whole units and ten-decimal fractions apart, both integers below 2^53, so that
 * adding is exact and some ten times faster than bigint. Grows by slot.
 */
export class ExactSums {
  private wholes = new Float64Array(1024)
  private fractions = new Float64Array(1024)

  add(slot: number, whole: number, fraction: number): void {
    if (slot >= this.wholes.length) this.grow(slot)
    this.wholes[slot] = this.wholes[slot]! + whole
    const sum = (this.fractions[slot] = this.fractions[slot]! + fraction)
    if (sum >= CARRIED || sum <= -CARRIED) this.carry(slot)
  }

  private carry(slot: number): void {
    const carry = Math.trunc(this.fractions[slot]! / UNIT_AS_NUMBER)
    this.fractions[slot] = this.fractions[slot]! - carry * UNIT_AS_NUMBER
    this.wholes[slot] = this.wholes[slot]! + carry
  }

  /** The sum of the slot in 10^-10 units. Throws where a whole has left the range in which floats count exactly. */
  units(slot: number): bigint {
    const whole = this.wholes[slot] ?? 0
    if (!Number.isSafeInteger(whole)) throw new RangeError('sum too large')
    return BigInt(whole) * 10_000_000_000n + BigInt(this.fractions[slot] ?? 0)
  }

  /** Puts the sum of the slot into a row of columns, whole units and fraction both on one side of zero, so that equal sums are equal pairs. */
  put(slot: number, { wholes, fractions }: { wholes: Float64Array; fractions: Float64Array }, row: number): void {
    if (slot < this.fractions.length) this.carry(slot)
    let whole = this.wholes[slot] ?? 0
    if (!Number.isSafeInteger(whole)) throw new RangeError('sum too large')
    let fraction = this.fractions[slot] ?? 0
    if (whole > 0 && fraction < 0) { whole--; fraction += UNIT_AS_NUMBER }
    if (whole < 0 && fraction > 0) { whole++; fraction -= UNIT_AS_NUMBER }
    wholes[row] = whole
    fractions[row] = fraction
  }

  /** The sum of the slot as a decimal with ten places, without a detour by bigint. */
  text(slot: number): string {
    const pair = { wholes: new Float64Array(1), fractions: new Float64Array(1) }
    this.put(slot, pair, 0)
    const [whole, fraction] = [pair.wholes[0]!, pair.fractions[0]!]
    if (fraction === 0) return String(whole)
    const sign = whole < 0 || fraction < 0 ? '-' : ''
    return `${sign}${Math.abs(whole)}.${String(Math.abs(fraction)).padStart(10, '0')}`
  }

  private grow(slot: number): void {
    const size = Math.max(this.wholes.length * 2, slot + 1)
    const [wholes, fractions] = [this.wholes, this.fractions]
    this.wholes = new Float64Array(size)
    this.fractions = new Float64Array(size)
    this.wholes.set(wholes)
    this.fractions.set(fractions)
  }
}
