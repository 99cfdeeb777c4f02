import type { RowFinding } from '../charges/checkRow.ts'
import { cellText, rowTexts, type CellRanges } from '../charges/csvSplitter.ts'
import { parseFlatJson } from '../charges/flatJson.ts'
import { parseInstant } from '../charges/instants.ts'
import type { Problem } from '../problems.ts'
import type { RowScanner } from '../charges/rowScanner.ts'
import { ShapeTable } from '../charges/shapeTable.ts'
import { MeterBuilder, type PodPlace, type PodSlot } from './meterBuilder.ts'
import { MICROCORES, TICKS_AN_HOUR, type MeterDay, type WorkloadName } from './meterDay.ts'

/** The columns of a metering file. `needed`: without it nothing can be read. */
export const METER_COLUMNS = {
  Hour: { needed: true }, Cluster: { needed: true }, Record: { needed: true }, Node: { needed: true }, ResourceId: { needed: true },
  Namespace: { needed: true }, WorkloadKind: { needed: false }, Workload: { needed: false }, Pod: { needed: true }, Labels: { needed: false },
  CpuCapacity: { needed: true }, MemoryCapacity: { needed: true }, GpuCapacity: { needed: false }, CpuRequest: { needed: true }, CpuUsage: { needed: true },
  MemoryRequest: { needed: true }, MemoryUsage: { needed: true }, GpuRequest: { needed: false }, Minutes: { needed: true }, Quantity: { needed: false },
} as const
export type MeterColumn = keyof typeof METER_COLUMNS
const COLUMNS = Object.keys(METER_COLUMNS) as MeterColumn[]
const RECORDS = ['node', 'pod', 'volume', 'balancer', 'traffic']

/** A file is metering where it tells pods by the hour. */
export const isMeterHead = (names: readonly string[]): boolean => ['Hour', 'Cluster', 'Pod'].every((column) => names.some((name) => name.trim() === column))

export function checkMeterHead(names: readonly string[]): Problem[] {
  const columns = names.map((name) => name.trim())
  return [
    ...COLUMNS.filter((column) => METER_COLUMNS[column].needed && !columns.includes(column)).map((column): Problem => ({ code: 'COLUMN_MISSING', message: `The column ${column} is missing.`, subject: column, line: 1 })),
    ...COLUMNS.filter((column) => columns.indexOf(column) !== columns.lastIndexOf(column)).map((column): Problem => ({ code: 'COLUMN_DOUBLED', message: `The column ${column} is there twice.`, subject: column, line: 1 })),
  ]
}

const DECIMAL = /^\d+(\.\d+)?$/
/** Beyond these a float would not count exactly: fifteen tebibytes of memory and a million cores on one node. */
const LARGEST = Number.MAX_SAFE_INTEGER / TICKS_AN_HOUR

/** Whole units of 1/scale, a power of ten, of a number with up to ten decimals, rounded half up: the same whichever way a row is read. */
const unitsOf = (whole: number, fraction: number, scale: number): number => whole * scale + Math.round(fraction / (1e10 / scale))
function textUnits(text: string, scale: number): number {
  const [whole = '', decimals = ''] = text.split('.')
  return unitsOf(Number(whole), Number(decimals.slice(0, 10).padEnd(10, '0')), scale)
}

type Told = (column: MeterColumn, value: string, text: string, refuses?: boolean) => void

/** Columns that say what a row is about, and those that change from hour to hour. */
const FIGURES = ['CpuRequest', 'CpuUsage', 'MemoryRequest', 'MemoryUsage', 'GpuRequest', 'Minutes'] as const satisfies readonly MeterColumn[]
const ABOUT = COLUMNS.filter((column) => column !== 'Hour' && column !== 'Quantity' && !(FIGURES as readonly string[]).includes(column))
const MINUTES = FIGURES.indexOf('Minutes')

/** A pod that rows before told of without a flaw: its further rows need only their hour and their figures. */
interface KnownPod { place: Omit<PodPlace, 'day'>; slot: PodSlot }

/**
 * Reads the rows of a metering file; what is wrong with a row is told, and a refused row refuses the file. What a row is about is
 * read once; rows of the same pod then cost a hash and their figures.
 */
export class MeterReader {
  private readonly builder = new MeterBuilder()
  private readonly at: Record<MeterColumn, number>
  private hourText = ''
  private instant: { day: string; hour: number } | null = null
  private lastHour: { spelled: Uint8Array; instant: { day: string; hour: number } | null } = { spelled: new Uint8Array(0), instant: null }
  private readonly workloads = new Map<string, WorkloadName>()
  private readonly shapes = new ShapeTable('key')
  private readonly pods: (KnownPod | null)[] = []
  private scanner: RowScanner | null = null

  constructor(private readonly columns: readonly string[], private readonly tell: (line: number, findings: readonly RowFinding[]) => void) {
    this.at = Object.fromEntries(COLUMNS.map((column) => [column, columns.findIndex((name) => name.trim() === column)])) as Record<MeterColumn, number>
  }

  read(row: CellRanges): void {
    if (!row.wellFormed || row.count !== this.columns.length) return this.tell(row.line, [{ rule: 'M-Rows', column: '', value: cellText(row, 0), text: row.wellFormed ? `the line has ${row.count} cells, the head has ${this.columns.length}` : 'a quotation mark is not closed where its cell ends', refuses: true }])
    if (row.scanner !== this.scanner) this.tellColumns(row.scanner)
    const shape = this.shapes.find(row, 0)
    if (shape < 0) {
      this.shapes.insert(this.pods.length)
      this.pods.push(this.readTexts(rowTexts(row), row.line))
    } else if (!this.pods[shape] || !this.readKnown(row, this.pods[shape])) this.readTexts(rowTexts(row), row.line)
  }

  /** Reads a row as texts; the pod that it told of, where it has no flaw. */
  readTexts(texts: readonly string[], line: number): KnownPod | null {
    const findings: RowFinding[] = []
    const told: Told = (column, value, text, refuses = true) => { findings.push({ rule: `M-${column}`, column, value, text, refuses }) }
    const cell = (column: MeterColumn): string => texts[this.at[column]]?.trim() ?? ''
    const known = this.readRow(cell, line, told, () => findings.some(({ refuses }) => refuses))
    if (findings.length > 0) this.tell(line, findings)
    return findings.length > 0 ? null : known
  }

  finish(): MeterDay[] {
    const days = this.builder.finish()
    for (const { line, text, value } of this.builder.flaws) this.tell(line, [{ rule: 'M-Rows', column: 'Pod', value, text, refuses: true }])
    return days
  }

  private tellColumns(scanner: RowScanner): void {
    this.scanner = scanner
    scanner.setList('key', Int32Array.from(ABOUT, (column) => this.at[column]).filter((at) => at >= 0))
    scanner.setList('figure', Int32Array.from(FIGURES, (column) => this.at[column]))
  }

  /** False where the row has anything unusual: then it is read as texts. */
  private readKnown(row: CellRanges, pod: KnownPod): boolean {
    const instant = this.hourOf(row)
    if (!instant) return false
    const unread = row.scanner.readFigures('figure')
    const { wholes, fractions } = row.scanner
    for (let index = 0; index < FIGURES.length; index++) {
      const at = this.at[FIGURES[index]!]
      const isEmpty = at < 0 || row.starts[at] === row.ends[at]
      if (isEmpty) { wholes[index] = index === MINUTES ? 60 : 0; fractions[index] = 0 }
      else if ((unread >> index) & 1 || wholes[index]! < 0 || fractions[index]! < 0) return false
    }
    const units = (index: number, scale: number): number => unitsOf(wholes[index]!, fractions[index]!, scale)
    const hour = { line: row.line, hour: instant.hour, ticks: units(MINUTES, 10), cpuRequest: units(0, MICROCORES), cpuUse: units(1, MICROCORES), memoryRequest: units(2, 1), memoryUse: units(3, 1), gpuRequest: units(4, 1) }
    if (hour.ticks > TICKS_AN_HOUR || [hour.cpuRequest, hour.cpuUse, hour.memoryRequest, hour.memoryUse].some((value) => value > LARGEST)) return false
    if (pod.slot.day !== instant.day) pod.slot = this.builder.pod({ ...pod.place, day: instant.day })
    pod.slot.add(hour)
    return true
  }

  /** The hour of a row that has a known one, by its bytes; the end is what differs first from hour to hour. */
  private hourOf({ bytes, starts, ends }: CellRanges): { day: string; hour: number } | null {
    const [from, to, { spelled }] = [starts[this.at.Hour]!, ends[this.at.Hour]!, this.lastHour]
    let isSame = to - from === spelled.length
    for (let index = spelled.length - 1; isSame && index >= 0; index--) isSame = bytes[from + index] === spelled[index]
    if (!isSame) this.lastHour = { spelled: bytes.slice(from, to), instant: this.instantOf(new TextDecoder().decode(bytes.subarray(from, to)), () => {}) }
    return this.lastHour.instant
  }

  private readRow(cell: (column: MeterColumn) => string, line: number, told: Told, isRefused: () => boolean): KnownPod | null {
    const refuse = (column: MeterColumn, value: string, text: string): null => { told(column, value, text); return null }
    const record = cell('Record')
    if (!RECORDS.includes(record)) return refuse('Record', record, `a row is one of ${RECORDS.join(', ')}`)
    const instant = this.instantOf(cell('Hour'), told)
    const cluster = cell('Cluster')
    if (!cluster) return refuse('Cluster', '', 'the cluster is missing')
    if (!instant) return null
    const number = (column: MeterColumn, scale: number): number => this.numberOf(column, cell(column), scale, told)
    if (record === 'node') {
      const [node, resourceId] = [cell('Node'), cell('ResourceId')]
      if (!node) told('Node', '', 'the node is missing')
      if (!resourceId) told('ResourceId', '', 'the provider’s ID of the node is missing: without it no charge is found for it')
      const capacity = { cpu: number('CpuCapacity', MICROCORES), memory: number('MemoryCapacity', 1), gpu: number('GpuCapacity', 1) }
      if (capacity.cpu <= 0 || capacity.memory <= 0) told('CpuCapacity', cell('CpuCapacity'), 'a node has cores and memory')
      const ticks = this.ticksOf(cell('Minutes'), told)
      if (!isRefused()) this.builder.node({ line, cluster, ...instant, node, resourceId, ticks, capacity })
      return null
    }
    const workload = this.workloadOf(cell, told)
    if (record === 'pod') {
      const figures = { cpuRequest: number('CpuRequest', MICROCORES), cpuUse: number('CpuUsage', MICROCORES), memoryRequest: number('MemoryRequest', 1), memoryUse: number('MemoryUsage', 1), gpuRequest: number('GpuRequest', 1) }
      const ticks = this.ticksOf(cell('Minutes'), told)
      const place = { cluster, node: cell('Node'), workload, pod: cell('Pod') }
      if (!place.pod) told('Pod', '', 'the pod is missing')
      if (!place.node) told('Node', '', 'the pod waits for a node: it costs nothing', false)
      if (!place.node || isRefused()) return null
      const slot = this.builder.pod({ ...place, day: instant.day })
      slot.add({ line, hour: instant.hour, ticks, ...figures })
      return { place, slot }
    }
    const resourceId = cell('ResourceId')
    if (!resourceId) told('ResourceId', '', 'the provider’s ID of what serves the workload is missing')
    const quantity = number('Quantity', 1)
    if (!isRefused()) this.builder.served({ cluster, day: instant.day, resourceId, kind: record, workload, quantity: BigInt(quantity) })
    return null
  }

  private workloadOf(cell: (column: MeterColumn) => string, told: Told): WorkloadName {
    const [namespace, kind, text] = [cell('Namespace'), cell('WorkloadKind'), cell('Labels')]
    const name = cell('Workload') || cell('Pod')
    const spelled = [namespace, kind, name, text].join('\u0000')
    const known = this.workloads.get(spelled)
    if (known) return known
    if (!namespace) told('Namespace', '', 'the namespace is missing')
    const labels = text === '' ? {} : parseFlatJson(text)
    if (!labels) told('Labels', text, 'labels are one JSON object of texts')
    const workload = { namespace, kind, name, labels: labels ?? {} }
    // a flaw is told for each row
    if (namespace && labels) this.workloads.set(spelled, workload)
    return workload
  }

  private instantOf(text: string, told: Told): { day: string; hour: number } | null {
    if (text === this.hourText) return this.instant
    const instant = parseInstant(text)
    if (!instant) told('Hour', text, 'the date cannot be read')
    else if (!instant.text.endsWith(':00:00')) told('Hour', text, 'a row is for a whole hour, told by its beginning')
    else {
      this.hourText = text
      return (this.instant = { day: instant.text.slice(0, 10), hour: Number(instant.text.slice(11, 13)) })
    }
    return null
  }

  /** A decimal in whole units of 1/scale, rounded half up; empty is none. */
  private numberOf(column: MeterColumn, text: string, scale: number, told: Told): number {
    if (text === '') return 0
    const value = textUnits(text, scale)
    if (DECIMAL.test(text) && value <= LARGEST) return value
    told(column, text, value > LARGEST ? 'the number is too large to be true of one node' : 'this is not a plain number from zero on')
    return 0
  }

  private ticksOf(text: string, told: Told): number {
    const ticks = textUnits(text || '60', 10)
    if ((text === '' || DECIMAL.test(text)) && ticks <= TICKS_AN_HOUR) return ticks
    told('Minutes', text, 'an hour has 0 to 60 minutes')
    return 0
  }
}
