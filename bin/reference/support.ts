import { amountOf } from '../../core/money/amount.ts'
import { Fraction, sumOf } from '../../core/money/fraction.ts'
import { serve, throughput } from '../../core/pools/serve.ts'
import type { PoolMethod } from '../../core/types.ts'
import type { ReferenceCase, Verdict } from './main.ts'

interface Input { support: string[]; operating: string[]; own_cost: Record<string, string>; service_units_given: Record<string, Record<string, string>> }
type Printed = Record<string, { frac: string }>
interface Expected { totals: Printed; flows?: Record<string, Printed>; order?: string[]; reciprocated_support_costs?: Printed }

/** Support departments that serve each other and operating departments, under the three methods; every figure of the case is compared as an exact fraction. */
export function supportCase({ id, input, expected }: ReferenceCase): Verdict {
  const { direct, step_down: stepDown = [], reciprocal } = expected as { direct?: Expected; step_down?: Expected[]; reciprocal?: Expected }
  const wrong = [
    ...(direct ? differences(input as unknown as Input, 'direct', direct) : []), ...stepDown.flatMap((one) => differences(input as unknown as Input, 'stepDown', one)),
    ...(reciprocal ? differences(input as unknown as Input, 'reciprocal', reciprocal) : []),
  ]
  return { id, state: wrong.length === 0 ? 'pass' : 'fail', expected: wrong.map(({ place, want }) => `${place} ${want}`), got: wrong.map(({ place, got }) => `${place} ${got}`) }
}

function differences({ support, operating, own_cost: own, service_units_given: units }: Input, method: PoolMethod, { totals, flows = {}, order = support, reciprocated_support_costs: reciprocated = {} }: Expected): { place: string; want: string; got: string }[] {
  const weights = (code: string, of: string[]): Map<string, bigint> => new Map(of.flatMap((to) => (units[code]?.[to] ? [[to, amountOf(units[code]![to]!)] as const] : [])))
  const { parts, passes } = serve(order.map((code) => ({ code, centres: weights(code, operating), pools: weights(code, support) })), method)
  const through = throughput(passes, new Map(order.map((code) => [code, amountOf(own[code] ?? '0')])))
  const unit = Fraction.of(10n ** 10n)
  const given = (pool: string, to: string): Fraction => through.get(pool)!.times(parts.get(pool)!.centres.get(to) ?? parts.get(pool)!.pools.get(to) ?? Fraction.ZERO).dividedBy(unit)
  const total = (centre: string): Fraction => sumOf(order.map((pool) => given(pool, centre))).plus(Fraction.of(amountOf(own[centre] ?? '0')).dividedBy(unit))
  const found = [
    ...Object.entries(totals).map(([centre, { frac }]) => ({ place: `${method} total ${centre}`, want: frac, got: String(total(centre)) })),
    ...Object.entries(flows).flatMap(([pool, to]) => Object.entries(to).map(([name, { frac }]) => ({ place: `${method} ${pool} to ${name}`, want: frac, got: String(name === 'pool' ? through.get(pool)!.dividedBy(unit) : given(pool, name)) }))),
    ...Object.entries(reciprocated).map(([pool, { frac }]) => ({ place: `${method} through ${pool}`, want: frac, got: String(through.get(pool)!.dividedBy(unit)) })),
  ]
  return found.filter(({ want, got }) => want !== got)
}
