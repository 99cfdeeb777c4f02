import { addMonths } from '../../core/calendar/month.ts'
import type { ClusterLevel, ClusterStep } from '../../core/kubernetes/clusterView.ts'
import type { Basis, Condition, Rulebook } from '../../core/types.ts'
import { openDatabase, type Database } from '../db/database.ts'
import { replayRun, runTables, type Replay } from '../features/allocation/replay.ts'
import { preparedTable } from '../features/allocation/ledger.ts'
import { runPeriod } from '../features/allocation/runPeriod.ts'
import { groupKeys, keysOnPath, type GroupTask, type PathTask } from '../features/charges/groups.ts'
import { clusterView, clusterWorkings } from '../features/kubernetes/view.ts'
import { matrixOf, valueSeries } from '../features/rulebook/classes.ts'
import { cleanView, coverageView, findResources } from '../features/rulebook/cleaning.ts'
import { effectOf, methodsOf, type Effect } from '../features/rulebook/effect.ts'
import { ruleFigures, unassignedGroups, valuesOf } from '../features/rulebook/figures.ts'
import { healthOf } from '../features/rulebook/health.ts'
import { readMonthLedger, type MonthLedger } from '../features/rulebook/monthLedger.ts'
import { findCharges, testCharge } from '../features/rulebook/testCharge.ts'
import { rulebookVersion } from '../features/rulebook/store.ts'
import { specialView } from '../features/special/view.ts'
import { Refusal } from '../refusal.ts'
import { viewCurrency } from '../viewCurrency.ts'

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

/** The ledgers of months, as far as the rulebooks in question look back. */
const ledgerOf = (url: string, month: string, ...rulebooks: Rulebook[]): Promise<MonthLedger> => readMonthLedger(opened(url), url, month, ...rulebooks)

async function ledgersOf(url: string, months: readonly string[], ...rulebooks: Rulebook[]): Promise<MonthLedger[]> {
  const ledgers = []
  for (const month of months) ledgers.push(await ledgerOf(url, month, ...rulebooks))
  return ledgers
}

/** The months up to one, the oldest first, as far as there are bills. */
async function monthsUpTo(url: string, month: string, count: number): Promise<string[]> {
  const known = await opened(url).rows<{ month: string }>("SELECT DISTINCT month FROM bills WHERE state = 'current' AND month BETWEEN ? AND ? ORDER BY month", [addMonths(month, 1 - count), month])
  return known.map((row) => row.month)
}

type Drafted<In> = In & { month: string; rulebook: Rulebook }

export interface LedgerTasks {
  run: { in: { month: string; user: string }; out: { runId: number } }
  replay: { in: { runId: number }; out: Replay }
  figures: { in: Drafted<{ classification: string }>; out: ReturnType<typeof ruleFigures> }
  unassigned: { in: Drafted<{ classification: string }>; out: ReturnType<typeof unassignedGroups> }
  health: { in: Drafted<{ classification: string; months: number }>; out: ReturnType<typeof healthOf> }
  effect: { in: { months: string[]; before: Rulebook; after: Rulebook }; out: Effect[] }
  methods: { in: Drafted<object>; out: ReturnType<typeof methodsOf> }
  values: { in: Drafted<{ field: string; text: string; basis?: Basis }>; out: ReturnType<typeof valuesOf> }
  fields: { in: { month: string; rulebook?: Rulebook }; out: { field: string; keys: number }[] }
  classValues: { in: Drafted<{ classification: string; months: number }>; out: ReturnType<typeof valueSeries> }
  matrix: { in: Drafted<{ across: string; down: string }>; out: ReturnType<typeof matrixOf> }
  clusters: { in: Drafted<{ basis: Basis; path: ClusterStep[]; by: ClusterLevel }>; out: ReturnType<typeof clusterView> }
  clusterWorkings: { in: Drafted<{ basis: Basis; path: ClusterStep[] }>; out: ReturnType<typeof clusterWorkings> }
  special: { in: Drafted<{ basis: Basis; months: number }>; out: ReturnType<typeof specialView> }
  clean: { in: Drafted<object>; out: ReturnType<typeof cleanView> }
  coverage: { in: Drafted<{ months: number }>; out: ReturnType<typeof coverageView> }
  resources: { in: Drafted<{ conditions: Condition[]; text: string }>; out: ReturnType<typeof findResources> }
  findCharges: { in: { month: string; text: string }; out: ReturnType<typeof findCharges> }
  testCharge: { in: Drafted<{ charge: Parameters<typeof testCharge>[2] }>; out: ReturnType<typeof testCharge> }
  group: { in: GroupTask; out: Awaited<ReturnType<typeof groupKeys>> }
  keys: { in: PathTask; out: number[] }
  /** what became of the attributes of a key in a run: tags cleaned, classifications added; a row for each part of it */
  counted: { in: { runId: number; key: number }; out: Record<string, string>[] }
}

const tasks: { [Name in keyof LedgerTasks]: (url: string, input: LedgerTasks[Name]['in']) => Promise<LedgerTasks[Name]['out']> } = {
  run: (url, input) => runPeriod(opened(url), { url, ...input }),
  replay: (url, { runId }) => replayRun(opened(url), url, runId),
  figures: async (url, { month, rulebook, classification }) => ruleFigures(await ledgerOf(url, month, rulebook), rulebook, classification),
  unassigned: async (url, { month, rulebook, classification }) => unassignedGroups(await ledgerOf(url, month, rulebook), rulebook, classification),
  health: async (url, { month, rulebook, classification, months }) => {
    const others = (await monthsUpTo(url, month, months)).filter((other) => other !== month)
    return healthOf(await ledgerOf(url, month, rulebook), await ledgersOf(url, others, rulebook), rulebook, classification)
  },
  effect: async (url, { months, before, after }) => {
    const effects = []
    for (const month of months) effects.push(effectOf(await ledgerOf(url, month, before, after), before, after))
    return effects
  },
  methods: async (url, { month, rulebook }) => methodsOf(await ledgerOf(url, month, rulebook), rulebook),
  values: async (url, { month, rulebook, field, text, basis = rulebook.chargedBasis }) => valuesOf(await ledgerOf(url, month, rulebook), rulebook, field, basis, text, 200),
  fields: async (url, { month, rulebook }) => {
    const ledger = await ledgerOf(url, month, ...(rulebook ? [rulebook] : []))
    const table = rulebook ? preparedTable(ledger, rulebook) : ledger.table
    return [...table.fields()].map(([field, keys]) => ({ field, keys })).sort((a, b) => (a.field < b.field ? -1 : 1))
  },
  classValues: async (url, { month, rulebook, classification, months }) => valueSeries(await ledgersOf(url, await monthsUpTo(url, month, months), rulebook), rulebook, classification),
  matrix: async (url, { month, rulebook, across, down }) => matrixOf(await ledgerOf(url, month, rulebook), rulebook, across, down),
  clusters: async (url, { month, rulebook, basis, path, by }) => clusterView(await ledgerOf(url, month, rulebook), rulebook, basis, path, by),
  clusterWorkings: async (url, { month, rulebook, basis, path }) => clusterWorkings(await ledgerOf(url, month, rulebook), rulebook, basis, path),
  special: async (url, { month, rulebook, basis, months }) => specialView(await ledgerOf(url, month, rulebook), await ledgersOf(url, (await monthsUpTo(url, month, months)).filter((other) => other !== month)), rulebook, basis),
  clean: async (url, { month, rulebook }) => cleanView(await ledgerOf(url, month, rulebook), rulebook),
  coverage: async (url, { month, rulebook, months }) => coverageView(await ledgersOf(url, await monthsUpTo(url, month, months), rulebook), rulebook),
  resources: async (url, { month, rulebook, conditions, text }) => findResources(await ledgerOf(url, month, rulebook), rulebook, conditions, text),
  findCharges: async (url, { month, text }) => findCharges(await ledgerOf(url, month), text),
  testCharge: async (url, { month, rulebook, charge }) => testCharge(await ledgerOf(url, month, rulebook), rulebook, charge),
  group: (url, task) => groupKeys(opened(url), url, task),
  keys: (url, task) => keysOnPath(opened(url), url, task),
  counted: async (url, { runId, key }) => {
    const { tables, version } = await runTables(opened(url), url, runId)
    const table = preparedTable(tables, (await rulebookVersion(opened(url), version))!.rulebook)
    return table.keys.flatMap(({ id }, row) => (id === key ? [table.attributes(row)] : []))
  },
}

export type TaskReply = { value: unknown } | { refusal: { status: number; code: string; message: string; details: Record<string, unknown> } }

export default async function work<Name extends keyof LedgerTasks>({ url, task, input, currency }: { url: string; task: Name; input: LedgerTasks[Name]['in']; currency?: string }): Promise<TaskReply> {
  try {
    return { value: await viewCurrency.run(currency, () => tasks[task](url, input)) }
  } catch (error) {
    if (!(error instanceof Refusal)) throw error
    const { status, code, message, details } = error
    return { refusal: { status, code, message, details } }
  }
}
