import type { Connection, RowDataPacket } from 'mysql2/promise'

interface Period { starts: string; ends: string }

/** Numbers charge periods within a load and finds or makes their rows in the database: few, however many lines there are. */
export class PeriodTable {
  private readonly periods: Period[] = []
  private readonly numberOf = new Map<string, number>()
  private readonly ids: number[] = []
  private last: Period & { number: number } = { starts: '', ends: '', number: -1 }

  constructor(private readonly connection: Connection) {}

  /** Number of the period in this load, from 0; `YYYY-MM-DD HH:mm:ss`, UTC, end exclusive. */
  number(starts: string, ends: string): number {
    if (this.last.starts === starts && this.last.ends === ends) return this.last.number
    const name = starts + ends
    let number = this.numberOf.get(name)
    if (number === undefined) this.numberOf.set(name, (number = this.periods.push({ starts, ends }) - 1))
    this.last = { starts, ends, number }
    return number
  }

  /** Row of the period; only after `resolve`. */
  id(number: number): number {
    return this.ids[number]!
  }

  async resolve(): Promise<void> {
    const fresh = this.periods.slice(this.ids.length).map(({ starts, ends }) => [starts, ends])
    if (fresh.length === 0) return
    await this.connection.query('INSERT IGNORE INTO charge_periods (starts_at, ends_at) VALUES ?', [fresh])
    const [rows] = await this.connection.query<RowDataPacket[]>('SELECT id, starts_at AS starts, ends_at AS ends FROM charge_periods WHERE (starts_at, ends_at) IN (?)', [fresh])
    for (const { id, starts, ends } of rows as (Period & { id: number })[]) this.ids[this.numberOf.get(starts + ends)!] = id
  }
}
