import { isField, TAG_FIELD, tagField } from '../../../core/charges/attributes.ts'
import { cleanStepByStep } from '../../../core/clean/cleanTags.ts'
import { coverageOf, tagKeysOf } from '../../../core/clean/coverage.ts'
import { proposeSteps } from '../../../core/clean/proposals.ts'
import { convert } from '../../../core/money/convert.ts'
import type { CleanAct, Condition, Rulebook } from '../../../core/types.ts'
import { matchRule } from '../../../core/classify/evaluate.ts'
import { preparedTable } from '../allocation/ledger.ts'
import { invalid } from '../../refusal.ts'
import { bySize, takenBy, type MonthLedger, type Taken } from './monthLedger.ts'

export interface ChangeMoney { key: string; before: string | null; after: string | null; money: Taken }
/** What a step does in the month: by id, largest changes first. */
export interface StepEffect { id: string; money: Taken; changes: ChangeMoney[]; moreChanges: number }
export interface ProposalMoney { act: CleanAct; reason: string; money: Taken }
/** A tag key: what it is as billed and as cleaned. */
export interface KeyStanding { key: string; billed: Taken; cleaned: Taken; values: number; counts: boolean }
export interface CleanView { steps: StepEffect[]; keys: KeyStanding[]; total: Taken; proposals: ProposalMoney[] }

const MOST_CHANGES = 100

/** The tag clean-up of a rulebook over a month: what each step changes and what the program would do further, in money. */
export function cleanView(ledger: MonthLedger, rulebook: Rulebook): CleanView {
  const { month, earlier } = ledger
  const billed = preparedTable(ledger, { clusters: rulebook.clusters, cleanUp: [], classifications: [] })
  const { table: cleaned, steps } = cleanStepByStep(billed, rulebook.cleanUp, month, earlier)
  const money = (rows: Iterable<number>): Taken => takenBy(ledger, billed, rows, rulebook.chargedBasis)
  const effects = steps.map(({ step, changes }): StepEffect => {
    const all = changes.map(({ field, before, after, rows }) => ({ key: field.slice(TAG_FIELD.length), before: before ?? null, after: after ?? null, money: money(rows) })).sort((a, b) => bySize(a.money, b.money))
    return { id: step.id, money: money(new Set(changes.flatMap(({ rows }) => rows))), changes: all.slice(0, MOST_CHANGES), moreChanges: Math.max(0, all.length - MOST_CHANGES) }
  })
  const sizes = billed.keys.map(({ amounts, attributes }) => Math.abs(Number(convert(amounts[rulebook.chargedBasis], attributes.BillingCurrency!, ledger.rates, attributes.ProviderName ?? ''))))
  const proposals = proposeSteps(cleaned, sizes).filter(({ act }) => !isThere(act, rulebook)).map(({ act, reason, rows }) => ({ act, reason, money: money(rows) })).sort((a, b) => certainty(a.act) - certainty(b.act) || bySize(a.money, b.money))
  const keys = [...new Set([...tagKeysOf(billed), ...tagKeysOf(cleaned), ...rulebook.tagKeys])].sort().map((key): KeyStanding => {
    const [before, after] = [billed.column(tagField(key)), cleaned.column(tagField(key))]
    const rows = (codes: Int32Array): number[] => billed.keys.flatMap((_, row) => (codes[row]! > 0 ? [row] : []))
    return { key, billed: money(rows(before.codes)), cleaned: money(rows(after.codes)), values: after.values.length - 1, counts: rulebook.tagKeys.includes(key) }
  })
  return { steps: effects, keys: keys.sort((a, b) => Number(b.counts) - Number(a.counts) || bySize(a.cleaned, b.cleaned) || bySize(a.billed, b.billed)), total: money(billed.keys.keys()), proposals }
}

/** What is spelled alike is surer than what a resource carried, and that surer than what its account carries. */
const certainty = (act: CleanAct): number => (act.kind !== 'inherit' ? 0 : act.from === 'ResourceId' ? 1 : 2)

/** A proposal that is a step already, switched on or off, is not made again. */
const isThere = (act: CleanAct, { cleanUp }: Rulebook): boolean => cleanUp.some((step) => JSON.stringify(step.act) === JSON.stringify(act))

export interface CoverageRow { month: string; key: string; provider: string; /** shares from 0 to 1 of the money that carries the tag; null where there is no money */ billed: number | null; cleaned: number | null }

/** Coverage of the tag keys that count, by provider, over months, as billed and as cleaned. Shares are for reading, not for sums. */
export function coverageView(ledgers: readonly MonthLedger[], rulebook: Rulebook): CoverageRow[] {
  return ledgers.flatMap((ledger) => {
    const of = (table: MonthLedger['table']): ReturnType<typeof coverageOf> => coverageOf(table, rulebook.tagKeys, rulebook.chargedBasis, ledger.rates)
    const { clusters, cleanUp } = rulebook
    const [billed, cleaned] = [of(preparedTable(ledger, { clusters, cleanUp: [], classifications: [] })), of(preparedTable(ledger, { clusters, cleanUp, classifications: [] }))]
    const share = ({ covered, total }: { covered: bigint; total: bigint }): number | null => (total === 0n ? null : Number((covered * 1_000_000n) / total) / 1_000_000)
    return billed.map((before, index): CoverageRow => ({ month: ledger.month, key: before.key, provider: before.provider, billed: share(before), cleaned: share(cleaned[index]!) }))
  })
}

export interface FoundResource { id: string; name: string; provider: string; service: string; tags: Record<string, string>; money: Taken }

const MOST_RESOURCES = 500

/** Resources that have charges with all of the conditions, largest money first, with their cleaned tags. */
export function findResources(ledger: MonthLedger, rulebook: Rulebook, conditions: readonly Condition[], text: string): { resources: FoundResource[]; count: number; money: Taken } {
  if (conditions.some(({ field }) => !isField(field))) throw invalid('A condition names no attribute of a charge.')
  const table = preparedTable(ledger, rulebook)
  const wanted = text.toLowerCase()
  const rows = new Map<string, number[]>()
  for (const row of matchRule({ conditions: [...conditions] }, table)) {
    const id = table.value('ResourceId', row)
    if (!id || (wanted && !`${id} ${table.value('ResourceName', row) ?? ''}`.toLowerCase().includes(wanted))) continue
    const known = rows.get(id)
    if (known) known.push(row)
    else rows.set(id, [row])
  }
  const found = [...rows].map(([id, own]): FoundResource => {
    const attributes = table.attributes(own[0]!)
    const tags = Object.fromEntries(Object.entries(attributes).filter(([field]) => field.startsWith(TAG_FIELD)).map(([field, value]) => [field.slice(TAG_FIELD.length), value]))
    return { id, name: attributes.ResourceName ?? id, provider: attributes.ProviderName ?? '', service: attributes.ServiceName ?? '', tags, money: takenBy(ledger, table, own, rulebook.chargedBasis) }
  }).sort((a, b) => bySize(a.money, b.money))
  return { resources: found.slice(0, MOST_RESOURCES), count: found.length, money: takenBy(ledger, table, [...rows.values()].flat(), rulebook.chargedBasis) }
}
