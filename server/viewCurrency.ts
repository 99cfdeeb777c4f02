import { AsyncLocalStorage } from 'node:async_hooks'

/** The currency that the person who asks wants to read in, for as long as the question is worked on; none: the reporting currency. */
export const viewCurrency = new AsyncLocalStorage<string | undefined>()
export const isCurrency = (text: unknown): text is string => typeof text === 'string' && /^[A-Z]{3}$/.test(text)
