import type { Basis, Rulebook } from '../../core/types.ts'
import { openDatabase, type Database } from '../db/database.ts'
import { groupKeys, keysOnPath, type GroupTask, type PathTask } from '../features/charges/groups.ts'
import { currentBills, keyTableOf } from '../features/allocation/ledger.ts'
import { runPeriod } from '../features/allocation/runPeriod.ts'
import { effectOf, readMonthLedger, ruleFigures, unassignedGroups, valuesOf, type MonthLedger } from '../features/rulebook/figures.ts'
import { Refusal } from '../refusal.ts'

/** Heavy reading and computing away from the thread that answers requests. One connection pool and one cache a worker. */
let database: Database | null = null
let openedUrl = ''
const opened = (url: string): Database => {
  if (!database || openedUrl !== url) {
    void database?.close()
    database = openDatabase(url, 4)
    openedUrl = url
  }
  return database
}

const ledgerOf = (url: string, month: string): Promise<MonthLedger> => readMonthLedger(opened(url), url, month)

export interface LedgerTasks {
  run: { in: { month: string; user: string }; out: { runId: number } }
  figures: { in: { month: string; rulebook: Rulebook }; out: ReturnType<typeof ruleFigures> }
  unassigned: { in: { month: string; rulebook: Rulebook }; out: ReturnType<typeof unassignedGroups> }
  effect: { in: { months: string[]; before: Rulebook; after: Rulebook }; out: { month: string; centres: ReturnType<typeof effectOf> }[] }
  values: { in: { month: string; field: string; text: string; basis?: Basis }; out: ReturnType<typeof valuesOf> }
  fields: { in: { month: string }; out: { field: string; keys: number }[] }
  group: { in: GroupTask; out: Awaited<ReturnType<typeof groupKeys>> }
  keys: { in: PathTask; out: number[] }
}

const tasks: { [Name in keyof LedgerTasks]: (url: string, input: LedgerTasks[Name]['in']) => Promise<LedgerTasks[Name]['out']> } = {
  run: (url, input) => runPeriod(opened(url), { url, ...input }),
  figures: async (url, { month, rulebook }) => ruleFigures(await ledgerOf(url, month), rulebook, month),
  unassigned: async (url, { month, rulebook }) => unassignedGroups(await ledgerOf(url, month), rulebook, month),
  effect: async (url, { months, before, after }) => {
    const effects = []
    for (const month of months) effects.push({ month, centres: effectOf(await ledgerOf(url, month), before, after, month) })
    return effects
  },
  values: async (url, { month, field, text, basis = 'effective' }) => valuesOf(await ledgerOf(url, month), field, basis, text, 200),
  fields: async (url, { month }) => {
    const counts = new Map<string, number>()
    const table = await keyTableOf(opened(url), url, await currentBills(opened(url), month))
    for (const { attributes } of table.keys) for (const field of Object.keys(attributes)) counts.set(field, (counts.get(field) ?? 0) + 1)
    return [...counts].map(([field, keys]) => ({ field, keys })).sort((a, b) => (a.field < b.field ? -1 : 1))
  },
  group: (url, task) => groupKeys(opened(url), url, task),
  keys: (url, task) => keysOnPath(opened(url), url, task),
}

export type TaskReply = { value: unknown } | { refusal: { status: number; code: string; message: string; details: Record<string, unknown> } }

export default async function work<Name extends keyof LedgerTasks>({ url, task, input }: { url: string; task: Name; input: LedgerTasks[Name]['in'] }): Promise<TaskReply> {
  try {
    return { value: await tasks[task](url, input) }
  } catch (error) {
    if (!(error instanceof Refusal)) throw error
    const { status, code, message, details } = error
    return { refusal: { status, code, message, details } }
  }
}
