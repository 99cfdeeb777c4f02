import { Cron } from 'croner'
import type { FastifyBaseLogger } from 'fastify'
import { collectFeed, type CollectParts } from './collect.ts'
import { listFeeds } from './store.ts'

/** Collects feeds when their time comes; a changed schedule holds from the next look, at most a minute later. */
export class FeedSchedule {
  private jobs = new Map<number, { pattern: string; job: Cron }>()
  private timer: NodeJS.Timeout | null = null

  constructor(private readonly parts: CollectParts, private readonly log: FastifyBaseLogger) {}

  async open(): Promise<void> {
    await this.look()
    this.timer = setInterval(() => { this.look().catch((error: unknown) => this.log.error(error)) }, 60_000)
    this.timer.unref()
  }

  close(): void {
    if (this.timer) clearInterval(this.timer)
    for (const { job } of this.jobs.values()) job.stop()
    this.jobs.clear()
  }

  private async look(): Promise<void> {
    const feeds = (await listFeeds(this.parts.database)).filter(({ enabled }) => enabled)
    for (const [id, { pattern, job }] of this.jobs) {
      if (feeds.some((feed) => feed.id === id && feed.schedule === pattern)) continue
      job.stop()
      this.jobs.delete(id)
    }
    for (const { id, schedule } of feeds) {
      if (this.jobs.has(id)) continue
      const job = new Cron(schedule, { timezone: 'UTC', protect: true, unref: true }, async () => { await collectFeed(this.parts, id).catch((error: unknown) => this.log.error(error)) })
      this.jobs.set(id, { pattern: schedule, job })
    }
  }
}

/** Why a text is no schedule, or null. */
export function scheduleFlaw(pattern: string): string | null {
  try {
    new Cron(pattern, { paused: true }).stop()
    return null
  } catch {
    return `${pattern} is no schedule: write minute, hour, day, month and weekday, such as 30 3 * * * for half past three each night, UTC.`
  }
}
