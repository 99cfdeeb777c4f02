import type { Month } from '../core/calendar/month.ts'
import { formatAmount } from '../core/money/amount.ts'
import { PROVIDERS } from './scenario.ts'
import { STORY_DAYS } from './stories.ts'
import { cellOf, type Cells } from './focusLine.ts'
import type { DemoCharge } from './generator.ts'

interface Tally { lines: number; billed: bigint; effective: bigint }

/** The true answers: what the generator wrote, by month, provider and target, and the money of each story. Amounts in billing currency. */
export class Answers {
  private readonly tallies = new Map<string, Tally>()

  note(provider: string, month: Month, { target, billed, effective, cells, day }: DemoCharge): void {
    const name = PROVIDERS[provider]!.name
    this.add(`bills/${month}/${name}`, billed, effective)
    this.add(`targets/${month}/${target ?? 'unassigned'}/${name}`, billed, effective)
    this.add(`services/${month}/${target ?? 'unassigned'}/${name}/${cellOf(cells, 'ServiceName')}`, billed, effective)
    for (const story of storiesOf(cells, day, target)) {
      this.add(`stories/${story}/${name}`, billed, effective)
      this.add(`storyMonths/${month}/${story}/${name}`, billed, effective)
    }
  }

  private add(path: string, billed: bigint, effective: bigint): void {
    const tally = this.tallies.get(path) ?? { lines: 0, billed: 0n, effective: 0n }
    this.tallies.set(path, { lines: tally.lines + 1, billed: tally.billed + billed, effective: tally.effective + effective })
  }

  /** Path (`bills/month/provider`, `targets/month/target/provider`, `services/…`, `stories/story/provider`, `storyMonths/month/…`) to exact decimals. */
  toJson(): Record<string, { lines: number; billed: string; effective: string }> {
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
  if (cellOf(cells, 'ResourceName').startsWith('airfield-display')) stories.push('misassigned')
  if (target === null && cellOf(cells, 'ResourceName').startsWith('public-compute')) stories.push('unowned')
  if (cellOf(cells, 'ChargeClass') === 'Correction') stories.push('correction')
  if (cellOf(cells, 'CommitmentDiscountStatus') === 'Unused') stories.push('unusedCommitment')
  if (cellOf(cells, 'ServiceName') === 'Text Search') stories.push('newService')
  return stories
}
