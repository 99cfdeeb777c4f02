import { amountOf } from '../../core/money/amount.ts'
import { Fraction } from '../../core/money/fraction.ts'
import { commonCost } from '../../core/pools/commonCost.ts'
import { chargeAtRates, type RatePlan } from '../../core/pools/dualRate.ts'
import type { ReferenceCase, Verdict } from './main.ts'

type Printed = { frac: string }
interface RateInput { fixed_cost_pool: string; variable_rate_per_unit: string; practical_capacity?: string; budgeted_usage: Record<string, string>; actual_usage: Record<string, string> }

const exact = (text: string): Fraction => Fraction.of(amountOf(text), 10n ** 10n)
const exactly = (texts: Record<string, string>): Map<string, Fraction> => new Map(Object.entries(texts).map(([name, text]) => [name, exact(text)]))

const PLANS: Record<string, RatePlan> = {
  single_rate_budgeted_usage: { rates: 'single', level: 'budget', fixedBy: 'budget' }, single_rate_practical_capacity: { rates: 'single', level: 'capacity', fixedBy: 'budget' },
  dual_rate_budgeted_usage: { rates: 'dual', level: 'budget', fixedBy: 'budget' }, dual_rate_fixed_on_actual_usage: { rates: 'dual', level: 'budget', fixedBy: 'actual' }, dual_rate_practical_capacity: { rates: 'dual', level: 'capacity', fixedBy: 'budget' },
}

/** A pool charged at one rate or at two, on budgeted use or practical capacity. */
export function rateCase({ id, input, expected }: ReferenceCase): Verdict {
  const given = input as unknown as RateInput
  const pool = { fixed: exact(given.fixed_cost_pool), variableRate: exact(given.variable_rate_per_unit), capacity: given.practical_capacity ? exact(given.practical_capacity) : null, budget: exactly(given.budgeted_usage), actual: exactly(given.actual_usage) }
  const found = Object.entries(expected as Record<string, Record<string, unknown>>).flatMap(([name, figures]) => {
    const plan = PLANS[name]
    if (!plan) return [{ place: name, want: 'a known way of charging', got: 'none' }]
    const { rate, fixedRate, charges, fixedNotAllocated, unusedCapacity } = chargeAtRates(pool, plan)
    const single: Record<string, Fraction | null> = { rate, fixed_rate: fixedRate, variable_rate: pool.variableRate, unused_capacity_cost: unusedCapacity, 'fixed_over(+)/under(-)_allocated': Fraction.ZERO.minus(fixedNotAllocated) }
    return Object.entries(figures).flatMap(([figure, printed]) => {
      if (figure === 'charge') return Object.entries(printed as Record<string, Printed>).map(([who, { frac }]) => ({ place: `${name} ${who}`, want: frac, got: String(charges.get(who)) }))
      const want = (printed as Partial<Printed> | null)?.frac
      return want === undefined ? [] : [{ place: `${name} ${figure}`, want, got: String(single[figure]) }]
    })
  })
  return verdict(id, found)
}

interface CommonExpected { total: Printed; stand_alone?: Record<string, Printed>; incremental?: { order: string[]; allocation: Record<string, Printed> }[]; shapley?: Record<string, Printed> }

/** A common cost of several users: stand-alone, incremental in an order, and the mean over all orders. */
export function commonCostCase({ id, input, expected }: ReferenceCase): Verdict {
  const { players, coalition_cost: costs } = input as unknown as { players: string[]; coalition_cost: Record<string, string> }
  const { total, stand_alone: alone, incremental = [], shapley } = expected as unknown as CommonExpected
  const byMembers = new Map(Object.entries(costs).map(([names, text]) => [names.split('+').sort().join('+'), exact(text)]))
  const costOf = (members: readonly string[]): Fraction => (members.length === 0 ? Fraction.ZERO : byMembers.get([...members].sort().join('+'))!)
  const common = commonCost(players, costOf)
  const compare = (name: string, printed: Record<string, Printed>, got: ReadonlyMap<string, Fraction>): Found[] => Object.entries(printed).map(([player, { frac }]) => ({ place: `${name} ${player}`, want: frac, got: String(got.get(player)) }))
  return verdict(id, [
    { place: 'total', want: total.frac, got: String(costOf(players)) }, ...(alone ? compare('stand-alone', alone, common.standAlone) : []),
    ...incremental.flatMap(({ order, allocation }) => compare(`incremental ${order.join(', ')}`, allocation, common.incremental(order))), ...(shapley ? compare('mean of orders', shapley, common.meanOfOrders()) : []),
  ])
}

interface Found { place: string; want: string; got: string }

function verdict(id: string, found: Found[]): Verdict {
  const wrong = found.filter(({ want, got }) => want !== got)
  return { id, state: wrong.length === 0 ? 'pass' : 'fail', expected: wrong.map(({ place, want }) => `${place} ${want}`), got: wrong.map(({ place, got }) => `${place} ${got}`) }
}
