import { Type } from 'typebox'
import { formatAmount } from '../../../core/money/amount.ts'
import { minorDigits } from '../../../core/money/currency.ts'
import { addMonths } from '../../../core/calendar/month.ts'
import type { App } from '../../app.ts'
import { viewerOf } from '../../viewer.ts'
import { Basis, Month, MonthAndBasis } from '../schemas.ts'
import { latestRun, roundedCells } from '../allocation/store.ts'
import { readUnits, visibleCentres } from '../organisation/store.ts'
import { reportingCurrency } from '../../settingsTable.ts'
import { statementCsv } from './csv.ts'
import { statementPdf } from './pdf.ts'
import { readStatement } from './read.ts'
import { viewStatement, type StatementView } from './view.ts'

const Query = Type.Object({ scope: Type.String({ pattern: '^(cc|unit):.{1,32}$' }), month: Month, basis: Basis })

export function statementRoutes(app: App): void {
  const { database } = app
  app.get('/api/statements', { schema: { querystring: MonthAndBasis } }, async (request) => {
    const { month, basis } = request.query
    const [centres, units, currency, run] = await Promise.all([visibleCentres(database, viewerOf(request)), readUnits(database), reportingCurrency(database), latestRun(database, month)])
    const digits = minorDigits(currency)
    const [now, before] = await Promise.all([month, addMonths(month, -1)].map(async (each) => {
      const run = await latestRun(database, each)
      return run ? roundedCells(database, run.id, basis) : []
    }))
    const sum = (cells: typeof now, code: string, kind: 'direct' | 'pool'): bigint => (cells ?? []).filter((cell) => cell.costCentre === code && cell.kind === kind).reduce((total, { rounded }) => total + rounded, 0n)
    const show = (units: bigint): string => formatAmount(units, digits, digits)
    return {
      runId: run?.id ?? null, currency,
      units: units.filter(({ code }) => centres.some(({ unit }) => unit === code)),
      centres: centres.map(({ code, name, unit, owner }) => {
        const [direct, pools, previous] = [sum(now, code, 'direct'), sum(now, code, 'pool'), sum(before, code, 'direct') + sum(before, code, 'pool')]
        return { code, name, unit, owner, direct: show(direct), pools: show(pools), total: show(direct + pools), previous: show(previous), change: show(direct + pools - previous) }
      }),
    }
  })

  const view = async (query: { scope: string; month: string; basis: 'billed' | 'effective' }, viewer: ReturnType<typeof viewerOf>): Promise<StatementView> =>
    viewStatement(await readStatement(database, query.scope, query.month, query.basis, viewer))
  const fileName = ({ scope, month, basis }: StatementView, ending: string): string => `attachment; filename="statement-${scope.code.replace(/[^\w-]/g, '_')}-${month}-${basis}.${ending}"`

  app.get('/api/statement', { schema: { querystring: Query } }, (request) => view(request.query, viewerOf(request)))

  app.get('/api/statement.csv', { schema: { querystring: Query } }, async (request, reply) => {
    const statement = await view(request.query, viewerOf(request))
    reply.header('content-disposition', fileName(statement, 'csv')).type('text/csv; charset=utf-8')
    return statementCsv(statement)
  })

  app.get('/api/statement.pdf', { schema: { querystring: Query } }, async (request, reply) => {
    const statement = await view(request.query, viewerOf(request))
    reply.header('content-disposition', fileName(statement, 'pdf')).type('application/pdf')
    return statementPdf(statement)
  })
}
