import { parseAmount, roundedQuotient, SCALE } from '../money/amount.ts'
import type { RoundedCell } from '../statements/cells.ts'
import type { MarkUp } from '../types.ts'

const ONE = 10n ** BigInt(SCALE)

/** What a mark-up adds to one cost centre, in minor units of the reporting currency. */
export interface MarkUpLine { markUp: MarkUp; costCentre: string; base: bigint; amount: bigint }

/**
 * The mark-ups of a month on what its statements charge. A percentage is taken of the rounded cost and rounded half to even, so that
 * it can be done again from the statement alone; a fixed amount goes to each cost centre that is charged anything. `rate`: what a
 * unit of the currency that amounts are agreed in is in that of the cells, in 10^-10.
 */
export function markUpLines(markUps: readonly MarkUp[], cells: readonly RoundedCell[], digits: number, rate = ONE): MarkUpLine[] {
  const charged = cells.filter(({ kind }) => kind === 'direct' || kind === 'pool')
  const centres = [...new Set(charged.map(({ costCentre }) => costCentre))].sort()
  return markUps.flatMap((markUp) => {
    const { costCentres, on, fee } = markUp
    return centres.filter((code) => costCentres.length === 0 || costCentres.includes(code)).flatMap((costCentre): MarkUpLine[] => {
      const own = charged.filter((cell) => cell.costCentre === costCentre && (on === 'all' || (on === 'direct') === (cell.kind === 'direct')))
      if (own.length === 0) return []
      const base = own.reduce((sum, { rounded }) => sum + rounded, 0n)
      const amount = fee.kind === 'percent' ? roundedQuotient(base * (parseAmount(fee.percent)?.units ?? 0n), 100n * 10n ** BigInt(SCALE)) : roundedQuotient((parseAmount(fee.amount)?.units ?? 0n) * rate, 10n ** BigInt(2 * SCALE - digits))
      return [{ markUp, costCentre, base, amount }]
    })
  })
}
