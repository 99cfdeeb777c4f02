import type { ChargeLine, LinePage } from '../../../server/features/charges/store.ts'
import { send } from '../../api/client.ts'

export interface Step { field: string; value: string | null }
type Answer = Omit<LinePage, 'lines' | 'next'> & { lines: (ChargeLine & { ruleName: string })[]; next: string | null }
/** A charge line with what describes it. */
export type Line = Answer['lines'][number] & Record<'attributes' | 'details', Record<string, string>>

/** A page of the lines of a figure, from after a place that an earlier page named. */
export async function readPage(figure: string, path: Step[], after: string | null): Promise<{ lines: Line[]; next: string | null }> {
  const { lines, attributes, details, next } = await send<Answer>('POST', '/api/charges/lines', { figure, path, limit: 200, ...(after ? { after } : {}) })
  return { lines: lines.map((line) => ({ ...line, attributes: attributes[line.keyId]!, details: details[line.detailId]! })), next }
}
