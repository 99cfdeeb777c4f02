/** An exact quotient of integers, the divisor above zero and without a common factor. */
export class Fraction {
  static readonly ZERO = new Fraction(0n, 1n)
  static readonly ONE = new Fraction(1n, 1n)

  private constructor(readonly over: bigint, readonly under: bigint) {}

  /** Throws a RangeError where the divisor is zero. */
  static of(over: bigint, under = 1n): Fraction {
    if (under === 0n) throw new RangeError('a fraction over zero')
    const divisor = commonDivisor(over, under) * (under < 0n ? -1n : 1n)
    return new Fraction(over / divisor, under / divisor)
  }

  plus({ over, under }: Fraction): Fraction { return Fraction.of(this.over * under + over * this.under, this.under * under) }
  minus({ over, under }: Fraction): Fraction { return Fraction.of(this.over * under - over * this.under, this.under * under) }
  times({ over, under }: Fraction): Fraction { return Fraction.of(this.over * over, this.under * under) }
  dividedBy({ over, under }: Fraction): Fraction { return Fraction.of(this.over * under, this.under * over) }
  get isZero(): boolean { return this.over === 0n }
  /** `7/3`, or `7` where it is whole. */
  toString(): string { return this.under === 1n ? String(this.over) : `${this.over}/${this.under}` }

  /** Cut towards zero. */
  get whole(): bigint { return this.over / this.under }
  /** Below zero, zero or above it, as this one is below, equal to or above the other. */
  compare({ over, under }: Fraction): bigint { return this.over * under - over * this.under }
}

/** Euclid's algorithm, on magnitudes; 1 for two zeros, so that it can always divide. */
export function commonDivisor(a: bigint, b: bigint): bigint {
  let [x, y] = [a < 0n ? -a : a, b < 0n ? -b : b]
  while (y > 0n) [x, y] = [y, x % y]
  return x || 1n
}

export const sumOf = (fractions: readonly Fraction[]): Fraction => fractions.reduce((sum, one) => sum.plus(one), Fraction.ZERO)

/**
 * Whole parts of fractions that add up to a whole number, by largest remainder: each is cut towards zero, and what is then
 * missing goes, one each, to the largest remainders on the side it is missing from; ties to the earliest.
 */
export function wholeParts(fractions: readonly Fraction[]): bigint[] {
  const total = sumOf(fractions)
  if (total.under !== 1n) throw new Error('the fractions do not add up to a whole')
  const parts = fractions.map(({ whole }) => whole)
  const missing = total.over - parts.reduce((sum, part) => sum + part, 0n)
  const direction = missing < 0n ? -1n : 1n
  const remainders = fractions.map((fraction, index) => fraction.minus(Fraction.of(parts[index]!)).times(Fraction.of(direction)))
  const order = fractions.map((_, index) => index).sort((a, b) => { const larger = remainders[b]!.compare(remainders[a]!); return larger === 0n ? a - b : larger > 0n ? 1 : -1 })
  for (const index of order.slice(0, Number(missing * direction))) parts[index] = parts[index]! + direction
  return parts
}
