import { TAG_FIELD } from '../../../core/charges/attributes.ts'
import { explain, type Verdict } from '../../../core/classify/explain.ts'
import { settingName, settingOfRule } from '../../../core/classify/settled.ts'
import { KeyTable } from '../../../core/classify/keyTable.ts'
import { prepare } from '../../../core/classify/prepare.ts'
import type { KeyFigures, Rulebook } from '../../../core/types.ts'
import { COST_CENTRE, stageOf, type MonthLedger } from './monthLedger.ts'

/** A charge under every classification: its tags as billed and as cleaned, and what each rule makes of it. */
export interface ChargeTest {
  /** what happens before any rule is asked */
  beforeRules: string[]
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

/** Tests a charge key of the month, or attributes that somebody pasted, against a rulebook. */
export function testCharge(ledger: MonthLedger, rulebook: Rulebook, charge: { key: number } | { attributes: Record<string, string> }): ChargeTest | null {
  if ('key' in charge) {
    const row = ledger.table.keys.findIndex(({ id }) => id === charge.key)
    if (row < 0) return null
    return { ...verdicts(ledger, rulebook, ledger.table.keys[row]!.attributes, (classification) => attributesIn(stageOf(ledger, rulebook, classification).table, charge.key)), beforeRules: beforeRules(ledger, rulebook, charge.key) }
  }
  // pasted attributes stand by themselves: what is inherited from other charges cannot be known
  const key: KeyFigures = { id: 1, attributes: charge.attributes, lines: 0, amounts: { billed: 0n, effective: 0n } }
  const alone = { ...ledger, table: new KeyTable([key]) }
  return verdicts(alone, rulebook, charge.attributes, (classification) => {
    const at = classification === COST_CENTRE ? rulebook.classifications.length : rulebook.classifications.findIndex(({ code }) => code === classification)
    return attributesIn(prepare(alone.table, { cleanUp: rulebook.cleanUp, classifications: rulebook.classifications.slice(0, at) }, ledger.month), 1)
  })
}

/** What is done with a charge before any rule is asked, in words: metering divides it, a setting sends it. */
function beforeRules(ledger: MonthLedger, rulebook: Rulebook, key: number): string[] {
  const { table, ruleOf } = stageOf(ledger, rulebook, COST_CENTRE)
  const rows = table.keys.flatMap(({ id }, row) => (id === key ? [row] : []))
  const cluster = table.value('Cluster', rows[0]!)
  const setting = settingOfRule(ruleOf[rows[0]!]!)
  return [
    ...(cluster !== undefined && rows.length > 1 ? [`It is metered as part of cluster ${cluster} and divided into ${rows.length} parts; the first of them, ${table.value('Workload', rows[0]!) ?? table.value('ClusterUse', rows[0]!)}, is what the rules are tested on here.`] : []),
    ...(setting ? [`The setting for ${settingName(setting)} sends it before any rule is asked.`] : []),
  ]
}

const attributesIn = (table: KeyTable, key: number): Record<string, string> => table.attributes(table.keys.findIndex(({ id }) => id === key))

function verdicts(ledger: MonthLedger, rulebook: Rulebook, billed: Readonly<Record<string, string>>, attributesFor: (classification: string) => Record<string, string>): ChargeTest {
  const stages = [...rulebook.classifications, { code: COST_CENTRE, name: 'Cost centre', rules: rulebook.rules }]
  return { beforeRules: [], billed: { ...billed }, cleaned: attributesFor(COST_CENTRE), classifications: stages.map(({ code, name, rules }) => ({ code, name, verdicts: explain(rules, attributesFor(code), ledger.month) })) }
}
