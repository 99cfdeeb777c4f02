import { matchRule } from '../../../core/classify/evaluate.ts'
import { settingOf, walkClusters, type ClusterUse } from '../../../core/kubernetes/expandClusters.ts'
import { costsAlong, viewClusters, type ClusterLevel, type ClusterStep } from '../../../core/kubernetes/clusterView.ts'
import { CONVERTED_SCALE, convert } from '../../../core/money/convert.ts'
import { formatAmount, roundTo } from '../../../core/money/amount.ts'
import { roundTogether } from '../../../core/money/apportion.ts'
import type { Basis, Rulebook } from '../../../core/types.ts'
import type { Term, Workings } from '../../../core/workings/workings.ts'
import { bySize, type MonthLedger } from '../rulebook/monthLedger.ts'

type Uses = Record<ClusterUse, string>
interface Quantities { request: number; use: number; held: number; capacity: number }
export interface ClusterLine { value: string; cost: string; uses: Uses; cpu: Quantities; memory: Quantities; gpu: { request: number; capacity: number }; efficiency: number | null; /** money of each day, for a small chart */ days: { day: string; amount: number }[] }
export interface ClusterView { currency: string; rows: ClusterLine[]; total: string; labels: string[]; withoutMetering: NodeMoney[]; withoutBill: { cluster: string; node: string; resourceId: string; hours: number }[] }
export interface NodeMoney { cluster: string; node: string; resourceId: string; amount: string; reason: string }

/** Metered clusters along a path, by a level, with what cannot be divided for want of metering or of a bill. */
export function clusterView(ledger: MonthLedger, rulebook: Rulebook, basis: Basis, path: readonly ClusterStep[], by: ClusterLevel): ClusterView {
  const { table, metered, rates, digits, currency } = ledger
  const show = (minor: bigint): string => formatAmount(minor, digits, digits)
  const rows = viewClusters(table, metered, rulebook.clusters, basis, rates, path, by)
  const total = shownTotal(ledger, rulebook, basis, path, rows.map(({ cost }) => cost))
  const rounded = roundTogether(rows.map(({ cost }) => cost), total, 10n ** BigInt(CONVERTED_SCALE - digits))
  const lines = rows.map(({ value, uses, cpu, memory, gpu, efficiency, days }, index): ClusterLine => ({
    value, cost: show(rounded[index]!), cpu, memory, gpu, efficiency,
    uses: usesOf(uses, rounded[index]!, digits),
    days: [...days].filter(([day]) => day !== '').sort(([a], [b]) => (a < b ? -1 : 1)).map(([day, amount]) => ({ day, amount })),
  }))
  const labels = [...new Set(metered.days.flatMap(({ head }) => head.workloads.flatMap((workload) => Object.keys(workload.labels))))].sort()
  return { currency, rows: lines.sort((a, b) => bySize({ amount: a.cost }, { amount: b.cost }) || (a.value < b.value ? -1 : 1)), total: show(total), labels, withoutMetering: withoutMetering(ledger, rulebook, basis), withoutBill: withoutBill(ledger) }
}

/** What the rows of a place come to, in minor units: the figure that stands for it one level up, where it was rounded together with those beside it. */
function shownTotal({ table, metered, rates, digits }: MonthLedger, rulebook: Rulebook, basis: Basis, path: readonly ClusterStep[], costs: readonly bigint[]): bigint {
  const sum = (parts: readonly bigint[]): bigint => parts.reduce((all, one) => all + one, 0n)
  const unit = 10n ** BigInt(CONVERTED_SCALE - digits)
  let total: bigint | null = null
  costsAlong(table, metered, rulebook.clusters, basis, rates, path).forEach((beside, index) => {
    const parts = [...beside.values()]
    const rounded = roundTogether(parts, total ?? roundTo(sum(parts), digits, CONVERTED_SCALE), unit)
    total = rounded[[...beside.keys()].indexOf(path[index]!.value)] ?? 0n
  })
  return total ?? roundTo(sum(costs), digits, CONVERTED_SCALE)
}

/** What a row's cost is for, rounded so that it adds up to the row. */
function usesOf(uses: Record<ClusterUse, bigint>, cost: bigint, digits: number): Uses {
  const names = Object.keys(uses) as ClusterUse[]
  const rounded = roundTogether(names.map((use) => uses[use]), cost, 10n ** BigInt(CONVERTED_SCALE - digits))
  return Object.fromEntries(names.map((use, index) => [use, formatAmount(rounded[index]!, digits, digits)])) as Uses
}

/** Charges of nodes that nothing was metered of, on some days or in the whole month: they go by the rules, nothing is guessed. */
function withoutMetering({ table, metered, rates, digits, month }: MonthLedger, rulebook: Rulebook, basis: Basis): NodeMoney[] {
  const found = new Map<string, { cluster: string; node: string; resourceId: string; amount: bigint; days: Set<string> }>()
  const note = (row: number, cluster: string, node: string, day: string, amount: bigint): void => {
    const resourceId = table.value('ResourceId', row) ?? ''
    const one = found.get(resourceId) ?? { cluster, node, resourceId, amount: 0n, days: new Set<string>() }
    one.amount += convert(amount, table.value('BillingCurrency', row)!, rates, table.value('ProviderName', row) ?? '')
    if (day) one.days.add(day)
    found.set(resourceId, one)
  }
  walkClusters(table, metered, rulebook.clusters, ({ use, row, cluster, node, day, amounts }) => { if (use === 'unmetered') note(row, cluster, node, day, amounts[basis]) })
  const known = new Set(metered.costs.map(({ row }) => row))
  for (const { cluster, nodeCharges } of rulebook.clusters) {
    if (nodeCharges.length === 0) continue
    for (const row of matchRule({ conditions: nodeCharges }, table)) if (!known.has(row)) note(row, cluster, table.value('ResourceName', row) ?? '', '', table.keys[row]!.amounts[basis])
  }
  return [...found.values()].map(({ amount, days, ...one }) => ({
    ...one, amount: formatAmount(roundTo(amount, digits, CONVERTED_SCALE), digits, digits),
    reason: days.size === 0 ? `not metered in ${month}` : `not metered on ${days.size} day${days.size > 1 ? 's' : ''} from ${[...days].sort()[0]}`,
  })).sort(bySize)
}

/** Nodes that were metered and that no charge of the month is for. */
function withoutBill({ table, metered }: MonthLedger): ClusterView['withoutBill'] {
  const { codeOf } = table.column('ResourceId')
  const found = new Map<string, ClusterView['withoutBill'][number]>()
  for (const { head } of metered.days) {
    for (const { name, resourceId, ticks } of head.nodes) {
      if (codeOf.has(resourceId)) continue
      const one = found.get(resourceId) ?? { cluster: head.cluster, node: name, resourceId, hours: 0 }
      one.hours += ticks / 600
      found.set(resourceId, one)
    }
  }
  return [...found.values()]
}

const MOST_TERMS = 24

/** How the cost of a place in a cluster comes about: of each node's cost on its metered days, the part that it held. */
export function clusterWorkings(ledger: MonthLedger, rulebook: Rulebook, basis: Basis, path: readonly ClusterStep[]): Workings {
  const { table, metered, rates, digits, currency, month } = ledger
  const own = viewClusters(table, metered, rulebook.clusters, basis, rates, path, 'node')
  const cluster = path.find(({ level }) => level === 'cluster')?.value
  const whole = new Map(viewClusters(table, metered, rulebook.clusters, basis, rates, cluster === undefined ? [] : [{ level: 'cluster', value: cluster }], 'node').map((row) => [row.value, row]))
  const total = own.reduce((sum, { cost }) => sum + cost, 0n)
  const show = (amount: bigint): string => formatAmount(amount, 2, CONVERTED_SCALE)
  const sorted = own.filter(({ cost }) => cost !== 0n).sort((a, b) => (b.cost > a.cost ? 1 : -1))
  const shown = sorted.length > MOST_TERMS ? sorted.slice(0, MOST_TERMS - 1) : sorted
  const rest = sorted.slice(shown.length).reduce((sum, { cost }) => sum + cost, 0n)
  const weights = settingOf(rulebook.clusters, cluster ?? '').weights
  const share = (part: bigint, of: bigint): string => (of === 0n ? '' : `${formatAmount((part * 1_000_000n) / of, 2, 4)} % of ${show(of)}`)
  const terms = shown.map(({ value, cost, cpu, memory }, index): Term => ({
    sign: index === 0 ? '' : '+', label: value || 'what serves the workloads, and overhead', amount: show(cost), unit: currency, opens: null,
    note: value ? `${share(cost, whole.get(value)?.cost ?? 0n)} that the node cost; held ${cpu.held.toFixed(2)} of ${(whole.get(value)?.cpu.capacity ?? 0).toFixed(2)} core hours and ${memory.held.toFixed(2)} of ${(whole.get(value)?.memory.capacity ?? 0).toFixed(2)} GiB hours` : '',
  }))
  const place = path.map(({ level, value }) => `${level} ${value || '(none)'}`).join(' · ') || 'all clusters'
  return {
    title: place, subtitle: `${month}, ${basis} cost; the larger of request and use in each hour, a core weighing ${weights.cpu}, a gibibyte ${weights.memory}, a graphics unit ${weights.gpu}`,
    amount: show(total), currency, rules: [], charges: null,
    terms: [...terms, ...(rest === 0n ? [] : [{ sign: '+' as const, label: `${sorted.length - shown.length} smaller nodes`, amount: show(rest), unit: currency, note: '', opens: null }]),
      { sign: '=', label: 'exactly', amount: show(total), unit: currency, note: `shown as ${formatAmount(shownTotal(ledger, rulebook, basis, path, [total]), digits, digits)}`, opens: null }],
  }
}
