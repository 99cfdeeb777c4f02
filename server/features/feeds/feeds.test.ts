import { afterAll, beforeAll, describe, expect, test } from '@jest/globals'
import { createServer, type Server } from 'node:http'
import type { AddressInfo } from 'node:net'
import { demoNodes } from '../../../demo/clusters.ts'
import { allResources } from '../../../demo/generator.ts'
import { meterFile } from '../../../demo/metering.ts'
import { parseExposition } from '../../../core/kubernetes/exposition.ts'
import { openServer, type TestServer } from '../../../tests/support/server.ts'
import { meterPage } from '../../standins/meter.ts'
import type { Feed } from './store.ts'

let server: TestServer
let meter: Server
let answer: (hour: string) => { status: number; text: string }
const url = (): string => `http://127.0.0.1:${(meter.address() as AddressInfo).port}/metrics`
const ok = (text: string): { status: number; text: string } => ({ status: 200, text })
const page = (hour: string): { status: number; text: string } => ok(hour < '2026-11-20' ? meterPage(hour.slice(0, 10), Number(hour.slice(11, 13))) : '# nothing yet\n')

beforeAll(async () => {
  server = await openServer()
  meter = createServer((request, reply) => {
    const { status, text } = answer(new URL(request.url!, 'http://meter').searchParams.get('hour')!)
    reply.writeHead(status, { 'content-type': 'text/plain; version=0.0.4' }).end(text)
  }).listen(0, '127.0.0.1')
})
afterAll(async () => {
  meter.close()
  await server.close()
})

const feeds = async (): Promise<Feed[]> => (await server.accountant.get<{ feeds: Feed[] }>('/api/feeds')).feeds
const collect = async (id: number): Promise<string> => (await server.accountant.ask<{ result: string }>('POST', `/api/feeds/${id}/collect`)).body.result
const given = { name: 'meter', url: '', schedule: '30 3 * * *', enabled: true, nextDay: '2026-11-18' }

describe('pages of metrics', () => {
  test('are read with types, timestamps and escapes (Prometheus text exposition format 0.0.4)', () => {
    // the escaping example is the one of the format's description, from memory
    const text = '# HELP http_requests_total The total.\n# TYPE http_requests_total counter\nhttp_requests_total{method="post",code="200"} 1027 1395066363000\nmsdos_file_access_time_seconds{path="C:\\\\DIR\\\\FILE.TXT",error="Cannot find file:\\n\\"FILE.TXT\\""} 1.458255915e9\n\nmetric_without_labels 12.47\n'
    expect(parseExposition(text)).toEqual([
      { name: 'http_requests_total', labels: { method: 'post', code: '200' }, value: '1027' },
      { name: 'msdos_file_access_time_seconds', labels: { path: 'C:\\DIR\\FILE.TXT', error: 'Cannot find file:\n"FILE.TXT"' }, value: '1.458255915e9' },
      { name: 'metric_without_labels', labels: {}, value: '12.47' },
    ])
    expect(() => parseExposition('a{b="c} 1')).toThrow('line 1 is no sample')
  })
})

describe('a feed', () => {
  test('is refused with an address or a schedule that is none', async () => {
    for (const [change, words] of [[{ url: 'ftp://x' }, 'no address'], [{ url: 'http://x', schedule: 'at noon' }, 'no schedule']] as const) {
      const { status, text } = await server.accountant.ask('POST', '/api/feeds', { ...given, ...change })
      expect([status, text]).toEqual([422, expect.stringContaining(words)])
    }
  })
  test('collects the days that are over, with the very figures of the metering file', async () => {
    answer = page
    const { body: { id } } = await server.accountant.ask<{ id: number }>('POST', '/api/feeds', { ...given, url: url() })
    expect(await collect(id)).toBe('2 days taken, up to 2026-11-19.')
    expect(await feeds()).toMatchObject([{ nextDay: '2026-11-20', lastResult: '2 days taken, up to 2026-11-19.' }])
    // the file of the month has the same days: they change nothing, the others are new
    const file = await server.accountant.load('metering.csv', [...meterFile(demoNodes(allResources()), '2026-11')].join(''))
    expect(file.report!.measured.map(({ subject, newDays, sameDays, changedDays }) => [subject, newDays, sameDays, changedDays])).toEqual([['dunlin', 17, 2, 0], ['heron', 17, 2, 0], ['plover', 17, 2, 0]])
    expect(await collect(id)).toBe('Nothing to collect: 2026-11-20 is not over yet.')
  })
  test('that is set back takes the same days without a change; a meter that fails or lies is told, and nothing of its day is taken', async () => {
    const [feed] = await feeds()
    await server.accountant.ask('PUT', `/api/feeds/${feed!.id}`, { ...given, url: url(), nextDay: '2026-11-19' })
    expect(await collect(feed!.id)).toBe('1 day taken, up to 2026-11-19.')
    await server.accountant.ask('PUT', `/api/feeds/${feed!.id}`, { ...given, url: url(), nextDay: '2026-11-19' })
    answer = (hour) => (hour.includes('T07') ? { status: 503, text: '' } : page(hour))
    expect(await collect(feed!.id)).toBe('The meter answered 503 for 2026-11-19T07:00:00Z.')
    answer = (hour) => ok(page(hour).text.replace(/^meter_node_cpu_cores.*heron-node-2"[^\n]*\n/m, ''))
    expect(await collect(feed!.id)).toContain('2026-11-19 was refused, see load')
    expect((await feeds())[0]!.nextDay).toBe('2026-11-19')
    await new Promise((done) => { meter.close(done); meter.closeAllConnections() })
    expect(await collect(feed!.id)).toContain('The meter does not answer')
  })
})
