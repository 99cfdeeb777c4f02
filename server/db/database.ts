import { createPool, type Pool, type PoolConnection, type PoolOptions, type ResultSetHeader } from 'mysql2/promise'

export type Row = Record<string, unknown>
type Param = string | number | bigint | boolean | null | Buffer | Date | readonly unknown[]
export type Params = readonly Param[]

/** Options that keep exact what is exact: DECIMAL and BIGINT arrive as texts, dates too. */
export const connectionOptions = (url: string): PoolOptions => ({
  uri: url, decimalNumbers: false, dateStrings: true, supportBigNumbers: true, bigNumberStrings: true, timezone: 'Z', charset: 'utf8mb4', jsonStrings: true,
})

/** Anything that runs statements: the pool, or one connection inside a transaction. Parameters are always bound. */
export interface Queries {
  rows<T = Row>(sql: string, params?: Params): Promise<T[]>
  first<T = Row>(sql: string, params?: Params): Promise<T | undefined>
  run(sql: string, params?: Params): Promise<ResultSetHeader>
  /** as a prepared statement, whose parameters travel as they are: for long binary values */
  store(sql: string, params: readonly (string | number | Buffer)[]): Promise<void>
  /** one statement for many rows: `INSERT … VALUES ?` */
  insert(sql: string, rows: readonly Params[]): Promise<void>
}

export interface Database extends Queries {
  /** Runs the work in one transaction; again, up to five times, where the database chose it as the victim of a deadlock. */
  transaction<T>(work: (queries: Queries) => Promise<T>): Promise<T>
  connection<T>(work: (connection: PoolConnection) => Promise<T>): Promise<T>
  close(): Promise<void>
}

const RETRIED = new Set(['ER_LOCK_DEADLOCK', 'ER_LOCK_WAIT_TIMEOUT', 'ER_CHECKREAD'])
const ROWS_A_STATEMENT = 2_000

function queriesOn(target: Pool | PoolConnection): Queries {
  return {
    async rows<T>(sql: string, params: Params = []) {
      const [rows] = await target.query(sql, params as unknown[])
      return rows as T[]
    },
    async first<T>(sql: string, params: Params = []) {
      const [rows] = await target.query(sql, params as unknown[])
      return (rows as T[])[0]
    },
    async run(sql: string, params: Params = []) {
      const [result] = await target.query(sql, params as unknown[])
      return result as ResultSetHeader
    },
    async store(sql, params) {
      await target.execute(sql, [...params])
    },
    async insert(sql: string, rows: readonly Params[]) {
      for (let at = 0; at < rows.length; at += ROWS_A_STATEMENT) await target.query(sql, [rows.slice(at, at + ROWS_A_STATEMENT)])
    },
  }
}

export function openDatabase(url: string, connections = 8): Database {
  const pool = createPool({ ...connectionOptions(url), connectionLimit: connections, waitForConnections: true })
  return {
    ...queriesOn(pool),
    async transaction(work) {
      for (let attempt = 1; ; attempt++) {
        const connection = await pool.getConnection()
        try {
          await connection.beginTransaction()
          const result = await work(queriesOn(connection))
          await connection.commit()
          return result
        } catch (error) {
          await connection.rollback().catch(() => {})
          if (attempt >= 5 || !RETRIED.has((error as { code?: string }).code ?? '')) throw error
        } finally {
          connection.release()
        }
      }
    },
    async connection(work) {
      const connection = await pool.getConnection()
      try {
        return await work(connection)
      } finally {
        connection.release()
      }
    },
    close: () => pool.end(),
  }
}
