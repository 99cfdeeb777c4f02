import { describe, expect, test } from '@jest/globals'
import fc from 'fast-check'
import { KeyTable } from '../classify/keyTable.ts'
import type { ClusterSetting } from '../types.ts'
import { CsvSplitter, rowTexts } from '../charges/csvSplitter.ts'
import { defaultSetting, divideClusters, expandClusters } from './expandClusters.ts'
import { viewClusters } from './clusterView.ts'
import { MeterReader } from './meterReader.ts'
import { measureOf, rowsOfNodes, type MeterDay } from './meterDay.ts'

const HEAD = 'Hour,Cluster,Record,Node,ResourceId,Namespace,WorkloadKind,Workload,Pod,Labels,CpuCapacity,MemoryCapacity,GpuCapacity,CpuRequest,CpuUsage,MemoryRequest,MemoryUsage,GpuRequest,Minutes,Quantity'
const GIB = 2 ** 30
const stamp = (hour: number): string => `2026-10-05T${String(hour).padStart(2, '0')}:00:00Z`
interface Pod { pod: string; ns?: string; node?: string; hour?: number; cpu: [string, string]; memory: [number, number]; gpu?: number; minutes?: string; labels?: string }
const nodeRow = (node: string, hour = 0, cores = '4', gib = 16, gpus = ''): string => `${stamp(hour)},heron,node,${node},r-${node},,,,,,${cores},${gib * GIB},${gpus},,,,,,60,`
const podRow = ({ pod, ns = 'shop', node = 'n1', hour = 0, cpu, memory, gpu, minutes = '60', labels = '' }: Pod): string =>
  `${stamp(hour)},heron,pod,${node},,${ns},Deployment,${pod.replace(/-\d+$/, '')},${pod},${labels && `"${labels.replaceAll('"', '""')}"`},,,,${cpu[0]},${cpu[1]},${memory[0] * GIB},${memory[1] * GIB},${gpu ?? ''},${minutes},`

function read(rows: string[]): { days: MeterDay[]; findings: string[] } {
  const findings: string[] = []
  let reader: MeterReader | null = null
  const splitter = new CsvSplitter((row) => {
    if (reader) reader.read(row)
    else reader = new MeterReader(rowTexts(row), (line, found) => findings.push(...found.map(({ column, text, refuses }) => `${line} ${column} ${refuses ? '' : 'warns: '}${text}`)))
  })
  splitter.push(new TextEncoder().encode([HEAD, ...rows].join('\n') + '\n'))
  splitter.end()
  return { days: reader!.finish(), findings }
}

const cost = (cents: number): { billed: bigint; effective: bigint } => ({ billed: BigInt(cents) * 10n ** 8n, effective: BigInt(cents) * 10n ** 8n })
const tableOf = (...nodes: [string, number][]): KeyTable => new KeyTable(nodes.map(([node, cents], index) => ({ id: index + 1, attributes: { ProviderName: 'Nimbrel', BillingCurrency: 'EUR', ServiceName: 'Machines', ResourceId: `r-${node}`, 'tag:owner': 'nodes' }, lines: 1, amounts: cost(cents) })))
const divide = (days: MeterDay[], table: KeyTable, setting: Partial<ClusterSetting> = {}) =>
  divideClusters(table, { days, costs: table.keys.map(({ amounts }, row) => ({ row, day: '2026-10-05', amounts })) }, [{ ...defaultSetting('heron'), weights: { cpu: '9', memory: '1', gpu: '0' }, ...setting }])
const euro = (units: bigint): number => Number(units) / 1e10

// the first case of tests/reference/kubernetes.json, at a cost of 40.00
const SIMPLE = [nodeRow('n1'), podRow({ pod: 'a-1', cpu: ['1', '0.5'], memory: [4, 2] }), podRow({ pod: 'b-1', cpu: ['0.5', '1.5'], memory: [1, 3] })]

describe('reading metering', () => {
  test('the larger of request and use is taken hour by hour, before anything is summed', () => {
    const { days } = read([nodeRow('n1', 0), nodeRow('n1', 1), podRow({ pod: 'a-1', hour: 0, cpu: ['1', '3'], memory: [1, 1] }), podRow({ pod: 'a-1', hour: 1, cpu: ['2', '0'], memory: [1, 1] })])
    expect(measureOf(days[0]!, 'cpuHeld').at(0)).toBe(5_000_000n * 600n)
    expect(measureOf(days[0]!, 'cpuRequest').at(0)).toBe(3_000_000n * 600n)
  })
  test('a pod that wants more than the node has is scaled down, and nothing of it is idle', () => {
    const { days } = read([nodeRow('n1', 0, '4'), podRow({ pod: 'a-1', cpu: ['3', '0'], memory: [1, 1] }), podRow({ pod: 'b-1', cpu: ['3', '5'], memory: [1, 1] })])
    const held = measureOf(days[0]!, 'cpuHeld')
    expect([held.at(0), held.at(1)]).toEqual([900_000_000n, 1_500_000_000n])
  })
  test('minutes count, averages being over the time that the pod ran', () => {
    const { days } = read([nodeRow('n1'), podRow({ pod: 'job-1', cpu: ['4', '3'], memory: [8, 4], minutes: '15' })])
    expect(measureOf(days[0]!, 'cpuHeld').at(0)).toBe(4_000_000n * 150n)
  })
  test('what is wrong is told with its line: numbers, times, pods without a node row, the same thing twice', () => {
    const { findings } = read([nodeRow('n1'), podRow({ pod: 'a-1', cpu: ['-1', '0'], memory: [1, 1] }), podRow({ pod: 'b-1', cpu: ['1', '1'], memory: [1, 1], minutes: '61' }), podRow({ pod: 'c-1', node: 'n9', cpu: ['1', '1'], memory: [1, 1] }),
      podRow({ pod: 'd-1', cpu: ['1', '1'], memory: [1, 1] }), podRow({ pod: 'd-1', cpu: ['1', '1'], memory: [1, 1] }), podRow({ pod: 'e-1', node: '', cpu: ['1', '1'], memory: [1, 1] }), podRow({ pod: 'f-1', cpu: ['1', '1'], memory: [1, 1] }).replace(':00:00Z', ':30:00Z')])
    expect(findings).toEqual([
      '3 CpuRequest this is not a plain number from zero on', '4 Minutes an hour has 0 to 60 minutes', '8 Node warns: the pod waits for a node: it costs nothing', '9 Hour a row is for a whole hour, told by its beginning',
      '5 Pod the pod runs on n9, of which the file has no node row for this hour', '7 Pod the pod is there twice on this node in this hour, first in line 6',
    ])
  })
  test('a row that goes wrong after good ones of the same pod is told, too', () => {
    const { findings } = read([nodeRow('n1', 0), nodeRow('n1', 1), podRow({ pod: 'a-1', hour: 0, cpu: ['1', '1'], memory: [1, 1] }), podRow({ pod: 'a-1', hour: 1, cpu: ['much', '1'], memory: [1, 1] })])
    expect(findings).toEqual(['5 CpuRequest this is not a plain number from zero on'])
  })
  test('an hour that is missing or not whole in a further row of a pod is told, and not taken for the hour before', () => {
    const rows = [nodeRow('n1', 0), nodeRow('n1', 1), ...[0, 1].map((hour) => podRow({ pod: 'a-1', hour, cpu: ['1', '1'], memory: [1, 1] }))]
    for (const hour of ['', '2026-10-05T01:30:00Z', '2026-10-05']) {
      expect(read([...rows, podRow({ pod: 'a-1', hour: 1, cpu: ['1', '1'], memory: [1, 1] }).replace(/^[^,]*/, hour)]).findings).toEqual([expect.stringMatching(/^6 (Hour|Pod) /)])
      expect(read([rows[0]!, rows[2]!, podRow({ pod: 'a-1', hour: 1, cpu: ['1', '1'], memory: [1, 1] }).replace(/^[^,]*/, hour)]).findings).toHaveLength(1)
    }
  })
  test('the first row of a pod and the further ones round alike', () => {
    fc.assert(fc.property(fc.integer({ min: 0, max: 9 }), fc.integer({ min: 0, max: 99_999_999 }), (whole, fraction) => {
      const cpu = `${whole}.${String(fraction).padStart(8, '0')}`
      const { days: [day] } = read([nodeRow('n1', 0, '90'), nodeRow('n1', 1, '90'), podRow({ pod: 'a-1', hour: 0, cpu: [cpu, '0'], memory: [1, 1] }), podRow({ pod: 'a-1', hour: 1, cpu: [cpu, '0'], memory: [1, 1] })])
      // microcores, half up, by hand
      expect(measureOf(day!, 'cpuRequest').at(0)).toBe(2n * 600n * ((BigInt(whole) * 100_000_000n + BigInt(fraction) + 50n) / 100n))
    }))
  })
  test('the order of the rows does not matter', () => {
    const rows = [nodeRow('n1', 0), nodeRow('n1', 1), nodeRow('n2', 0), ...['a-1', 'b-1', 'c-1'].flatMap((pod) => [podRow({ pod, hour: 0, cpu: ['2', '0.7'], memory: [3, 5] }), podRow({ pod, hour: 1, cpu: ['1', '2.9'], memory: [9, 5] })])]
    const known = read(rows).days
    fc.assert(fc.property(fc.shuffledSubarray(rows, { minLength: rows.length }), (shuffled) => { expect(read(shuffled).days).toEqual(known) }), { numRuns: 40 })
  })
})

describe('dividing nodes', () => {
  test('pods and idle of the worked case, with labels as tags instead of those of the node', () => {
    const table = tableOf(['n1', 4_000])
    const parts = divide(read([...SIMPLE.slice(0, 2), podRow({ pod: 'b-1', cpu: ['0.5', '1.5'], memory: [1, 3], labels: '{"team":"api"}' })]).days, table)
    expect(parts.map(({ use, workload, amounts }) => [use, workload?.name, euro(amounts.effective)])).toEqual([['workload', 'a', 10], ['workload', 'b', 12.6923076923], ['idle', undefined, 17.3076923077]])
    // an hour each; a holds what it asks for, b what it uses
    expect(parts.map(({ taken }) => taken)).toEqual([{ ticks: 600n, cpu: 600_000_000n, memory: 600n * BigInt(4 * GIB), gpu: 0n }, { ticks: 600n, cpu: 900_000_000n, memory: 600n * BigInt(3 * GIB), gpu: 0n }, null])
    const expanded = expandClusters(table, parts)
    expect(expanded.keys.map((_, row) => [expanded.value('tag:team', row), expanded.value('tag:owner', row), expanded.value('ServiceName', row)])).toEqual([[undefined, undefined, 'Cluster heron'], ['api', undefined, 'Cluster heron'], [undefined, 'nodes', 'Cluster heron']])
  })
  test('idle given to those on the node, as the worked case shares it', () => {
    const parts = divide(read(SIMPLE).days, tableOf(['n1', 4_000]), { idle: { kind: 'node' } })
    // 412/2275 and 498/2275 of 0.40 in the case
    expect(parts.map(({ amounts }) => euro(amounts.effective))).toEqual([expect.closeTo(40 * (412 / 2275) / 0.4, 8), expect.closeTo(40 * (498 / 2275) / 0.4, 8)])
  })
  test('overhead given to the other workloads on the node; a node with no other keeps it', () => {
    const system = (node: string): string => podRow({ pod: `agent-${node}`, ns: 'kube-system', node, cpu: ['1', '0'], memory: [1, 1] })
    const parts = divide(read([nodeRow('n1'), nodeRow('n2'), system('n1'), system('n2'), podRow({ pod: 'a-1', cpu: ['1', '0.5'], memory: [4, 2] })]).days, tableOf(['n1', 4_000], ['n2', 4_000]), { overhead: { kind: 'node' } })
    expect(parts.map(({ use, node }) => `${use} ${node}`)).toEqual(['workload n1', 'idle n1', 'overhead n2', 'idle n2'])
  })
  test('a day without metering and a node without capacity price stay whole, and are told as such', () => {
    const table = tableOf(['n1', 4_000])
    const { days } = read(SIMPLE)
    const parts = divideClusters(table, { days, costs: [{ row: 0, day: '2026-10-05', amounts: cost(3_000) }, { row: 0, day: '2026-10-06', amounts: cost(1_000) }] }, [])
    expect(parts.filter(({ use }) => use === 'unmetered').map(({ amounts }) => euro(amounts.billed))).toEqual([10])
    expect(divide(days, table, { weights: { cpu: '0', memory: '0', gpu: '0' } }).map(({ use, amounts }) => [use, euro(amounts.billed)])).toEqual([['unmetered', 40]])
  })
  test('parts add up to every node, whatever runs there and however it is weighed, credits too', () => {
    const pod = fc.record({ node: fc.constantFrom('n1', 'n2'), hour: fc.integer({ min: 0, max: 2 }), cpu: fc.tuple(fc.integer({ min: 0, max: 9_000 }), fc.integer({ min: 0, max: 9_000 })), memory: fc.tuple(fc.integer({ min: 0, max: 40 }), fc.integer({ min: 0, max: 40 })), minutes: fc.integer({ min: 0, max: 60 }), ns: fc.constantFrom('shop', 'kube-system') })
    const way = fc.constantFrom({ kind: 'rules' as const }, { kind: 'node' as const }, { kind: 'tenants' as const })
    const weight = fc.integer({ min: 0, max: 1_000 }).map((value) => String(value / 8))
    fc.assert(fc.property(fc.array(pod, { maxLength: 25 }), fc.tuple(fc.integer({ min: -90_000, max: 90_000 }), fc.integer({ min: 0, max: 90_000 })), way, way, fc.record({ cpu: weight, memory: weight, gpu: weight }), (pods, cents, idle, overhead, weights) => {
      const rows = pods.map(({ cpu, memory, minutes, ...rest }, index) => podRow({ ...rest, pod: `p-${index}`, cpu: [String(cpu[0] / 1000), String(cpu[1] / 1000)], memory, minutes: String(minutes) }))
      const { days, findings } = read([0, 1, 2].flatMap((hour) => [nodeRow('n1', hour), nodeRow('n2', hour)]).concat(rows))
      expect(findings).toEqual([])
      const table = tableOf(['n1', cents[0]], ['n2', cents[1]])
      const parts = divide(days, table, { idle, overhead, weights })
      table.keys.forEach(({ amounts }, row) => {
        const own = parts.filter((part) => part.row === row)
        expect(own.reduce((sum, part) => sum + part.amounts.billed, 0n)).toBe(amounts.billed)
        expect(own.reduce((sum, part) => sum + part.amounts.effective, 0n)).toBe(amounts.effective)
        expect(own.filter(({ use }) => use === 'idle').every(({ amounts: { billed } }) => (amounts.billed < 0n ? billed <= 0n : billed >= 0n))).toBe(true)
      })
    }), { numRuns: 150 })
  })
  test('every level of the view adds up to the same, and pods to their workload', () => {
    const rows = [nodeRow('n1'), nodeRow('n2'), ...['a-1', 'a-2', 'b-1'].map((pod, index) => podRow({ pod, node: index === 1 ? 'n2' : 'n1', cpu: ['1', '0.3'], memory: [2, 1] }))]
    const { days } = read(rows)
    const table = tableOf(['n1', 3_333], ['n2', 777])
    const metered = { days, costs: table.keys.map(({ amounts }, row) => ({ row, day: '2026-10-05', amounts })) }
    const view = (path: Parameters<typeof viewClusters>[5], by: Parameters<typeof viewClusters>[6]) => viewClusters(table, metered, [], 'effective', new Map([['EUR', 10n ** 10n]]), path, by)
    const total = (of: ReturnType<typeof view>): bigint => of.reduce((sum, row) => sum + row.cost, 0n)
    for (const by of ['cluster', 'node', 'namespace', 'workload', 'pod', 'label:team'] as const) expect(total(view([], by))).toBe(4_110n * 10n ** 18n)
    const workload = view([], 'workload').find(({ value }) => value === 'shop/a')!
    const pods = view([{ level: 'workload', value: 'shop/a' }], 'pod')
    expect(pods.map(({ value }) => value).sort()).toEqual(['a-1', 'a-2'])
    expect(total(pods)).toBe(workload.cost)
    expect(workload.efficiency).toBeCloseTo((9 * 0.3 + 1) / (9 + 2), 9)
  })
  test('nodes of a day are ranges of rows', () => {
    const [day] = read([nodeRow('n1'), nodeRow('n2'), podRow({ pod: 'a-1', node: 'n2', cpu: ['1', '1'], memory: [1, 1] })]).days
    expect(rowsOfNodes(day!)).toEqual([{ from: 0, to: 0 }, { from: 0, to: 1 }])
  })
})
