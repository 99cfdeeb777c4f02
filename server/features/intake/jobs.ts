import type { FastifyBaseLogger } from 'fastify'
import type { Database } from '../../db/database.ts'
import { dropLines } from './takeLoad.ts'

/** A load whose reader has not been heard of for this long was left by a server that died. */
const SILENT_SECONDS = 15

/** Starts waiting loads in worker threads; looks again from time to time for what other or former servers left behind. */
export class LoadJobs {
  private timer: NodeJS.Timeout | null = null
  private readonly running = new Set<Promise<void>>()

  constructor(private readonly database: Database, private readonly readLoad: (loadId: number) => Promise<void>, private readonly log: FastifyBaseLogger) {}

  async open(): Promise<void> {
    await this.pickUp()
    this.timer = setInterval(() => { this.pickUp().catch((error: unknown) => this.log.error(error)) }, 5_000)
    this.timer.unref()
  }

  start(loadId: number): void {
    const job = this.readLoad(loadId).catch((error: unknown) => this.log.error({ err: error, loadId }, 'load failed'))
    this.running.add(job)
    void job.finally(() => this.running.delete(job))
  }

  async close(): Promise<void> {
    if (this.timer) clearInterval(this.timer)
  }

  private async pickUp(): Promise<void> {
    const left = await this.database.rows<{ id: number }>(`SELECT id FROM loads WHERE state = 'reading' AND heartbeat_at < NOW(3) - INTERVAL ${SILENT_SECONDS} SECOND`)
    for (const { id } of left) {
      // whoever changes the state is the one who picks it up
      const claimed = await this.database.run(`UPDATE loads SET state = 'waiting', heartbeat_at = NULL WHERE id = ? AND state = 'reading' AND heartbeat_at < NOW(3) - INTERVAL ${SILENT_SECONDS} SECOND`, [id])
      if (claimed.affectedRows === 0) continue
      await dropLines(this.database, id)
      await this.database.run('DELETE FROM load_findings WHERE load_id = ?', [id])
    }
    const waiting = await this.database.rows<{ id: number }>("SELECT id FROM loads WHERE state = 'waiting' ORDER BY id LIMIT 10")
    if (this.running.size === 0) for (const { id } of waiting) this.start(id)
  }
}
