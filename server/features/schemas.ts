import { Type } from 'typebox'

/** Schemas that several features share; types of the page come from the same values. */
export const Month = Type.String({ pattern: '^\\d{4}-(0[1-9]|1[0-2])$' })
export const MonthOrNull = Type.Union([Month, Type.Null()])
export const MonthParam = Type.Object({ month: Month })
export const Basis = Type.Enum(['billed', 'effective'])
export const MonthAndBasis = Type.Object({ month: Month, basis: Basis })
export const Code = Type.String({ minLength: 1, maxLength: 32, pattern: '^\\S(.*\\S)?$' })
export const Name = Type.String({ minLength: 1, maxLength: 200 })
export const IdParam = Type.Object({ id: Type.Integer({ minimum: 1 }) })
