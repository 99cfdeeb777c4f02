import type { Day } from '../core/calendar/month.ts'
import { FOLLOWS, type AnswerPart } from './answers.ts'
import { demoNodes, SERVED, WORKLOADS, type DemoNode, type DemoWorkload } from './clusters.ts'
import { cellOf } from './focusLine.ts'
import type { DemoCharge } from './generator.ts'
import { meteredDays, podsOn, truePartsOf, type TruePart } from './metering.ts'
import type { Resource } from './resources.ts'

/** Where the settings of the demo send idle nodes. */
const IDLE_TARGET: Record<string, string> = { heron: 'CLUSTERS', dunlin: '9010' }

/** What the charges of metered clusters truly divide into. */
export class ClusterAnswers {
  private readonly nodes: DemoNode[]
  private day: Day = ''
  private placed = new Map<string, ReturnType<typeof podsOn> extends Map<string, infer P> ? P : never>()

  constructor(resources: readonly Resource[]) {
    this.nodes = demoNodes(resources)
  }

  /** The parts of a charge; none where it goes its way whole. */
  partsOf({ cells, day, billed, effective }: DemoCharge): AnswerPart[] {
    const [resourceId, name] = [cellOf(cells, 'ResourceId'), cellOf(cells, 'ResourceName')]
    if (meteredDays(day.slice(0, 7)).length === 0) return []
    const part = (cluster: string, use: string, workload: DemoWorkload | null, target: string | null, share: number): AnswerPart =>
      ({ target, service: `Cluster ${cluster}`, use, cluster, namespace: workload?.namespace ?? '', workload: workload?.name ?? '', billed: shareOf(billed, share), effective: shareOf(effective, share) })
    if (name === 'heron-control') return [part('heron', 'overhead', null, FOLLOWS, 1)]
    const served = SERVED.filter((one) => one.resourceId === resourceId)
    const total = served.reduce((sum, { quantity }) => sum + quantity, 0)
    if (served.length > 0) return whole(served.map(({ workload: own, quantity }) => { const found = WORKLOADS.find((one) => one.name === own)!; return part(found.cluster, 'serving', found, found.target, quantity / total) }), billed, effective)
    const node = this.nodes.find((one) => one.resourceId === resourceId)
    if (!node) return []
    if (day !== this.day) {
      this.day = day
      this.placed = podsOn(this.nodes, day)
    }
    const targetOf = ({ use, workload }: TruePart): string | null => (use === 'idle' ? IDLE_TARGET[node.cluster]! : use === 'overhead' ? FOLLOWS : workload!.target)
    return whole(truePartsOf(node, day, this.placed.get(node.name)!).map((one) => part(node.cluster, one.use, one.workload, targetOf(one), one.share)), billed, effective)
  }
}

const shareOf = (amount: bigint, share: number): bigint => BigInt(Math.round(Number(amount) * share))

/** Parts that add up: the last takes what rounding left. */
function whole(parts: AnswerPart[], billed: bigint, effective: bigint): AnswerPart[] {
  const last = parts.at(-1)
  if (!last) return parts
  last.billed += billed - parts.reduce((sum, one) => sum + one.billed, 0n)
  last.effective += effective - parts.reduce((sum, one) => sum + one.effective, 0n)
  return parts
}
