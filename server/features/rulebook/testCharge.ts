import { CLUSTER_FIELDS, TAG_FIELD } from '../../../core/charges/attributes.ts'
import { explain, type Verdict } from '../../../core/classify/explain.ts'
import { senderName, settingName, settingOfRule } from '../../../core/classify/settled.ts'
import { KeyTable } from '../../../core/classify/keyTable.ts'
import { prepare } from '../../../core/classify/prepare.ts'
import { formatAmount } from '../../../core/money/amount.ts'
import type { KeyFigures, Rulebook } from '../../../core/types.ts'
import { COST_CENTRE, stageOf, type MonthLedger } from './monthLedger.ts'

/** A part of a charge that metering or a classification divides. */
export interface ChargePart {
  name: string
  /** on the charged basis, in the billing currency */
  amount: string
  /** the rule or the setting that takes it */
  taker: string | null
}

/** A charge, or one part of it, under every classification: its tags as billed and as cleaned, and what each rule makes of it. */
export interface ChargeTest {
  parts: ChargePart[]
  /** the part that is tested, where there are several */
  part: number
  currency: string
  /** the setting that sends it before any rule is asked */
  setting: string | null
  billed: Record<string, string>
  cleaned: Record<string, string>
  /** in the order of the rulebook, the cost centre last under an empty code */
  classifications: { code: string; name: string; verdicts: Verdict[] }[]
}

export interface FoundCharge { key: number; name: string; provider: string; service: string; tags: string }
const MOST_FOUND = 30

/** Charge keys that have a text in one of their attributes, those whose resource begins with it first. */
export function findCharges({ table }: MonthLedger, text: string): FoundCharge[] {
  const wanted = text.toLowerCase()
  const found: { key: KeyFigures; rank: number }[] = []
  for (const key of table.keys) {
    const name = (key.attributes.ResourceName ?? key.attributes.ResourceId ?? '').toLowerCase()
    if (name.startsWith(wanted)) found.push({ key, rank: 0 })
    else if (Object.values(key.attributes).some((value) => value.toLowerCase().includes(wanted))) found.push({ key, rank: 1 })
  }
  return found.sort((a, b) => a.rank - b.rank || a.key.id - b.key.id).slice(0, MOST_FOUND).map(({ key: { id, attributes } }) => ({
    key: id, name: attributes.ResourceName ?? attributes.ResourceId ?? 'no resource', provider: attributes.ProviderName ?? '', service: attributes.ServiceName ?? '',
    tags: Object.entries(attributes).filter(([field]) => field.startsWith(TAG_FIELD)).map(([field, value]) => `${field.slice(TAG_FIELD.length)}=${value}`).join(', '),
  }))
}

/** Tests a charge key of the month (the part of it asked for, where it is divided), or attributes that somebody pasted, against a rulebook. */
export function testCharge(ledger: MonthLedger, rulebook: Rulebook, charge: { key: number; part?: number } | { attributes: Record<string, string> }): ChargeTest | null {
  if ('key' in charge) return testKey(ledger, rulebook, charge.key, charge.part ?? 0)
  // pasted attributes stand by themselves: what is inherited from other charges cannot be known
  const key: KeyFigures = { id: 1, attributes: charge.attributes, lines: 0, amounts: { billed: 0n, effective: 0n } }
  const alone = { ...ledger, table: new KeyTable([key]) }
  return { parts: [], part: 0, currency: '', setting: null, ...verdicts(alone, rulebook, charge.attributes, (classification) => {
    const at = classification === COST_CENTRE ? rulebook.classifications.length : rulebook.classifications.findIndex(({ code }) => code === classification)
    return prepare(alone.table, { cleanUp: rulebook.cleanUp, classifications: rulebook.classifications.slice(0, at) }, ledger.month).attributes(0)
  }) }
}

function testKey(ledger: MonthLedger, rulebook: Rulebook, id: number, part: number): ChargeTest | null {
  const { table, ruleOf } = stageOf(ledger, rulebook, COST_CENTRE)
  const amountOf = (row: number): bigint => table.keys[row]!.amounts[rulebook.chargedBasis]
  const rows = rowsOf(table, id).sort((a, b) => Math.abs(Number(amountOf(b))) - Math.abs(Number(amountOf(a))))
  const row = rows[part]
  if (row === undefined) return null
  const { attributes } = table.keys[row]!
  const setting = settingOfRule(ruleOf[row]!)
  const tested = verdicts(ledger, rulebook, attributes, (classification) => {
    if (classification === COST_CENTRE) return table.attributes(row)
    // an earlier classification sees fewer parts: the one that this part is of
    const earlier = stageOf(ledger, rulebook, classification).table
    const own = rowsOf(earlier, id)
    return earlier.attributes(own.find((one) => CLUSTER_FIELDS.every((field) => earlier.value(field, one) === table.value(field, row))) ?? own[0]!)
  })
  // rules are not asked about what a setting sends
  if (setting) for (const verdict of tested.classifications.at(-1)!.verdicts) if (verdict.kind === 'takes') Object.assign(verdict, { kind: 'wouldTake' })
  return {
    ...tested, part, currency: attributes.BillingCurrency ?? '', setting: setting ? settingName(setting) : null,
    parts: rows.map((one) => ({ name: partName(table, one), amount: formatAmount(amountOf(one), 2), taker: senderName(rulebook.rules, ruleOf[one]!) })),
  }
}

const rowsOf = (table: KeyTable, id: number): number[] => table.keys.flatMap((key, row) => (key.id === id ? [row] : []))

/** What tells a part from the others: the workload, or what else it is of a cluster, and the values of a split. */
function partName(table: KeyTable, row: number): string {
  const value = (field: string): string | undefined => table.value(field, row)
  const place = value('Workload') !== undefined ? `${value('Namespace')}/${value('Workload')}${value('ClusterUse') === 'workload' ? '' : `, ${value('ClusterUse')}`}` : value('ClusterUse')
  const classes = Object.entries(table.attributes(row)).filter(([field]) => field.startsWith('class:')).map(([, text]) => text)
  return [place, ...classes].filter(Boolean).join(' · ') || 'the whole charge'
}

function verdicts(ledger: MonthLedger, rulebook: Rulebook, billed: Readonly<Record<string, string>>, attributesFor: (classification: string) => Record<string, string>): Pick<ChargeTest, 'billed' | 'cleaned' | 'classifications'> {
  const stages = [...rulebook.classifications, { code: COST_CENTRE, name: 'Cost centre', rules: rulebook.rules }]
  return { billed: { ...billed }, cleaned: attributesFor(COST_CENTRE), classifications: stages.map(({ code, name, rules }) => ({ code, name, verdicts: explain(rules, attributesFor(code), ledger.month) })) }
}
