import { formatAmount } from '../../../core/money/amount.ts'
import { minorDigits } from '../../../core/money/currency.ts'
import { markUpLines } from '../../../core/markUp/markUp.ts'
import { baseLabel } from '../../../core/pools/distribute.ts'
import type { RoundedCell } from '../../../core/statements/cells.ts'
import { emptyRulebook, type MarkUp } from '../../../core/types.ts'
import type { App } from '../../app.ts'
import { audit } from '../../audit.ts'
import { KEEPERS, STAFF, viewerOf } from '../../viewer.ts'
import { IdParam, MonthAndBasis, MonthParam } from '../schemas.ts'
import { reportingCurrency } from '../../settingsTable.ts'
import { readCentres } from '../organisation/store.ts'
import { rateToView } from '../statements/read.ts'
import { rulebookVersion } from '../rulebook/store.ts'
import { readBalance } from './balance.ts'
import { readStanding } from './standing.ts'
import { listRuns, roundedCells, type RunRow } from './store.ts'

/** A band of money in the drawing of a month: from a provider to a cost centre, a pool or nobody, or from a pool on. */
export interface Flow { from: string; to: string; amount: string }

export interface WayOfMoney {
  standing: 'none' | 'current' | 'outOfDate'
  run: RunRow | null
  currency: string
  providers: { name: string; amount: string; direct: string; pools: string; aside: string; unassigned: string }[]
  pools: { code: string; name: string; base: string; amount: string; held: string }[]
  centres: { code: string; name: string; direct: string; pools: string; amount: string }[]
  /** what rules set aside, by reason */
  asides: { reason: string; amount: string }[]
  unassigned: string
  held: string
  /** fees on top of what is charged, by recovery account: not part of any sum above */
  markUps: { name: string; recoveryAccount: string; amount: string; centres: number }[]
  flows: Flow[]
}

function wayOf(cells: readonly RoundedCell[], names: { pools: Map<string, { name: string; base: string }>; centres: Map<string, string> }, digits: number): Omit<WayOfMoney, 'standing' | 'run' | 'currency' | 'markUps'> {
  const show = (units: bigint): string => formatAmount(units, digits, digits)
  const sum = (test: (cell: RoundedCell) => boolean): bigint => cells.filter(test).reduce((total, { rounded }) => total + rounded, 0n)
  const isPooled = ({ kind }: RoundedCell): boolean => kind === 'pool' || kind === 'held'
  const distinct = (valueOf: (cell: RoundedCell) => string): string[] => [...new Set(cells.map(valueOf))].filter(Boolean).sort()
  const flows = new Map<string, bigint>()
  const flow = (from: string, to: string, amount: bigint): void => { flows.set(`${from}\u0000${to}`, (flows.get(`${from}\u0000${to}`) ?? 0n) + amount) }
  for (const cell of cells) {
    const provider = `provider:${cell.provider}`
    if (cell.kind === 'direct') flow(provider, `centre:${cell.costCentre}`, cell.rounded)
    else if (cell.kind === 'unassigned') flow(provider, 'unassigned', cell.rounded)
    else if (cell.kind === 'aside') flow(provider, 'held', cell.rounded)
    else {
      flow(provider, `pool:${cell.line}`, cell.rounded)
      flow(`pool:${cell.line}`, cell.kind === 'held' ? 'held' : `centre:${cell.costCentre}`, cell.rounded)
    }
  }
  return {
    providers: distinct(({ provider }) => provider).map((name) => {
      const of = (test: (cell: RoundedCell) => boolean): string => show(sum((cell) => cell.provider === name && test(cell)))
      return { name, amount: of(() => true), direct: of(({ kind }) => kind === 'direct'), pools: of(isPooled), aside: of(({ kind }) => kind === 'aside'), unassigned: of(({ kind }) => kind === 'unassigned') }
    }),
    pools: distinct((cell) => (isPooled(cell) ? cell.line : '')).map((code) => ({
      code, name: names.pools.get(code)?.name ?? code, base: names.pools.get(code)?.base ?? '', amount: show(sum((cell) => isPooled(cell) && cell.line === code)), held: show(sum(({ kind, line }) => kind === 'held' && line === code)),
    })),
    centres: distinct(({ costCentre }) => costCentre).map((code) => {
      const [direct, pools] = [sum(({ kind, costCentre }) => kind === 'direct' && costCentre === code), sum(({ kind, costCentre }) => kind === 'pool' && costCentre === code)]
      return { code, name: names.centres.get(code) ?? '', direct: show(direct), pools: show(pools), amount: show(direct + pools) }
    }),
    unassigned: show(sum(({ kind }) => kind === 'unassigned')), held: show(sum(({ kind }) => kind === 'held' || kind === 'aside')),
    asides: distinct((cell) => (cell.kind === 'aside' ? cell.line : '')).map((reason) => ({ reason, amount: show(sum(({ kind, line }) => kind === 'aside' && line === reason)) })),
    flows: [...flows].map(([name, amount]) => { const [from, to] = name.split('\u0000') as [string, string]; return { from, to, amount: show(amount) } }),
  }
}

function recovered(markUps: readonly MarkUp[], cells: readonly RoundedCell[], digits: number, rate?: bigint): WayOfMoney['markUps'] {
  const lines = markUpLines(markUps, cells, digits, rate)
  return markUps.map(({ id, name, recoveryAccount }) => {
    const own = lines.filter(({ markUp }) => markUp.id === id)
    return { name, recoveryAccount, centres: own.length, amount: formatAmount(own.reduce((sum, { amount }) => sum + amount, 0n), digits, digits) }
  })
}

export function allocationRoutes(app: App): void {
  const { database, ledger } = app
  app.get('/api/balance', { schema: { querystring: MonthAndBasis } }, (request) => readBalance(database, request.query.month, request.query.basis, viewerOf(request)))

  app.get('/api/allocation', { config: { roles: STAFF }, schema: { querystring: MonthAndBasis } }, async (request): Promise<WayOfMoney & { runs: RunRow[] }> => {
    const { month, basis } = request.query
    const [{ kind, run }, currency, centres, runs] = await Promise.all([readStanding(database, month), reportingCurrency(database), readCentres(database), listRuns(database, month)])
    const cells = run ? await roundedCells(database, run.id, basis) : []
    const { pools, markUps } = (run ? (await rulebookVersion(database, run.version))?.rulebook : null) ?? emptyRulebook()
    const names = { pools: new Map(pools.map((pool) => [pool.code, { name: pool.name, base: baseLabel(pool) }])), centres: new Map(centres.map(({ code, name }) => [code, name])) }
    return { standing: kind, run, currency, runs, markUps: recovered(markUps, cells, minorDigits(currency), run ? await rateToView(database, run.id) : undefined), ...wayOf(cells, names, minorDigits(currency)) }
  })

  app.post('/api/allocation/runs/:id/replay', { config: { roles: STAFF }, schema: { params: IdParam } }, (request) => ledger.replay({ runId: request.params.id }))

  app.post('/api/allocation/:month', { config: { roles: KEEPERS }, schema: { params: MonthParam } }, async (request) => {
    const { month } = request.params
    const { name } = viewerOf(request)
    const result = await ledger.run({ month, user: name })
    await audit(database, name, 'allocation run', month, result)
    return result
  })
}
