import type { Term, Workings } from '../../core/workings/workings.ts'

/** A quotient of integers; nothing of the program's own arithmetic is used here. */
interface Quotient { over: bigint; under: bigint }

function quotientOf(decimal: string): Quotient {
  const [whole, fraction = ''] = decimal.split('.')
  return { over: BigInt(`${whole}${fraction}`), under: 10n ** BigInt(fraction.length) }
}
const minus = (a: Quotient, b: Quotient): Quotient => ({ over: a.over * b.under - b.over * a.under, under: a.under * b.under })
/** Whether two quotients lie no further apart than some units of the tenth decimal. */
function isNear(a: Quotient, b: Quotient, units: bigint): boolean {
  const { over, under } = minus(a, b)
  const distance = (over < 0n ? -over : over) * 10n ** 10n
  return distance <= units * under
}

const joined = (acc: Quotient, { sign, amount, unit }: Term): Quotient => {
  const { over, under } = quotientOf(amount)
  // percentages stand as such
  const by = unit === '%' ? { over, under: under * 100n } : { over, under }
  switch (sign) {
    case '+': return { over: acc.over * under + over * acc.under, under: acc.under * under }
    case '−': return minus(acc, { over, under })
    case '×': return { over: acc.over * by.over, under: acc.under * by.under }
    case '÷': return { over: acc.over * by.under, under: acc.under * by.over }
    default: return { over, under }
  }
}

/**
 * What does not follow from the terms before it: each "=" from what stands above it, the figure itself from the first row of terms
 * (a term without a sign begins another). `units`: of the tenth decimal, that a rounded share or a cut fraction may be off.
 */
export function contradictions({ title, terms, amount }: Workings, units = 30n): string[] {
  const found: string[] = []
  const show = ({ over, under }: Quotient): number => Number((over * 10n ** 12n) / under) / 1e12
  let [acc, first]: [Quotient, Quotient | null] = [{ over: 0n, under: 1n }, null]
  for (const term of terms) {
    if (term.sign === '' && term !== terms[0]) first ??= acc
    if (term.sign === '=' && !isNear(acc, quotientOf(term.amount), units)) found.push(`${title}: ${term.label} is ${term.amount}, the terms give ${show(acc)}`)
    acc = joined(acc, term)
  }
  first ??= acc
  if (!isNear(first, quotientOf(amount), units)) found.push(`${title}: the figure is ${amount}, the terms give ${show(first)}`)
  return found
}
