import type { ChargeLine } from '../../../server/features/charges/store.ts'
import { send } from '../../api/client.ts'

export interface Step { field: string; value: string | null }
export type Line = ChargeLine & { ruleName: string }
type Description = Record<string, string>

/** A page of the lines of a figure, from after a place that an earlier page named. */
export const readPage = (figure: string, path: Step[], after: string | null): Promise<{ lines: Line[]; next: string | null }> =>
  send('POST', '/api/charges/lines', { figure, path, limit: 200, ...(after ? { after } : {}) })

/** All that is known of one line of the figure; `counted`: its attributes as rules saw them, once for each part that classifications made of it. */
export const readLine = (figure: string, { keyId, billId, line }: Line, signal: AbortSignal): Promise<{ attributes: Description; details: Description; counted: Description[] }> =>
  send('POST', '/api/charges/line', { figure, line: `${keyId}.${billId}.${line}` }, signal)
