/**
 * The records of the domain, in the order of the way of the money:
 *
 *   load (a file)  >  bill (provider x billing account x billing period)  >  charge  >  charge key
 *   rulebook version  >  rule  >  condition;  pool
 *   run (month x rulebook version x bills)  >  outcome of each key  >  share of each pool  >  cell
 *   statement (cost centre x month)  >  line  =  rounded cells
 */
import type { Month } from './calendar/month.ts'

export const BASES = ['billed', 'effective'] as const
/** Which of the four costs is charged: billed ties to the invoice, effective spreads commitments over their use. */
export type Basis = (typeof BASES)[number]
export type Amounts = Record<Basis, bigint>

export interface CostCentre {
  code: string
  name: string
  unit: string
  owner: string
  ledgerAccount: string
  validFrom: Month | null
  validTo: Month | null
}

/** A charge key with the sums of its charges in one month: what rules are evaluated on. */
export interface KeyFigures {
  id: number
  /** attribute name (see charges/attributes.ts) or `tag:<key>` to value; absent attributes are missing */
  attributes: Readonly<Record<string, string>>
  lines: number
  amounts: Amounts
}

export const OPERATORS = ['is', 'isNot', 'contains', 'notContains', 'beginsWith', 'notBeginsWith', 'matches', 'notMatches', 'present', 'absent'] as const
export type Operator = (typeof OPERATORS)[number]

/** `field operator any of values`; a negation holds where none of the values does. A missing field only satisfies negations and `absent`. */
export interface Condition {
  field: string
  operator: Operator
  values: string[]
}

export type Outcome = { kind: 'costCentre'; code: string } | { kind: 'pool'; code: string }

export interface Rule {
  id: string
  name: string
  enabled: boolean
  conditions: Condition[]
  outcome: Outcome
  from: Month | null
  to: Month | null
}

export type PoolBase =
  | { kind: 'even' }
  | { kind: 'direct' }
  /** percent as exact decimals adding up to 100 */
  | { kind: 'fixed'; percents: Record<string, string> }

export interface Pool {
  code: string
  name: string
  base: PoolBase
  /** cost centres that share the pool evenly or by direct cost; empty: all that hold in the month */
  recipients: string[]
}

export interface Rulebook {
  /** which cost statements charge */
  chargedBasis: Basis
  rules: Rule[]
  pools: Pool[]
}
