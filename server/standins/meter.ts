import { Type } from 'typebox'
import { demoNodes } from '../../demo/clusters.ts'
import { allResources } from '../../demo/generator.ts'
import { LAST_METERED, METER_HEAD, meterHour } from '../../demo/metering.ts'
import type { App } from '../app.ts'

/** Names of the metrics by the record and column of the metering file that they stand for. */
const METRICS: Record<string, Record<string, string>> = {
  node: { CpuCapacity: 'meter_node_cpu_cores', MemoryCapacity: 'meter_node_memory_bytes', GpuCapacity: 'meter_node_gpus', Minutes: 'meter_node_minutes' },
  pod: { CpuRequest: 'meter_pod_cpu_request_cores', CpuUsage: 'meter_pod_cpu_usage_cores', MemoryRequest: 'meter_pod_memory_request_bytes', MemoryUsage: 'meter_pod_memory_usage_bytes', GpuRequest: 'meter_pod_gpu_requests', Minutes: 'meter_pod_minutes' },
  volume: { Quantity: 'meter_served_bytes' }, balancer: { Quantity: 'meter_served_bytes' },
}
const LABELS: Record<string, string> = { Cluster: 'cluster', Node: 'node', ResourceId: 'resource', Namespace: 'namespace', WorkloadKind: 'workload_kind', Workload: 'workload', Pod: 'pod' }
const quoted = (value: string): string => `"${value.replaceAll('\\', '\\\\').replaceAll('"', '\\"').replaceAll('\n', '\\n')}"`

/** Splits a line of the demo's metering file, in which only labels are quoted. */
const cellsOf = (line: string): string[] => [...line.matchAll(/(?:"((?:[^"]|"")*)"|([^,]*))(?:,|$)/g)].map(([, inner, plain]) => (inner === undefined ? plain! : inner.replaceAll('""', '"')))

/** An hour of the demo's clusters as a meter shows it, in the Prometheus text exposition format. */
export function meterPage(day: string, hour: number): string {
  const head = METER_HEAD.trim().split(',')
  const samples = meterHour(demoNodes(allResources()), day, hour).trim().split('\n').flatMap((line) => {
    const row = Object.fromEntries(cellsOf(line).slice(0, head.length).map((value, index) => [head[index]!, value]))
    const labels = Object.entries(LABELS).flatMap(([column, label]) => (row[column] ? [`${label}=${quoted(row[column]!)}`] : []))
    const own = Object.entries(JSON.parse(row.Labels || '{}') as Record<string, string>).map(([key, value]) => `label_${key}=${quoted(value)}`)
    const record = row.Record === 'node' || row.Record === 'pod' ? [] : [`record=${quoted(row.Record!)}`]
    return Object.entries(METRICS[row.Record!]!).flatMap(([column, name]) => (row[column] ? [`${name}{${[...labels, ...own, ...record].join(',')}} ${row[column]}`] : []))
  })
  const names = [...new Set(samples.map((sample) => sample.slice(0, sample.indexOf('{'))))]
  return names.flatMap((name) => [`# TYPE ${name} gauge`, ...samples.filter((sample) => sample.startsWith(`${name}{`))]).join('\n') + '\n'
}

/** The stand-in for a meter of clusters: the same figures as the demo's metering files, an hour a page. */
export function meterStandIn(app: App): void {
  app.get('/standins/meter/metrics', { schema: { querystring: Type.Object({ hour: Type.String({ pattern: '^\\d{4}-\\d{2}-\\d{2}T\\d{2}:00:00Z$' }) }) } }, async ({ query: { hour } }, reply) => {
    const day = hour.slice(0, 10)
    reply.type('text/plain; version=0.0.4; charset=utf-8')
    return day > LAST_METERED ? '# nothing is metered yet\n' : meterPage(day, Number(hour.slice(11, 13)))
  })
}
