import { Type } from 'typebox'
import { OPERATORS, POOL_METHODS, SPECIAL_KINDS, type SpecialKind } from '../../../core/types.ts'
import { Code, MonthOrNull } from '../schemas.ts'

const Closed = { additionalProperties: false }
export const ConditionSchema = Type.Object({ field: Type.String({ maxLength: 300 }), operator: Type.Enum([...OPERATORS]), values: Type.Array(Type.String({ maxLength: 2_000 }), { maxItems: 1_000 }) }, Closed)
const Percents = Type.Record(Type.String({ minLength: 1, maxLength: 200 }), Type.String({ maxLength: 30 }))
const Mapping = Type.Record(Type.String({ maxLength: 2_000 }), Type.String({ maxLength: 200 }))
const Field = Type.String({ maxLength: 300 })
const Outcome = Type.Union([
  Type.Object({ kind: Type.Literal('costCentre'), code: Type.String({ maxLength: 32 }) }, Closed),
  Type.Object({ kind: Type.Literal('pool'), code: Type.String({ maxLength: 32 }) }, Closed),
  Type.Object({ kind: Type.Literal('value'), code: Type.String({ maxLength: 200 }) }, Closed),
  Type.Object({ kind: Type.Literal('split'), percents: Percents }, Closed),
  Type.Object({ kind: Type.Literal('aside'), reason: Type.String({ maxLength: 200 }) }, Closed),
  Type.Object({ kind: Type.Literal('mapped'), field: Field, mapping: Mapping, elseItself: Type.Boolean() }, Closed),
])
const Rule = Type.Object({
  id: Type.String({ minLength: 1, maxLength: 64 }), name: Type.String({ minLength: 1, maxLength: 200 }), enabled: Type.Boolean(),
  conditions: Type.Array(ConditionSchema, { maxItems: 50 }), outcome: Outcome, from: MonthOrNull, to: MonthOrNull,
}, Closed)
/** of a driver that is kept, or `traffic:` and a service */
const DriverCode = Type.String({ minLength: 1, maxLength: 210 })
const SIMPLE_BASES = [Type.Object({ kind: Type.Literal('even') }, Closed), Type.Object({ kind: Type.Literal('direct') }, Closed), Type.Object({ kind: Type.Literal('driver'), driver: DriverCode }, Closed)] as const
const PoolBase = Type.Union([
  ...SIMPLE_BASES, Type.Object({ kind: Type.Literal('fixed'), percents: Percents }, Closed),
  Type.Object({ kind: Type.Literal('mix'), parts: Type.Array(Type.Object({ percent: Type.String({ maxLength: 30 }), base: Type.Union([...SIMPLE_BASES]) }, Closed), { minItems: 1, maxItems: 10 }) }, Closed),
])
const Pool = Type.Object({ code: Code, name: Type.String({ minLength: 1, maxLength: 200 }), base: PoolBase, recipients: Type.Array(Code, { maxItems: 10_000 }), serves: Type.Optional(Type.Array(Code, { maxItems: 500 })) }, Closed)

const TagKey = Type.String({ maxLength: 200 })
const CleanAct = Type.Union([
  Type.Object({ kind: Type.Literal('key'), key: TagKey, spellings: Type.Array(TagKey, { maxItems: 1_000 }) }, Closed),
  Type.Object({ kind: Type.Literal('values'), key: TagKey, mapping: Mapping, folded: Type.Boolean() }, Closed),
  Type.Object({ kind: Type.Literal('placeholders'), keys: Type.Array(TagKey, { maxItems: 1_000 }), values: Type.Array(Type.String({ maxLength: 200 }), { maxItems: 1_000 }) }, Closed),
  Type.Object({ kind: Type.Literal('inherit'), key: TagKey, from: Field, monthsBack: Type.Integer({ minimum: 0, maximum: 6 }) }, Closed),
  Type.Object({ kind: Type.Literal('lookup'), key: TagKey, from: Field, mapping: Mapping }, Closed),
  Type.Object({ kind: Type.Literal('set'), key: TagKey, value: Type.String({ maxLength: 2_000 }), resources: Type.Array(Type.String({ maxLength: 2_000 }), { maxItems: 50_000 }) }, Closed),
])
const CleanStep = Type.Object({ id: Type.String({ minLength: 1, maxLength: 64 }), enabled: Type.Boolean(), from: MonthOrNull, to: MonthOrNull, act: CleanAct }, Closed)
const Classification = Type.Object({ code: Code, name: Type.String({ minLength: 1, maxLength: 200 }), rules: Type.Array(Rule, { maxItems: 5_000 }) }, Closed)

const toCentre = Type.Object({ kind: Type.Literal('costCentre'), code: Code }, Closed)
const toPool = Type.Object({ kind: Type.Literal('pool'), code: Code }, Closed)
const byRules = Type.Object({ kind: Type.Literal('rules') }, Closed)
const ClusterWay = Type.Union([byRules, Type.Object({ kind: Type.Literal('node') }, Closed), Type.Object({ kind: Type.Literal('tenants') }, Closed), toPool, toCentre])
const Weight = Type.String({ maxLength: 30, pattern: '^\\d+(\\.\\d{1,10})?$' })
const Signed = Type.String({ maxLength: 30, pattern: '^-?\\d+(\\.\\d{1,10})?$' })
const ClusterSetting = Type.Object({
  cluster: Type.String({ minLength: 1, maxLength: 200 }), weights: Type.Object({ cpu: Weight, memory: Weight, gpu: Weight }, Closed), systemNamespaces: Type.Array(Type.String({ maxLength: 200 }), { maxItems: 500 }),
  overheadCharges: Type.Array(ConditionSchema, { maxItems: 50 }), nodeCharges: Type.Array(ConditionSchema, { maxItems: 50 }), idle: ClusterWay, overhead: ClusterWay,
}, Closed)
const SpecialWay = Type.Union([byRules, Type.Object({ kind: Type.Literal('follow') }, Closed), toCentre, toPool, Type.Object({ kind: Type.Literal('aside'), reason: Type.String({ maxLength: 200 }) }, Closed)])
const optionalWay = Type.Optional(SpecialWay)
const Special = Type.Object(Object.fromEntries(SPECIAL_KINDS.map((kind) => [kind, optionalWay])) as Record<SpecialKind, typeof optionalWay>, { ...Closed, default: {} })

const MarkUp = Type.Object({
  id: Type.String({ minLength: 1, maxLength: 64 }), name: Type.String({ minLength: 1, maxLength: 200 }), costCentres: Type.Array(Code, { maxItems: 10_000 }), on: Type.Enum(['all', 'direct', 'pools']),
  fee: Type.Union([Type.Object({ kind: Type.Literal('percent'), percent: Signed }, Closed), Type.Object({ kind: Type.Literal('amount'), amount: Signed }, Closed)]), recoveryAccount: Type.String({ minLength: 1, maxLength: 64 }),
}, Closed)

export const RulebookSchema = Type.Object({
  chargedBasis: Type.Enum(['billed', 'effective']), tagKeys: Type.Array(TagKey, { maxItems: 1_000, default: [] }), clusters: Type.Array(ClusterSetting, { maxItems: 500, default: [] }), cleanUp: Type.Array(CleanStep, { maxItems: 2_000, default: [] }),
  classifications: Type.Array(Classification, { maxItems: 50, default: [] }), rules: Type.Array(Rule, { maxItems: 5_000 }), special: Special, pools: Type.Array(Pool, { maxItems: 500 }),
  poolMethod: Type.Enum([...POOL_METHODS], { default: 'direct' }), markUps: Type.Array(MarkUp, { maxItems: 200, default: [] }),
}, Closed)
