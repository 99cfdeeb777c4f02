import { afterAll, beforeAll, describe, expect, test } from '@jest/globals'
import { parquetWriteBuffer } from 'hyparquet-writer'
import { demoNodes } from '../../../demo/clusters.ts'
import { allResources } from '../../../demo/generator.ts'
import { meterFile } from '../../../demo/metering.ts'
import { parse } from 'csv-parse/sync'
import { demoBill, firstLines } from '../../../tests/support/bills.ts'
import { openServer, type TestServer } from '../../../tests/support/server.ts'

let server: TestServer
beforeAll(async () => { server = await openServer() })
afterAll(() => server.close())

const asParquet = (csv: string): Buffer => {
  const rows = parse(csv, { columns: true, skip_empty_lines: true }) as Record<string, string>[]
  return Buffer.from(parquetWriteBuffer({ columnData: Object.keys(rows[0]!).map((name) => ({ name, data: rows.map((row) => row[name]! || null), type: 'STRING' as const })), rowGroupSize: 400 }))
}

describe('Parquet', () => {
  test('a bill as Parquet is the same bill, line by line', async () => {
    const csv = firstLines(demoBill('tarnhost', '2026-10'), 1_000)
    const load = await server.accountant.load('tarnhost.parquet', asParquet(csv))
    expect([load.state, load.readLines]).toEqual(['taken', 1_000])
    expect((await server.accountant.load('tarnhost.csv', csv)).state).toBe('unchanged')
  })
  test('metering as Parquet is the same metering', async () => {
    const [head, first] = meterFile(demoNodes(allResources()), '2026-11')
    const load = await server.accountant.load('metering.parquet', asParquet(head! + first!))
    expect([load.kind, load.state, load.message]).toEqual(['metering', 'taken', null])
    expect((await server.accountant.load('metering.csv', head! + first!)).state).toBe('unchanged')
  })
  test('a damaged file is refused in words', async () => {
    const load = await server.accountant.load('cut.parquet', asParquet(firstLines(demoBill('tarnhost', '2026-10'), 50)).subarray(0, 2_000))
    expect([load.state, load.message]).toEqual(['refused', expect.stringContaining('the Parquet file is damaged or cut short')])
  })
})
