/** One unit of currency in 10^-10; a fraction counter below 2^53 holds many of them before it must carry. */
const UNIT_AS_NUMBER = 1e10

/**
 * Exact running sums in pairs of floats: whole units and ten-decimal fractions apart, both integers below 2^53, so that
 * adding is exact and some ten times faster than bigint. Grows by slot.
 */
export class ExactSums {
  private wholes = new Float64Array(1024)
  private fractions = new Float64Array(1024)

  add(slot: number, whole: number, fraction: number): void {
    if (slot >= this.wholes.length) this.grow(slot)
    const sum = this.fractions[slot]! + fraction
    const carry = Math.trunc(sum / UNIT_AS_NUMBER)
    this.fractions[slot] = sum - carry * UNIT_AS_NUMBER
    this.wholes[slot] = this.wholes[slot]! + whole + carry
  }

  /** The sum of the slot in 10^-10 units. Throws where a whole has left the range in which floats count exactly. */
  units(slot: number): bigint {
    const whole = this.wholes[slot] ?? 0
    if (!Number.isSafeInteger(whole)) throw new RangeError('sum too large')
    return BigInt(whole) * 10_000_000_000n + BigInt(this.fractions[slot] ?? 0)
  }

  /** The sum of the slot as a decimal with ten places, without a detour by bigint. */
  text(slot: number): string {
    const whole = this.wholes[slot] ?? 0
    if (!Number.isSafeInteger(whole)) throw new RangeError('sum too large')
    let units = whole
    let fraction = this.fractions[slot] ?? 0
    // both on one side of zero
    if (units > 0 && fraction < 0) { units--; fraction += UNIT_AS_NUMBER }
    if (units < 0 && fraction > 0) { units++; fraction -= UNIT_AS_NUMBER }
    if (fraction === 0) return String(units)
    const sign = units < 0 || fraction < 0 ? '-' : ''
    return `${sign}${Math.abs(units)}.${String(Math.abs(fraction)).padStart(10, '0')}`
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
