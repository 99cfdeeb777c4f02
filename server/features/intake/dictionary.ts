import { Readable } from 'node:stream'
import type { Connection, RowDataPacket } from 'mysql2/promise'

const HASHES_A_STATEMENT = 10_000

/** A text as a cell of LOAD DATA. */
export const escaped = (text: string): string => text.replace(/[\\\t\n\0]/g, (char) => (char === '\0' ? '\\0' : '\\' + char))

/**
 * Numbers descriptions (charge keys, details) within a load and finds or makes their rows in the database, many at a
 * time. A description is known by the hash of its text, so that servers working at once agree.
 */
export class Dictionary {
  private readonly numberOf = new Map<string, number>()
  private ids = new Int32Array(1024)
  private pending: { number: number; hash: string; values: string[] }[] = []

  constructor(private readonly connection: Connection, private readonly table: string, private readonly columns: readonly string[]) {}

  /** Number of the description in this load, from 0; `hash` in hexadecimal, `values` are the columns after the hash. */
  number(hash: string, values: string[]): number {
    const known = this.numberOf.get(hash)
    if (known !== undefined) return known
    const number = this.numberOf.size
    this.numberOf.set(hash, number)
    this.pending.push({ number, hash, values })
    return number
  }

  /** descriptions that `resolve` would look up */
  get waiting(): number {
    return this.pending.length
  }

  /** Row of the description; 0 before `resolve`. */
  id(number: number): number {
    return this.ids[number]!
  }

  async resolve(): Promise<void> {
    const pending = this.pending
    this.pending = []
    if (this.numberOf.size > this.ids.length) {
      const ids = new Int32Array(this.numberOf.size * 2)
      ids.set(this.ids)
      this.ids = ids
    }
    for (let at = 0; at < pending.length; at += HASHES_A_STATEMENT) {
      const some = pending.slice(at, at + HASHES_A_STATEMENT)
      await this.look(some)
      const missing = some.filter(({ number }) => this.ids[number] === 0)
      if (missing.length === 0) continue
      const lines = missing.map(({ hash, values }) => [hash, ...values.map(escaped)].join('\t') + '\n')
      await this.connection.query({
        sql: `LOAD DATA LOCAL INFILE 'descriptions' IGNORE INTO TABLE ${this.table} CHARACTER SET utf8mb4 (@hash, ${this.columns.slice(1).join(', ')}) SET hash = UNHEX(@hash)`,
        infileStreamFactory: () => Readable.from([Buffer.from(lines.join(''))]),
      })
      await this.look(missing)
    }
  }

  private async look(wanted: readonly { number: number; hash: string }[]): Promise<void> {
    const [rows] = await this.connection.query<RowDataPacket[]>(`SELECT id, hash FROM ${this.table} WHERE hash IN (?)`, [wanted.map(({ hash }) => Buffer.from(hash, 'hex'))])
    for (const { id, hash } of rows as { id: number; hash: Buffer }[]) this.ids[this.numberOf.get(hash.toString('hex'))!] = id
  }
}
