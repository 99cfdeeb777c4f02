import type { RowFinding } from '../charges/checkRow.ts'
import { parseInstant } from '../charges/instants.ts'
import type { PackedTable } from '../packed/packedTable.ts'
import type { Problem } from '../problems.ts'

/** Traffic of one source of flow files on a UTC day: bytes that a network sent to a service, `internet` being what leaves. */
export interface FlowHead { source: string; day: string; networks: { name: string; account: string }[]; services: string[] }
export type FlowDay = PackedTable<'network' | 'service' | 'bytes', FlowHead>

const COLUMNS = ['Day', 'Source', 'Network', 'Account', 'Service', 'Bytes'] as const
const NEEDED = ['Day', 'Source', 'Network', 'Service', 'Bytes'] as const
type Column = (typeof COLUMNS)[number]

/** A file is of flows where it tells bytes by network and service. */
export const isFlowHead = (names: readonly string[]): boolean => ['Network', 'Service', 'Bytes'].every((column) => names.some((name) => name.trim() === column))

export function checkFlowHead(names: readonly string[]): Problem[] {
  const columns = names.map((name) => name.trim())
  return NEEDED.filter((column) => !columns.includes(column)).map((column) => ({ code: 'COLUMN_MISSING', message: `The column ${column} is missing.`, subject: column, line: 1 }))
}

interface Row { network: string; account: string; service: string; bytes: number }

/** Reads rows of flows into days; what is wrong with a row is told, and a refused row refuses the file. */
export class FlowReader {
  private readonly at: Record<Column, number>
  private readonly days = new Map<string, { source: string; day: string; rows: Map<string, Row & { line: number }> }>()

  constructor(names: readonly string[], private readonly tell: (line: number, findings: readonly RowFinding[]) => void) {
    this.at = Object.fromEntries(COLUMNS.map((column) => [column, names.findIndex((name) => name.trim() === column)])) as Record<Column, number>
  }

  read(texts: readonly string[], line: number): void {
    const cell = (column: Column): string => texts[this.at[column]]?.trim() ?? ''
    const findings: RowFinding[] = []
    const refuse = (column: Column, text: string): void => { findings.push({ rule: `N-${column}`, column, value: cell(column), text, refuses: true }) }
    const instant = parseInstant(cell('Day'))
    if (!instant) refuse('Day', 'the date cannot be read')
    for (const column of ['Source', 'Network', 'Service'] as const) if (!cell(column)) refuse(column, 'it is missing')
    const bytes = Number(cell('Bytes'))
    if (!/^\d+$/.test(cell('Bytes'))) refuse('Bytes', 'bytes are a whole number from zero on')
    else if (!Number.isSafeInteger(bytes)) refuse('Bytes', 'the number is too large to be true of a day')
    if (findings.length === 0) this.take({ day: instant!.text.slice(0, 10), source: cell('Source'), network: cell('Network'), account: cell('Account'), service: cell('Service'), bytes, line }, refuse)
    if (findings.length > 0) this.tell(line, findings)
  }

  private take({ day, source, ...row }: Row & { day: string; source: string; line: number }, refuse: (column: Column, text: string) => void): void {
    const name = `${source}\u0000${day}`
    const known = this.days.get(name) ?? { source, day, rows: new Map() }
    this.days.set(name, known)
    const place = `${row.network}\u0000${row.service}`
    const twin = known.rows.get(place)
    if (twin) refuse('Network', `the network and service are there twice on this day, first in line ${twin.line}`)
    else known.rows.set(place, row)
  }

  /** The days in the order of source and day, rows in that of network and service. */
  finish(): FlowDay[] {
    return [...this.days].sort(([a], [b]) => (a < b ? -1 : 1)).map(([, { source, day, rows }]) => {
      const sorted = [...rows].sort(([a], [b]) => (a < b ? -1 : 1)).map(([, row]) => row)
      const networks = [...new Map(sorted.map(({ network, account }) => [network, { name: network, account }])).values()]
      const services = [...new Set(sorted.map(({ service }) => service))].sort()
      const place = new Map(networks.map(({ name }, index) => [name, index]))
      return {
        rows: sorted.length, head: { source, day, networks, services },
        columns: { network: Uint32Array.from(sorted, ({ network }) => place.get(network)!), service: Uint32Array.from(sorted, ({ service }) => services.indexOf(service)), bytes: Float64Array.from(sorted, ({ bytes }) => bytes) },
      }
    })
  }
}

export interface Flow { source: string; day: string; network: string; account: string; service: string; bytes: number }

export function* flowsOf({ head, columns, rows }: FlowDay): Generator<Flow> {
  for (let row = 0; row < rows; row++) {
    const { name, account } = head.networks[columns.network[row]!]!
    yield { source: head.source, day: head.day, network: name, account, service: head.services[columns.service[row]!]!, bytes: columns.bytes[row]! }
  }
}

/** The name of the driver that traffic to a service makes. */
export const TRAFFIC = 'traffic:'
export const trafficDriver = (service: string): string => TRAFFIC + service

/** The drivers that a month's traffic makes: bytes to each service by the cost centre of the network, in 10^-10. Networks of nobody count for nobody. */
export function trafficDrivers(days: readonly FlowDay[], centreOf: ReadonlyMap<string, string>): Map<string, Map<string, bigint>> {
  const drivers = new Map<string, Map<string, bigint>>()
  for (const day of days) {
    for (const { network, service, bytes } of flowsOf(day)) {
      const centre = centreOf.get(network)
      if (centre === undefined) continue
      const values = drivers.get(trafficDriver(service)) ?? new Map<string, bigint>()
      drivers.set(trafficDriver(service), values)
      values.set(centre, (values.get(centre) ?? 0n) + BigInt(bytes) * 10n ** 10n)
    }
  }
  return drivers
}
