import { Type } from 'typebox'
import { OPERATORS } from '../../../core/types.ts'
import { Code, MonthOrNull } from '../schemas.ts'

const Closed = { additionalProperties: false }
const Condition = Type.Object({ field: Type.String({ maxLength: 300 }), operator: Type.Enum([...OPERATORS]), values: Type.Array(Type.String({ maxLength: 2_000 }), { maxItems: 1_000 }) }, Closed)
const Outcome = Type.Object({ kind: Type.Enum(['costCentre', 'pool']), code: Type.String({ maxLength: 32 }) }, Closed)
const Rule = Type.Object({
  id: Type.String({ minLength: 1, maxLength: 64 }), name: Type.String({ minLength: 1, maxLength: 200 }), enabled: Type.Boolean(),
  conditions: Type.Array(Condition, { maxItems: 50 }), outcome: Outcome, from: MonthOrNull, to: MonthOrNull,
}, Closed)
const PoolBase = Type.Union([
  Type.Object({ kind: Type.Literal('even') }, Closed), Type.Object({ kind: Type.Literal('direct') }, Closed),
  Type.Object({ kind: Type.Literal('fixed'), percents: Type.Record(Type.String(), Type.String({ maxLength: 30 })) }, Closed),
])
const Pool = Type.Object({ code: Code, name: Type.String({ minLength: 1, maxLength: 200 }), base: PoolBase, recipients: Type.Array(Code, { maxItems: 10_000 }) }, Closed)

export const RulebookSchema = Type.Object({
  chargedBasis: Type.Enum(['billed', 'effective']), rules: Type.Array(Rule, { maxItems: 5_000 }), pools: Type.Array(Pool, { maxItems: 500 }),
}, Closed)
