import type { MeterColumn } from './meterReader.ts'

/** One sample of a page of metrics in the Prometheus text exposition format, version 0.0.4. */
export interface Sample { name: string; labels: Record<string, string>; value: string }

const LINE = /^([a-zA-Z_:][a-zA-Z0-9_:]*)(?:\{(.*)\})?\s+([^\s]+)(?:\s+-?\d+)?$/
const LABEL = /([a-zA-Z_][a-zA-Z0-9_]*)="((?:[^"\\]|\\.)*)"\s*(?:,\s*|$)/y
const ESCAPES: Record<string, string> = { '\\\\': '\\', '\\"': '"', '\\n': '\n' }

/** Reads a page of metrics; throws a RangeError with the line where it is none. Comments and types are passed over. */
export function parseExposition(text: string): Sample[] {
  return text.split('\n').flatMap((line, index): Sample[] => {
    if (line.trim() === '' || line.startsWith('#')) return []
    const match = LINE.exec(line.trim())
    const labels = match && readLabels(match[2] ?? '')
    if (!match || !labels) throw new RangeError(`line ${index + 1} is no sample of metrics: ${line.slice(0, 120)}`)
    return [{ name: match[1]!, labels, value: match[3]! }]
  })
}

function readLabels(text: string): Record<string, string> | null {
  const labels: Record<string, string> = {}
  LABEL.lastIndex = 0
  let read = 0
  for (let match = LABEL.exec(text); match && match[0] !== ''; match = LABEL.exec(text)) {
    labels[match[1]!] = match[2]!.replace(/\\[\\"n]/g, (escape) => ESCAPES[escape]!)
    read = LABEL.lastIndex
  }
  return read === text.length ? labels : null
}

/** The samples that a meter gives for an hour, and the column of a metering file that each is. */
const COLUMN_OF: Record<string, MeterColumn> = {
  meter_node_cpu_cores: 'CpuCapacity', meter_node_memory_bytes: 'MemoryCapacity', meter_node_gpus: 'GpuCapacity', meter_node_minutes: 'Minutes',
  meter_pod_cpu_request_cores: 'CpuRequest', meter_pod_cpu_usage_cores: 'CpuUsage', meter_pod_memory_request_bytes: 'MemoryRequest', meter_pod_memory_usage_bytes: 'MemoryUsage',
  meter_pod_gpu_requests: 'GpuRequest', meter_pod_minutes: 'Minutes', meter_served_bytes: 'Quantity',
}
const LABEL_COLUMNS: Record<string, MeterColumn> = { cluster: 'Cluster', node: 'Node', resource: 'ResourceId', namespace: 'Namespace', workload_kind: 'WorkloadKind', workload: 'Workload', pod: 'Pod' }
const POD_LABEL = 'label_'

/** The rows of a metering file that a meter's page for one hour makes; samples that are none of a meter's are passed over. */
export function meterRows(samples: readonly Sample[], hour: string): Partial<Record<MeterColumn, string>>[] {
  const rows = new Map<string, Partial<Record<MeterColumn, string>>>()
  for (const { name, labels, value } of samples) {
    const column = COLUMN_OF[name]
    if (!column) continue
    const record = labels.record ?? (name.startsWith('meter_node') ? 'node' : 'pod')
    const place = JSON.stringify([record, Object.entries(labels).sort(([a], [b]) => (a < b ? -1 : 1))])
    let row = rows.get(place)
    if (!row) rows.set(place, (row = rowOf(labels, hour, record)))
    row[column] = value
  }
  return [...rows.values()]
}

function rowOf(labels: Record<string, string>, hour: string, record: string): Partial<Record<MeterColumn, string>> {
  const row: Partial<Record<MeterColumn, string>> = { Hour: hour, Record: record }
  const podLabels: Record<string, string> = {}
  for (const [label, value] of Object.entries(labels)) {
    if (LABEL_COLUMNS[label]) row[LABEL_COLUMNS[label]] = value
    else if (label.startsWith(POD_LABEL)) podLabels[label.slice(POD_LABEL.length)] = value
  }
  if (Object.keys(podLabels).length > 0) row.Labels = JSON.stringify(podLabels)
  return row
}
