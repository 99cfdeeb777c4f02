import { Fraction, sumOf } from '../money/fraction.ts'

/** A pool with a fixed and a variable part; use in units of its driver, by user. */
export interface RatedPool {
  fixed: Fraction
  variableRate: Fraction
  /** what could be served in practice; null where it is not known */
  capacity: Fraction | null
  budget: ReadonlyMap<string, Fraction>
  actual: ReadonlyMap<string, Fraction>
}

export interface RatePlan {
  /** single: one rate for everything; dual: the fixed part apart from use */
  rates: 'single' | 'dual'
  /** what the fixed cost is divided by to give its rate */
  level: 'budget' | 'capacity'
  /** under dual rates: whether a user's fixed part follows planned or actual use */
  fixedBy: 'budget' | 'actual'
}

export interface Charged {
  /** single rate a unit; null under dual rates */
  rate: Fraction | null
  fixedRate: Fraction
  charges: Map<string, Fraction>
  /** fixed cost that no user was charged, less than zero where more was charged */
  fixedNotAllocated: Fraction
  /** cost of capacity that nobody planned to use; null where the level is not capacity */
  unusedCapacity: Fraction | null
}

/**
 * Charges of a pool at one rate or two (support-department chapter of cost-accounting text books): a single rate is fixed
 * cost over the level plus the variable rate, for actual use; under dual rates the fixed part is charged for planned use, so
 * that one user's use does not move another's charge. Throws a RangeError where the level is zero.
 */
export function chargeAtRates({ fixed, variableRate, capacity, budget, actual }: RatedPool, { rates, level, fixedBy }: RatePlan): Charged {
  const planned = sumOf([...budget.values()])
  const divisor = level === 'capacity' ? (capacity ?? planned) : planned
  // charged by actual use, the whole fixed cost is what is divided
  const fixedRate = fixed.dividedBy(rates === 'dual' && fixedBy === 'actual' ? sumOf([...actual.values()]) : divisor)
  const unitsOf = (user: string): Fraction => (rates === 'single' || fixedBy === 'actual' ? actual : budget).get(user) ?? Fraction.ZERO
  const users = [...new Set([...budget.keys(), ...actual.keys()])]
  const fixedParts = users.map((user) => fixedRate.times(unitsOf(user)))
  return {
    rate: rates === 'single' ? fixedRate.plus(variableRate) : null, fixedRate,
    charges: new Map(users.map((user, index) => [user, fixedParts[index]!.plus(variableRate.times(actual.get(user) ?? Fraction.ZERO))])),
    fixedNotAllocated: fixed.minus(sumOf(fixedParts)), unusedCapacity: level === 'capacity' ? fixed.minus(fixedRate.times(planned)) : null,
  }
}
