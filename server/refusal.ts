/** An error for the person: what happened, to what, and what to do. Everything else becomes a plain 500 without details. */
export class Refusal extends Error {
  constructor(readonly status: number, readonly code: string, message: string, readonly details: Record<string, unknown> = {}) {
    super(message)
  }
}
export const notFound = (what: string): Refusal => new Refusal(404, 'NOT_FOUND', `${what} was not found.`)
export const conflict = (message: string, details: Record<string, unknown> = {}): Refusal => new Refusal(409, 'CONFLICT', message, details)
export const invalid = (message: string, details: Record<string, unknown> = {}): Refusal => new Refusal(422, 'INVALID', message, details)
