import { addMonths } from '../../../core/calendar/month.ts'
import { amountOf, formatAmount } from '../../../core/money/amount.ts'
import { minorDigits } from '../../../core/money/currency.ts'
import { writeRef, type FigureRef, type Workings } from '../../../core/workings/workings.ts'
import type { Database } from '../../db/database.ts'
import { invalid, notFound } from '../../refusal.ts'
import { baseCurrency, reportingCurrency } from '../../settingsTable.ts'
import type { Viewer } from '../../viewer.ts'
import { frozenRates, latestRun, runRates } from '../allocation/store.ts'
import { rateKindOf } from '../rates/store.ts'
import { rulebookVersion } from '../rulebook/store.ts'
import { term, type Context } from './context.ts'
import { keysWorkings } from './keys.ts'
import { poolWorkings, shareWorkings, weightsWorkings } from './pools.ts'
import { chargedWorkings, lineWorkings, ratesWorkings, statementWorkings } from './statement.ts'

const KINDS: Record<string, (context: Context) => Promise<Workings>> = { keys: keysWorkings, statement: statementWorkings, line: lineWorkings, share: shareWorkings, pool: poolWorkings, weights: weightsWorkings, change: changeWorkings, rates: ratesWorkings, charged: chargedWorkings }

export async function writeWorkings(database: Database, ref: FigureRef, viewer: Viewer): Promise<Workings> {
  const write = KINDS[ref.kind]
  if (!write) throw invalid('The address of the figure cannot be read.')
  const run = await latestRun(database, ref.month)
  if (!run) throw notFound(`An allocation run of ${ref.month}`)
  const [rulebook, rates, currency, base, baseRates, rateKind] = await Promise.all([rulebookVersion(database, run.version), runRates(database, run.id), reportingCurrency(database), baseCurrency(database), frozenRates(database, run.id), rateKindOf(database, ref.month)])
  return write({ database, viewer, ref, run, rulebook: rulebook!, rates, currency, digits: minorDigits(currency), base, baseRates, rateKind })
}

/** A change against the month before: this month's figure less that one's, each open. The parts are those of the figure: its kind, then its own. */
async function changeWorkings(context: Context): Promise<Workings> {
  const { ref, database, viewer, currency } = context
  const [kind = '', ...parts] = ref.parts
  if (kind !== 'statement' && kind !== 'line') throw invalid('The address of the figure cannot be read.')
  const before = addMonths(ref.month, -1)
  const refs = [ref.month, before].map((month): FigureRef => ({ ...ref, kind, month, parts }))
  const [now, then] = await Promise.all(refs.map((each) => writeWorkings(database, each, viewer)))
  const change = amountOf(now!.amount) - amountOf(then!.amount)
  return {
    title: now!.title, subtitle: `change against ${before}, ${ref.basis} cost`, amount: formatAmount(change, context.digits), currency,
    terms: [term('', ref.month, now!.amount, currency, '', writeRef(refs[0]!)), term('−', before, then!.amount, currency, '', writeRef(refs[1]!)), term('=', 'change', formatAmount(change, context.digits), currency)],
    rules: [], charges: null,
  }
}
