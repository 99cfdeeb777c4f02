/** Amounts are integers of 10^-10 of their currency, so that sums never round. */
export const SCALE = 10

const DECIMAL = /^([+-]?)(\d*)(?:\.(\d*))?(?:[eE]([+-]?\d{1,3}))?$/

export interface ParsedAmount {
  /** the amount in 10^-10 units */
  units: bigint
  /** false when the text had digits beyond the tenth decimal, which were rounded half to even */
  exact: boolean
}

/**
 * Reads a plain decimal (`-12.5`, `3E0`, `.5`), as the FOCUS numeric format allows it.
 * Returns null for anything else: thousands separators, currency signs, blanks, hexadecimal, infinity.
 */
export function parseAmount(text: string): ParsedAmount | null {
  const match = DECIMAL.exec(text)
  if (!match) return null
  const [, sign, whole = '', fraction = '', exponent = '0'] = match
  if (whole === '' && fraction === '') return null
  const digits = BigInt(whole + fraction)
  const shift = SCALE - fraction.length + Number(exponent)
  const { units, exact } = shift >= 0 ? { units: digits * 10n ** BigInt(shift), exact: true } : scaleDown(digits, -shift)
  return { units: sign === '-' ? -units : units, exact }
}

function scaleDown(digits: bigint, places: number): ParsedAmount {
  const divisor = 10n ** BigInt(places)
  return { units: roundedQuotient(digits, divisor), exact: digits % divisor === 0n }
}

/** value / divisor, rounded half to even; mirrors negatives. */
export function roundedQuotient(value: bigint, divisor: bigint): bigint {
  const magnitude = value < 0n ? -value : value
  let quotient = magnitude / divisor
  const twice = (magnitude % divisor) * 2n
  if (twice > divisor || (twice === divisor && quotient % 2n === 1n)) quotient += 1n
  return value < 0n ? -quotient : quotient
}

/** Reads an amount that the program itself wrote; throws where it is not one. */
export function amountOf(text: string): bigint {
  const parsed = parseAmount(text)
  if (!parsed?.exact) throw new Error(`not an exact amount: ${text}`)
  return parsed.units
}

/** Reads a decimal that is known to have exactly ten decimals, as DECIMAL(22, 10) arrives: several times faster than the general way. */
export function storedAmount(text: string): bigint {
  const point = text.length - SCALE - 1
  return text[point] === '.' ? BigInt(text.slice(0, point) + text.slice(point + 1)) : amountOf(text)
}

/** Writes an integer of 10^-scale as a decimal with at least `digits` decimals and no other trailing zeros. */
export function formatAmount(units: bigint, digits = 0, scale = SCALE): string {
  const magnitude = (units < 0n ? -units : units).toString().padStart(scale + 1, '0')
  const whole = magnitude.slice(0, magnitude.length - scale)
  const fraction = magnitude.slice(magnitude.length - scale).replace(/0+$/, '').padEnd(digits, '0')
  return (units < 0n ? '-' : '') + whole + (fraction ? '.' + fraction : '')
}

/** Approximate value for charts and statistics: here exact becomes a float. */
export const approximate = (units: bigint, scale = SCALE): number => Number(formatAmount(units, 0, scale))

/** Rounds an integer of 10^-scale to `digits` decimals; the result is an integer of 10^-digits. */
export const roundTo = (units: bigint, digits: number, scale = SCALE): bigint =>
  roundedQuotient(units, 10n ** BigInt(scale - digits))
