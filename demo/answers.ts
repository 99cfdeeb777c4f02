import type { Month } from '../core/calendar/month.ts'
import { formatAmount } from '../core/money/amount.ts'
import { PROVIDERS } from './scenario.ts'
import { STORY_DAYS } from './stories.ts'
import { cellOf, type Cells } from './focusLine.ts'
import type { DemoCharge } from './generator.ts'

/** Stands for a target that is where the tenants of the cluster go. */
export const FOLLOWS = 'follows tenants'

interface Tally { lines: number; billed: bigint; effective: bigint }

/** A part of a charge that goes its own way: of a node, to who held it. */
export interface AnswerPart { target: string | null; service: string; use: string; cluster: string; namespace: string; workload: string; billed: bigint; effective: bigint }

/** The true answers: what the generator wrote, by month, provider and target, and the money of each story. Amounts in billing currency. */
export class Answers {
  private readonly tallies = new Map<string, Tally>()
  /** overhead that follows the tenants of its cluster, by month, provider and cluster, and what the tenants cost by target */
  private readonly following = new Map<string, { billed: bigint; effective: bigint; tenants: Map<string, bigint> }>()

  note(provider: string, month: Month, { target, billed, effective, cells, day }: DemoCharge, parts: readonly AnswerPart[] = []): void {
    const name = PROVIDERS[provider]!.name
    this.add(`bills/${month}/${name}`, billed, effective)
    if (parts.length > 0) this.notePartsOf(name, month, parts)
    else {
      this.add(`targets/${month}/${target ?? 'unassigned'}/${name}`, billed, effective)
      this.add(`services/${month}/${target ?? 'unassigned'}/${name}/${cellOf(cells, 'ServiceName')}`, billed, effective)
    }
    for (const story of storiesOf(cells, day, target)) {
      this.add(`stories/${story}/${name}`, billed, effective)
      this.add(`storyMonths/${month}/${story}/${name}`, billed, effective)
    }
  }

  private notePartsOf(name: string, month: Month, parts: readonly AnswerPart[]): void {
    for (const { target, service, use, cluster, namespace, workload, billed, effective } of parts) {
      this.add(`clusters/${month}/${cluster}/${use}/${name}`, billed, effective)
      if (namespace) this.add(`namespaces/${month}/${cluster}/${namespace}/${name}`, billed, effective)
      if (workload) this.add(`workloads/${month}/${cluster}/${workload}/${name}`, billed, effective)
      const place = `${month}/${name}/${cluster}`
      const follows = this.following.get(place) ?? { billed: 0n, effective: 0n, tenants: new Map<string, bigint>() }
      this.following.set(place, follows)
      if (target === FOLLOWS) {
        follows.billed += billed
        follows.effective += effective
        continue
      }
      if (use === 'workload' || use === 'serving') follows.tenants.set(target ?? 'unassigned', (follows.tenants.get(target ?? 'unassigned') ?? 0n) + effective)
      this.add(`targets/${month}/${target ?? 'unassigned'}/${name}`, billed, effective)
      this.add(`services/${month}/${target ?? 'unassigned'}/${name}/${service}`, billed, effective)
    }
  }

  /** What follows the tenants of its cluster, in proportion to their cost. */
  private settle(): void {
    for (const [place, { billed, effective, tenants }] of this.following) {
      const [month, name, cluster] = place.split('/')
      const total = [...tenants.values()].reduce((sum, one) => sum + one, 0n)
      for (const [target, cost] of total > 0n ? tenants : []) {
        for (const path of ['targets', 'follows']) this.add(`${path}/${month}/${target}/${name}`, (billed * cost) / total, (effective * cost) / total)
        this.add(`services/${month}/${target}/${name}/Cluster ${cluster}`, (billed * cost) / total, (effective * cost) / total)
      }
    }
    this.following.clear()
  }

  private add(path: string, billed: bigint, effective: bigint): void {
    const tally = this.tallies.get(path) ?? { lines: 0, billed: 0n, effective: 0n }
    this.tallies.set(path, { lines: tally.lines + 1, billed: tally.billed + billed, effective: tally.effective + effective })
  }

  /** Path (`bills/month/provider`, `targets/month/target/provider`, `follows/…` for what of it follows tenants of clusters, `services/…`, `clusters/month/cluster/use/provider`, `namespaces/…`, `workloads/…`, `stories/story/provider`, `storyMonths/month/…`) to decimals; parts of nodes are true to about 10^-9. */
  toJson(): Record<string, { lines: number; billed: string; effective: string }> {
    this.settle()
    return Object.fromEntries([...this.tallies].sort(([a], [b]) => (a < b ? -1 : 1)).map(([path, { lines, billed, effective }]) =>
      [path, { lines, billed: formatAmount(billed), effective: formatAmount(effective) }]))
  }
}

function storiesOf(cells: Cells, day: string, target: string | null): string[] {
  const stories: string[] = []
  if (target === null && day >= STORY_DAYS.tagsLost.from && day <= STORY_DAYS.tagsLost.to && cellOf(cells, 'ResourceName').startsWith('app-compute')) stories.push('tagsLost')
  if (target === null && cellOf(cells, 'Tags').includes('radar')) stories.push('misspelled')
  if (cellOf(cells, 'ResourceId') === 'ta-vol-throughput') stories.push('throughputLeftOn')
  if (cellOf(cells, 'ResourceId') === 'nb-db-mosaic') stories.push('sharedByThree')
  if (cellOf(cells, 'ResourceName').startsWith('storm-cells-gpu') && day >= STORY_DAYS.projectEnded) stories.push('idleGraphics')
  if (cellOf(cells, 'ResourceName').startsWith('airfield-display')) stories.push('misassigned')
  if (target === null && cellOf(cells, 'ResourceName').startsWith('public-compute')) stories.push('unowned')
  if (cellOf(cells, 'ChargeClass') === 'Correction') stories.push('correction')
  if (cellOf(cells, 'CommitmentDiscountStatus') === 'Unused') stories.push('unusedCommitment')
  if (cellOf(cells, 'ServiceName') === 'Text Search') stories.push('newService')
  return stories
}
