import { afterAll, beforeAll, describe, expect, test } from '@jest/globals'
import { openServer, type TestServer } from '../../tests/support/server.ts'
import { migrate, NewerDatabase } from './migrate.ts'

let server: TestServer
beforeAll(async () => { server = await openServer() })
afterAll(() => server.close())

describe('the database', () => {
  test('a change of several rows is done whole or not at all', async () => {
    const work = server.database.transaction(async (queries) => {
      await queries.run("INSERT INTO settings (name, value) VALUES ('half', '1')")
      await queries.run("INSERT INTO cost_centres (code, name, unit, owner, ledger_account) VALUES ('x', 'x', 'no such unit', '', '')")
    })
    await expect(work).rejects.toMatchObject({ code: 'ER_NO_REFERENCED_ROW_2' })
    expect(await server.database.first("SELECT 1 FROM settings WHERE name = 'half'")).toBeUndefined()
  })
  test('the victim of a deadlock is tried again', async () => {
    await server.database.run("INSERT INTO settings (name, value) VALUES ('a', '0'), ('b', '0')")
    let arrived = 0
    let release: () => void = () => {}
    const both = new Promise<void>((done) => { release = done })
    const cross = (first: string, second: string): Promise<void> => server.database.transaction(async (queries) => {
      await queries.run('UPDATE settings SET value = value + 1 WHERE name = ?', [first])
      if (++arrived === 2) release()
      if (arrived <= 2) await both
      await queries.run('UPDATE settings SET value = value + 1 WHERE name = ?', [second])
    })
    await Promise.all([cross('a', 'b'), cross('b', 'a')])
    expect(await server.database.rows("SELECT name, value FROM settings WHERE name IN ('a', 'b') ORDER BY name")).toEqual([{ name: 'a', value: '2' }, { name: 'b', value: '2' }])
  })
  test('two current bills of one account and month are impossible', async () => {
    await server.database.run("INSERT INTO loads (file_name, user_name) VALUES ('x', 'x')")
    const { id } = (await server.database.first<{ id: number }>('SELECT id FROM loads'))!
    const add = (): Promise<unknown> => server.database.run("INSERT INTO bills (load_id, provider, billing_account, month, state) VALUES (?, 'P', 'A', '2026-01', 'current')", [id])
    await add()
    await expect(add()).rejects.toMatchObject({ code: 'ER_DUP_ENTRY' })
  })
  test('a database of a newer program is refused, with both versions named', async () => {
    const { value: name } = (await server.database.first<{ value: string }>('SELECT DATABASE() AS value'))!
    const url = process.env.ABACUS_TEST_URL!.replace(/\/[^/]+$/, `/${name}`)
    await server.database.run("INSERT INTO schema_version (version, name, md5, run_at) VALUES (99, 'later', 'x', NOW())")
    await expect(migrate(url)).rejects.toThrow(NewerDatabase)
    await expect(migrate(url)).rejects.toThrow('version 99')
  })
})
