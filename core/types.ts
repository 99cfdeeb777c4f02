/**
 * The records of the domain, in the order of the way of the money:
 *
 *   load (a file)  >  bill (provider x billing account x billing period)  >  charge  >  charge key
 *   metering (a file)  >  metered day of a cluster  >  pod on a node
 *   rulebook version  >  cluster;  step of the tag clean-up;  classification  >  rule  >  condition;  special charges;  pool;  mark-up
 *   run (month x rulebook version x bills)  >  outcome of each key or part of one  >  share of each pool  >  cell
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
  /** attribute name (see charges/attributes.ts) or `tag:<key>` to value, as billed; absent attributes are missing */
  attributes: Readonly<Record<string, string>>
  lines: number
  amounts: Amounts
  /** of a part that is a workload of a metered cluster */
  taken?: Taken
}

/** What pods of a workload took of a node, time in tenths of a minute: how long they ran, and microcores, bytes and graphics units that they held, times time. */
export interface Taken { ticks: bigint; cpu: bigint; memory: bigint; gpu: bigint }

export const OPERATORS = ['is', 'isNot', 'contains', 'notContains', 'beginsWith', 'notBeginsWith', 'matches', 'notMatches', 'atLeast', 'below', 'present', 'absent'] as const
export type Operator = (typeof OPERATORS)[number]

/**
 * `field operator any of values`; a negation holds where none of the values does. A missing field only satisfies
 * negations and `absent`. `atLeast` and `below` compare numbers with numbers and dates (2026-10-31) with dates.
 */
export interface Condition {
  field: string
  operator: Operator
  values: string[]
}

/** Exact decimals by cost centre or value, adding up to 100. */
export type Percents = Record<string, string>

/** Where a rule sends the charges it takes. Pools and cost centres belong to the cost-centre classification, values to the others. */
export type Outcome =
  | { kind: 'costCentre'; code: string }
  | { kind: 'pool'; code: string }
  | { kind: 'value'; code: string }
  | { kind: 'split'; percents: Percents }
  /** charged to nobody, for a reason: held */
  | { kind: 'aside'; reason: string }
  /** where the mapping sends the charge's value of the field; the rule takes no charge whose value it does not name, or every value as it is where it says so */
  | { kind: 'mapped'; field: string; mapping: Record<string, string>; elseItself: boolean }

export interface Rule {
  id: string
  name: string
  enabled: boolean
  conditions: Condition[]
  outcome: Outcome
  from: Month | null
  to: Month | null
}

/** An ordered list of rules that gives each charge one value, usable as the field `class:<code>`. The cost centre is the last of them and stands by itself. */
export interface Classification { code: string; name: string; rules: Rule[] }

/** What a step of the tag clean-up does to the tags of a charge. */
export type CleanAct =
  /** tags under one of the spellings count as the key; where several are there, the key itself, then the first spelling */
  | { kind: 'key'; key: string; spellings: string[] }
  /** values of the key are replaced; an empty replacement removes the tag. `folded`: letter case and separators do not matter in what is replaced */
  | { kind: 'values'; key: string; mapping: Record<string, string>; folded: boolean }
  /** tags with one of the values, whatever their case, count as missing; no keys: every key */
  | { kind: 'placeholders'; keys: string[]; values: string[] }
  /** a missing tag takes the value that all other charges with the same value of the field carry, in the month or up to some months before; where they do not agree it stays missing */
  | { kind: 'inherit'; key: string; from: string; monthsBack: number }
  /** a missing tag takes the value that the mapping gives for the charge's value of the field */
  | { kind: 'lookup'; key: string; from: string; mapping: Record<string, string> }
  /** the tag of the resources is set, or removed where the value is empty */
  | { kind: 'set'; key: string; value: string; resources: string[] }

export interface CleanStep { id: string; enabled: boolean; from: Month | null; to: Month | null; act: CleanAct }

/** A base that can be part of a mix. */
export type SimpleBase =
  | { kind: 'even' }
  | { kind: 'direct' }
  /** in proportion to a driver of the month, by cost centre and by `pool:<code>` */
  | { kind: 'driver'; driver: string }

export type PoolBase =
  | SimpleBase
  /** by cost centre, and by `pool:<code>` for pools that it serves */
  | { kind: 'fixed'; percents: Percents }
  /** parts of the pool, in per cent adding up to 100, each by its own base: the fixed part of a dual rate by planned capacity, the rest by use */
  | { kind: 'mix'; parts: { percent: string; base: SimpleBase }[] }

export interface Pool {
  code: string
  name: string
  base: PoolBase
  /** cost centres that share the pool evenly or by direct cost; empty: all that hold in the month */
  recipients: string[]
  /** pools that it serves evenly, beside the cost centres; fixed percentages and drivers name theirs themselves */
  serves?: string[]
}

export const POOL_METHODS = ['direct', 'stepDown', 'reciprocal'] as const
/**
 * How pools that serve each other are shared. Direct: pools give only to cost centres. Step-down: in the order of the
 * list, each to those after it and to cost centres. Reciprocal: to all they serve at once, by solving the equations.
 */
export type PoolMethod = (typeof POOL_METHODS)[number]

/** Quantities of a month by driver, then by cost centre or `pool:<code>`, in 10^-10 of the driver's unit. */
export type Drivers = ReadonlyMap<string, ReadonlyMap<string, bigint>>

/** Where a cluster's idle or overhead cost goes. */
export type ClusterWay =
  /** like any other charge, by the rules */
  | { kind: 'rules' }
  /** to the workloads on the same node: idle by what each holds of the resource, overhead by what each costs; what finds nobody stays for the rules */
  | { kind: 'node' }
  /** where the workloads of the cluster go, in proportion to their cost */
  | { kind: 'tenants' }
  | { kind: 'pool'; code: string }
  | { kind: 'costCentre'; code: string }

/** How the cost of a metered cluster is divided. */
export interface ClusterSetting {
  cluster: string
  /** relative prices of a core, a gibibyte of memory and a graphics unit, as exact decimals */
  weights: { cpu: string; memory: string; gpu: string }
  /** their workloads are overhead, as are the charges that the conditions find (control plane, licences) */
  systemNamespaces: string[]
  overheadCharges: Condition[]
  /** which charges are nodes of the cluster: those of them without metering are told */
  nodeCharges: Condition[]
  idle: ClusterWay
  overhead: ClusterWay
}

export const SPECIAL_KINDS = ['correction', 'tax', 'credit', 'refund', 'commitmentUnused', 'commitmentPurchase', 'support', 'marketplace', 'discount'] as const
/** Charges that are no use of a service; a charge of several kinds counts as the first of them. */
export type SpecialKind = (typeof SPECIAL_KINDS)[number]

/** Where a kind of special charges goes. */
export type SpecialWay =
  | { kind: 'rules' }
  /** where the charges go that it concerns, in proportion to their cost */
  | { kind: 'follow' }
  | { kind: 'costCentre'; code: string }
  | { kind: 'pool'; code: string }
  | { kind: 'aside'; reason: string }

/** An administration fee on top of what is charged: apart from cost, so that the books still balance without it. */
export interface MarkUp {
  id: string
  name: string
  /** those that pay it; empty: all that are charged anything */
  costCentres: string[]
  on: 'all' | 'direct' | 'pools'
  /** exact decimals: per cent of the charged cost, or an amount a month in the reporting currency */
  fee: { kind: 'percent'; percent: string } | { kind: 'amount'; amount: string }
  /** ledger account that it is credited to */
  recoveryAccount: string
}

export interface Rulebook {
  /** which cost statements charge */
  chargedBasis: Basis
  /** tag keys that count: their coverage is watched */
  tagKeys: string[]
  /** of metered clusters; one without a setting is divided by the usual weights, and the rules decide the rest */
  clusters: ClusterSetting[]
  cleanUp: CleanStep[]
  /** besides the cost centre, in order: later ones may ask for the values of earlier ones */
  classifications: Classification[]
  /** the cost-centre classification */
  rules: Rule[]
  /** kinds that are not named go by the rules */
  special: Partial<Record<SpecialKind, SpecialWay>>
  pools: Pool[]
  poolMethod: PoolMethod
  markUps: MarkUp[]
}

export const emptyRulebook = (): Rulebook => ({ chargedBasis: 'effective', tagKeys: [], clusters: [], cleanUp: [], classifications: [], rules: [], special: {}, pools: [], poolMethod: 'direct', markUps: [] })
