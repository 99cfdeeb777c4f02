import { Fraction, sumOf } from '../money/fraction.ts'

/**
 * Ways to divide a cost that several users share and that is less than what each would pay alone (common-cost section of
 * cost-accounting text books). `costOf`: what a set of users would cost by itself.
 */
export function commonCost(users: readonly string[], costOf: (members: readonly string[]) => Fraction): { standAlone: Map<string, Fraction>; incremental(order: readonly string[]): Map<string, Fraction>; meanOfOrders(): Map<string, Fraction> } {
  const total = costOf(users)
  const alone = users.map((user) => costOf([user]))
  const sum = sumOf(alone)
  const incremental = (order: readonly string[]): Map<string, Fraction> => new Map(order.map((user, index) => [user, costOf(order.slice(0, index + 1)).minus(costOf(order.slice(0, index)))]))
  return {
    /** the total in proportion to what each would cost alone */
    standAlone: new Map(users.map((user, index) => [user, total.times(alone[index]!).dividedBy(sum)])),
    /** each pays what it adds to those before it */
    incremental,
    /** the mean over all orders in which the users could come (Shapley 1953): each set of those before is weighted by its orders */
    meanOfOrders: () => new Map(users.map((user) => [user, meanAdded(user, users.filter((other) => other !== user), costOf)])),
  }
}

function meanAdded(user: string, others: readonly string[], costOf: (members: readonly string[]) => Fraction): Fraction {
  const count = BigInt(others.length + 1)
  let mean = Fraction.ZERO
  for (let set = 0; set < 2 ** others.length; set++) {
    const before = others.filter((_, index) => (set >> index) & 1)
    const orders = factorial(BigInt(before.length)) * factorial(count - 1n - BigInt(before.length))
    mean = mean.plus(costOf([...before, user]).minus(costOf(before)).times(Fraction.of(orders, factorial(count))))
  }
  return mean
}

const factorial = (n: bigint): bigint => (n <= 1n ? 1n : n * factorial(n - 1n))
