import { afterAll, beforeAll, expect, test } from '@jest/globals'
import { demoRulebook } from '../../demo/rulebook.ts'
import { demoBill } from '../../tests/support/bills.ts'
import { openServer, type TestServer } from '../../tests/support/server.ts'
import { formatAmount } from '../../core/money/amount.ts'
import { readOutcomes } from '../features/allocation/outcomes.ts'
import { readBillSums } from '../features/intake/billSums.ts'
import { repack } from './repack.ts'

let server: TestServer
beforeAll(async () => {
  server = await openServer()
  await server.accountant.load('nimbrel.csv', demoBill('nimbrel', '2026-10'))
  await server.accountant.ask('PUT', '/api/rulebook/draft', { revision: 0, rulebook: demoRulebook() })
  await server.accountant.ask('POST', '/api/rulebook/publish', { revision: 1, note: 'first' })
  await server.accountant.ask('POST', '/api/allocation/2026-10')
})
afterAll(() => server.close())

test('a database of the version before is packed to the same sums and outcomes', async () => {
  const { database } = server
  const { id: bill } = (await database.first<{ id: number }>("SELECT id FROM bills WHERE state = 'current'"))!
  const { id: run } = (await database.first<{ id: number }>('SELECT id FROM runs'))!
  const [sums, outcomes] = [await readBillSums(database, [bill]), await readOutcomes(database, run, {})]
  expect(outcomes.length).toBeGreaterThan(100)
  await database.insert('INSERT INTO run_keys (run_id, kind, target, key_id, rule, line_count, billed_cost, effective_cost) VALUES ?',
    outcomes.map(({ kind, target, key, rule, lines, amounts }) => [run, kind, target, key, rule, lines, formatAmount(amounts.billed), formatAmount(amounts.effective)]))
  await database.run('DELETE FROM bill_sums')
  await database.run('DELETE FROM run_outcomes')
  await repack(database)
  expect(await readBillSums(database, [bill])).toEqual(sums)
  // another run of statements, so that nothing is remembered
  expect(await readOutcomes({ ...database }, run, {})).toEqual(outcomes)
  expect(await database.rows("SHOW TABLES LIKE '%\\_keys'")).toHaveLength(1)
})
