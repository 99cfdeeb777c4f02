import { join } from 'node:path'
import { createConnection } from 'mysql2/promise'
import Postgrator from 'postgrator'
import { projectRoot } from '../paths.ts'
import { connectionOptions } from './database.ts'

/** Brings the database to the version of this program; refuses one that a newer program has changed. Returns the version. */
export async function migrate(url: string): Promise<number> {
  const connection = await createConnection({ ...connectionOptions(url), multipleStatements: true })
  try {
    const [rows] = await connection.query('SELECT DATABASE() AS name')
    const postgrator = new Postgrator({
      driver: 'mysql',
      database: (rows as { name: string }[])[0]!.name,
      migrationPattern: join(projectRoot(), 'server/db/migrations/*'),
      schemaTable: 'schema_version',
      execQuery: async (sql) => ({ rows: (await connection.query(sql))[0] as unknown[] }),
    })
    const [present, wanted] = [await postgrator.getDatabaseVersion(), await postgrator.getMaxVersion()]
    if (present > wanted) throw new NewerDatabase(present, wanted)
    await postgrator.migrate()
    return wanted
  } finally {
    await connection.end()
  }
}

export class NewerDatabase extends Error {
  constructor(readonly present: number, readonly wanted: number) {
    super(`The database is of version ${present}, this program knows versions up to ${wanted}. Start the newer program, or restore a backup of version ${wanted}.`)
  }
}
