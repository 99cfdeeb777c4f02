import { amountOf, formatAmount } from '../../core/money/amount.ts'
import { apportion } from '../../core/money/apportion.ts'
import { minorDigits } from '../../core/money/currency.ts'
import type { ReferenceCase, Verdict } from './main.ts'

interface RoundingInput { total: string; currency: string; weights: string[] }

/** A total divided by weights in minor units; without expected shares the core must refuse, so that nothing is lost. */
export function roundingCase({ id, input, expected }: ReferenceCase): Verdict {
  const { total, currency, weights } = input as unknown as RoundingInput
  const digits = minorDigits(currency)
  const parts = apportion(amountOf(total) / 10n ** BigInt(10 - digits), weights.map(amountOf))
  const { shares } = expected as { shares?: string[] }
  const got = parts?.map((part) => formatAmount(part, digits, digits)) ?? 'no base: nothing is shared, the whole is held'
  const isRight = shares ? JSON.stringify(got) === JSON.stringify(shares) : parts === null
  return { id, state: isRight ? 'pass' : 'fail', expected: shares ?? expected, got }
}
