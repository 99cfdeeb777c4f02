import { BASES, type Amounts } from '../types.ts'
import { apportion } from './apportion.ts'

/** An amount in proportion to costs, each basis by its own where it has a usable one and by the other where not; null where neither has. */
export function shareByCost(amounts: Amounts, costs: readonly Amounts[]): Amounts[] | null {
  const weightsOf = (basis: keyof Amounts): bigint[] => costs.map((cost) => (cost[basis] > 0n ? cost[basis] : 0n))
  const [billed, effective] = BASES.map((basis, index) => apportion(amounts[basis], weightsOf(basis)) ?? apportion(amounts[basis], weightsOf(BASES[1 - index]!)))
  return billed && effective ? costs.map((_, index) => ({ billed: billed[index]!, effective: effective[index]! })) : null
}
