import type { KeyOutcome, Way } from '../allocatePeriod.ts'
import { shareByCost } from '../money/shareByCost.ts'
import { HUNDRED } from '../money/percents.ts'
import type { Problem } from '../problems.ts'
import type { Amounts, Rulebook } from '../types.ts'
import type { KeyTable } from './keyTable.ts'
import { settingName, settingOfRule, settledWay, type Setting } from './settled.ts'

const UNASSIGNED: Way = { kind: 'unassigned', target: '' }

/** Makes the way to a target, or unassigned where it cannot be used; `name` is told with the problem. */
type WayTo = (name: string, kind: 'costCentre' | 'pool' | 'aside', target: string) => Way

/**
 * The outcomes of the rows that settings send: whole to a target, or along the ways of the charges that they follow, in
 * proportion to the cost that goes each way. `others`: the outcomes of all other rows.
 */
export function settleOutcomes(table: KeyTable, ruleOf: Int32Array, rulebook: Pick<Rulebook, 'clusters' | 'special'>, others: readonly KeyOutcome[], wayTo: WayTo): { outcomes: KeyOutcome[]; problems: Problem[] } {
  const outcomes: KeyOutcome[] = []
  const problems = new Map<string, Problem>()
  const ways = new Map<string, Way>()
  const followed = new Map<string, Followed>()
  table.keys.forEach((key, row) => {
    const setting = settingOfRule(ruleOf[row]!)
    if (!setting) return
    const cluster = table.value('Cluster', row)
    const { way, follows } = settledWay(rulebook, setting, cluster)
    const common = { row, key, rule: ruleOf[row]! }
    const whole = (to: Way): void => { outcomes.push({ ...common, way: to, amounts: key.amounts, percent: HUNDRED }) }
    if (way.kind === 'costCentre' || way.kind === 'pool' || way.kind === 'aside') {
      const name = `The setting for ${settingName(setting)}`
      const target = way.kind === 'aside' ? way.reason : way.code
      const id = `${name} ${way.kind} ${target}`
      if (!ways.has(id)) ways.set(id, wayTo(name, way.kind, target))
      return whole(ways.get(id)!)
    }
    const name = follows.join(' ') + (cluster === undefined ? '' : ' cluster')
    let of = followed.get(name)
    if (!of) followed.set(name, (of = new Followed(table, follows, others, setting)))
    const shares = of.share(row, key.amounts)
    if (!shares) {
      problems.set(setting, { code: 'FOLLOWS_NOTHING', subject: setting, message: `There are ${settingName(setting)} in this month with nothing to follow: no charge with cost agrees with them in ${follows.join(' and ')}. They stay unassigned.` })
      return whole(UNASSIGNED)
    }
    if (shares.length === 1) return whole(shares[0]!.way)
    for (const { way: to, amounts, percent } of shares) outcomes.push({ ...common, way: to, amounts, percent })
  })
  return { outcomes, problems: [...problems.values()] }
}

/** What charges go which way, by the values of some fields. */
class Followed {
  private readonly costs = new Map<string, Map<string, { way: Way; amounts: Amounts }>>()

  constructor(private readonly table: KeyTable, private readonly fields: readonly string[], others: readonly KeyOutcome[], setting: Setting) {
    const use = table.column('ClusterUse')
    for (const { row, way, amounts } of others) {
      // idle and overhead follow what tenants run, not what is left of nodes without metering
      if (setting === 'idle' || setting === 'overhead') if (!['workload', 'serving'].includes(use.values[use.codes[row]!] ?? '')) continue
      const place = this.placeOf(row)
      if (place === null) continue
      let ways = this.costs.get(place)
      if (!ways) this.costs.set(place, (ways = new Map()))
      const name = `${way.kind} ${way.target}`
      const sum = ways.get(name)
      if (sum) { sum.amounts.billed += amounts.billed; sum.amounts.effective += amounts.effective }
      else ways.set(name, { way, amounts: { ...amounts } })
    }
  }

  /** Null where nothing with cost agrees with the row. */
  share(row: number, amounts: Amounts): { way: Way; amounts: Amounts; percent: bigint }[] | null {
    const place = this.placeOf(row)
    const ways = place === null ? [] : [...(this.costs.get(place) ?? [])].sort(([a], [b]) => (a < b ? -1 : 1)).map(([, one]) => one)
    const shares = shareByCost(amounts, ways.map((one) => one.amounts))
    if (!shares) return null
    const total = ways.reduce((sum, one) => sum + positive(one.amounts), 0n)
    const parts = ways.map(({ way, amounts: cost }, index) => ({ way, amounts: shares[index]!, percent: total > 0n ? (positive(cost) * HUNDRED) / total : 0n }))
      .filter(({ amounts: { billed, effective }, percent }) => billed !== 0n || effective !== 0n || percent > 0n)
    // a hundred per cent stands for the whole row: a part of one never has it, whichever cost its percentage is of
    return parts.length > 1 ? parts.map((part) => ({ ...part, percent: part.percent === HUNDRED ? HUNDRED - 1n : part.percent })) : parts
  }

  private placeOf(row: number): string | null {
    const values = this.fields.map((field) => this.table.value(field, row))
    return values.some((value) => value === undefined) ? null : values.join('\u0000')
  }
}

const positive = ({ effective }: Amounts): bigint => (effective > 0n ? effective : 0n)
