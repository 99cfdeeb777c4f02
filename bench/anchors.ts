import { createReadStream } from 'node:fs'
import { createConnection } from 'mysql2/promise'
import { FOCUS_COLUMNS, type FocusColumnName } from '../core/charges/focusColumns.ts'
import { METER_COLUMNS } from '../core/kubernetes/meterReader.ts'
import { DEMO_COLUMNS } from '../demo/focusLine.ts'
import { connectionOptions } from '../server/db/database.ts'

const TYPES = { text: 'VARCHAR(300)', json: 'TEXT', date: 'VARCHAR(20)', decimal: 'DECIMAL(28, 10)' } as const
type Columns = { name: string; kind: keyof typeof TYPES }[]

export const BILL_COLUMNS: Columns = DEMO_COLUMNS.map((name) => ({ name, kind: FOCUS_COLUMNS[name as FocusColumnName].kind }))
const METER_FIGURES = /^(Cpu|Memory|Gpu|Minutes|Quantity)/
export const METER_FILE_COLUMNS: Columns = Object.keys(METER_COLUMNS).map((name) => ({ name, kind: METER_FIGURES.test(name) ? 'decimal' : 'text' }))

/** Seconds of a raw LOAD DATA of the same wide file into one wide table, nothing checked. */
export async function rawLoad(url: string, path: string, columns: Columns): Promise<number> {
  const connection = await createConnection(connectionOptions(url))
  await connection.query('DROP TABLE IF EXISTS wide')
  await connection.query(`CREATE TABLE wide (id INT UNSIGNED AUTO_INCREMENT PRIMARY KEY, ${columns.map(({ name, kind }) => `\`${name}\` ${TYPES[kind]} NULL`).join(', ')})`)
  const variables = columns.map(({ name, kind }) => (kind === 'decimal' ? `@${name}` : `\`${name}\``))
  const sets = columns.flatMap(({ name, kind }) => (kind === 'decimal' ? [`\`${name}\` = NULLIF(@${name}, '')`] : []))
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
