import { createReadStream } from 'node:fs'
import { createConnection } from 'mysql2/promise'
import { FOCUS_COLUMNS, type FocusColumnName } from '../core/charges/focusColumns.ts'
import { DEMO_COLUMNS } from '../demo/focusLine.ts'
import { connectionOptions } from '../server/db/database.ts'

const TYPES = { text: 'VARCHAR(300)', json: 'TEXT', date: 'VARCHAR(20)', decimal: 'DECIMAL(28, 10)' } as const

/** Seconds of a raw LOAD DATA of the same wide file into one wide table, nothing checked. */
export async function rawLoad(url: string, path: string): Promise<number> {
  const connection = await createConnection(connectionOptions(url))
  await connection.query('DROP TABLE IF EXISTS wide')
  await connection.query(`CREATE TABLE wide (id INT UNSIGNED AUTO_INCREMENT PRIMARY KEY, ${DEMO_COLUMNS.map((column) => `${column} ${TYPES[FOCUS_COLUMNS[column as FocusColumnName].kind]} NULL`).join(', ')})`)
  const variables = DEMO_COLUMNS.map((column) => (FOCUS_COLUMNS[column as FocusColumnName].kind === 'decimal' ? `@${column}` : column))
  const sets = DEMO_COLUMNS.filter((column) => FOCUS_COLUMNS[column as FocusColumnName].kind === 'decimal').map((column) => `${column} = NULLIF(@${column}, '')`)
  const begun = performance.now()
  await connection.query({
    sql: `LOAD DATA LOCAL INFILE 'wide' INTO TABLE wide CHARACTER SET utf8mb4 FIELDS TERMINATED BY ',' OPTIONALLY ENCLOSED BY '"' ESCAPED BY '' IGNORE 1 LINES (${variables.join(', ')}) SET ${sets.join(', ')}`,
    infileStreamFactory: () => createReadStream(path, { highWaterMark: 1 << 20 }),
  })
  const seconds = (performance.now() - begun) / 1000
  await connection.query('DROP TABLE wide')
  await connection.end()
  return seconds
}
