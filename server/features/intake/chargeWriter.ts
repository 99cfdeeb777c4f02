import { createHash } from 'node:crypto'
import { Readable } from 'node:stream'
import type { Connection } from 'mysql2/promise'
import { CostSums, type DetailShape, type KeyShape, type ReadCharge } from '../../../core/charges/chargeReader.ts'
import type { CellRanges } from '../../../core/charges/csvSplitter.ts'
import { ByteLines } from './byteLines.ts'
import { Dictionary, escaped } from './dictionary.ts'

const ROWS_A_BATCH = 60_000
/** More rows than one piece of a file can hold: the shortest line that accounting can use has some hundred bytes. */
const ROWS_A_PIECE = 20_000
const CHARGE_COLUMNS = 'bill_id, key_id, detail_id, line, starts_at, ends_at, list_cost, contracted_cost, billed_cost, effective_cost, pricing_quantity, consumed_quantity, commitment_quantity'
const COST_COLUMNS = 'line_count, list_cost, contracted_cost, billed_cost, effective_cost'

/** Sums under a numbered slot, with what the slot stands for. */
class Slots<T> {
  readonly labels: T[] = []
  readonly sums = new CostSums()
  private counts = new Uint32Array(1024)

  open(label: T): number {
    return this.labels.push(label) - 1
  }

  add(slot: number, charge: ReadCharge): void {
    this.sums.add(slot, charge.figures)
    if (slot >= this.counts.length) {
      const counts = new Uint32Array(Math.max(this.counts.length * 2, slot + 1))
      counts.set(this.counts)
      this.counts = counts
    }
    this.counts[slot]!++
  }

  /** line count and the four costs, tab-separated */
  text(slot: number): string {
    return `${this.counts[slot]!}\t${this.sums.texts(slot).join('\t')}`
  }
}

interface Bill { provider: string; account: string; month: string; id: number }

/**
 * Writes the charges of one load under their bills, with the sums by key and by day, as streams of LOAD DATA. While the
 * database takes one batch the next is read. Nothing that is written counts until its bill becomes the current one.
 */
export class ChargeWriter {
  private readonly keys: Dictionary
  private readonly details: Dictionary
  private readonly bills: Bill[] = []
  private readonly billOf = new Map<string, number>()
  private readonly serviceOf = new Map<string, number>()
  private readonly dayOf = new Map<string, number>()
  private readonly keySlots = new Slots<{ bill: number; key: number }>()
  private readonly daySlots = new Slots<{ bill: number; day: string; service: string; currency: string }>()
  private readonly keySlotOf = new Map<number, number>()
  private readonly daySlotOf = new Map<number, number>()

  // by number of the reader's shapes
  private detailShapes: number[] = []
  private keyShapes: { key: number; provider: string; account: string; service: string; currency: string; serviceNumber: number; month: string; bill: number; slot: number; day: string; daySlot: number }[] = []

  // the batch in hand: one entry a row, and the bytes of its tail
  private count = 0
  private readonly rowBill = new Int32Array(ROWS_A_BATCH)
  private readonly rowKey = new Int32Array(ROWS_A_BATCH)
  private readonly rowDetail = new Int32Array(ROWS_A_BATCH)
  private readonly tailStart = new Int32Array(ROWS_A_BATCH + 1)
  private readonly tails = new ByteLines()
  private writing: Promise<unknown> = Promise.resolve()

  constructor(private readonly facts: Connection, private readonly descriptions: Connection, private readonly loadId: number) {
    this.keys = new Dictionary(descriptions, 'charge_keys', ['hash', 'attributes', 'provider', 'currency', 'service', 'resource_id'])
    this.details = new Dictionary(descriptions, 'charge_details', ['hash', 'details'])
  }

  get isFull(): boolean {
    return this.count >= ROWS_A_BATCH - ROWS_A_PIECE
  }

  /** Forgets the reader's shapes: their numbers begin again at 0. Keys and sums stay. */
  forgetShapes(): void {
    this.keyShapes = []
    this.detailShapes = []
  }

  key({ attributes }: KeyShape, index: number): void {
    const text = JSON.stringify(attributes)
    const { ProviderName = '', BillingCurrency = '', ServiceName = '', ResourceId = '', BillingAccountId = '' } = attributes
    this.keyShapes[index] = {
      key: this.keys.number(hashOf(text), [text, ProviderName, BillingCurrency, ServiceName, ResourceId]),
      provider: ProviderName, account: BillingAccountId, service: ServiceName, currency: BillingCurrency, serviceNumber: numberIn(this.serviceOf, BillingCurrency + ServiceName), month: '', bill: -1, slot: -1, day: '', daySlot: -1,
    }
  }

  detail({ details }: DetailShape, index: number): void {
    const text = JSON.stringify(details)
    this.detailShapes[index] = this.details.number(hashOf(text), [text])
  }

  charge(charge: ReadCharge, row: CellRanges): void {
    const shape = this.keyShapes[charge.key]!
    const month = charge.period
    if (shape.month !== month) {
      shape.month = month
      shape.bill = this.billNumber(shape.provider, shape.account, month.slice(0, 7))
      shape.slot = this.keySlot(shape.bill, shape.key)
      shape.day = ''
    }
    const day = charge.starts
    if (shape.day !== day) {
      shape.day = day
      shape.daySlot = this.daySlot(shape.bill, day, shape)
    }
    this.keySlots.add(shape.slot, charge)
    this.daySlots.add(shape.daySlot, charge)
    const at = this.count++
    if (at >= ROWS_A_BATCH) throw new Error('a batch of charge lines overflows')
    this.rowBill[at] = shape.bill
    this.rowKey[at] = shape.key
    this.rowDetail[at] = this.detailShapes[charge.detail]!
    this.tails.text(String(charge.line))
    this.tails.tab()
    this.tails.text(charge.starts)
    this.tails.tab()
    this.tails.text(charge.ends)
    for (const figure of charge.figures) {
      this.tails.tab()
      if (!figure.given) this.tails.text('\\N')
      else if (figure.text === null) this.tails.bytes(row.bytes, figure.start, figure.end)
      else this.tails.text(figure.text)
    }
    this.tails.newline()
    this.tailStart[at + 1] = this.tails.length
  }

  /** Hands the batch to the database and returns once the one before it is written. */
  async flush(): Promise<void> {
    if (this.count === 0) return
    await this.keys.resolve()
    await this.details.resolve()
    const lines = this.compose()
    this.count = 0
    this.tails.clear()
    await this.writing
    this.writing = loadData(this.facts, 'charges', CHARGE_COLUMNS, pieces(lines))
    // a failure is reported by the next await, not as an unhandled rejection
    this.writing.catch(() => {})
  }

  /** Writes the rest and the sums; returns the numbers of the bills that the load brought. */
  async finish(): Promise<number[]> {
    await this.flush()
    await this.writing
    const order = this.slotsInKeyOrder()
    const half = order.length >> 1
    await Promise.all([this.writeKeySums(this.facts, order.subarray(0, half)), this.writeKeySums(this.descriptions, order.subarray(half))])
    await loadData(this.facts, 'bill_days', `bill_id, day, service, currency, ${COST_COLUMNS}`, textPieces(this.daySlots.labels, ({ bill, day, service, currency }, slot) =>
      `${this.bills[bill]!.id}\t${day}\t${escaped(service)}\t${currency}\t${this.daySlots.text(slot)}\n`))
    return this.bills.map(({ id }) => id)
  }

  private slotsInKeyOrder(): Int32Array {
    const { labels } = this.keySlots
    const rank = Float64Array.from(labels, ({ bill, key }) => bill * 2 ** 32 + this.keys.id(key))
    return Int32Array.from(labels, (_, slot) => slot).sort((a, b) => rank[a]! - rank[b]!)
  }

  private writeKeySums(connection: Connection, slots: Int32Array): Promise<void> {
    return loadData(connection, 'bill_keys', `bill_id, key_id, ${COST_COLUMNS}`, textPieces(slots, (slot) => {
      const { bill, key } = this.keySlots.labels[slot]!
      return `${this.bills[bill]!.id}\t${this.keys.id(key)}\t${this.keySlots.text(slot)}\n`
    }))
  }

  /** Bills met for the first time get their row at once, so that a load that dies leaves a trace to clean up by. */
  async openBills(): Promise<void> {
    for (const bill of this.bills.filter(({ id }) => id === 0)) {
      const [result] = await this.facts.query('INSERT INTO bills (load_id, provider, billing_account, month) VALUES (?, ?, ?, ?)', [this.loadId, bill.provider, bill.account, bill.month])
      bill.id = (result as { insertId: number }).insertId
    }
  }

  private compose(): Buffer {
    const out = new ByteLines(this.tails.length + this.count * 34)
    for (const at of this.inKeyOrder()) {
      out.text(`${this.bills[this.rowBill[at]!]!.id}\t${this.keys.id(this.rowKey[at]!)}\t${this.details.id(this.rowDetail[at]!)}\t`)
      out.bytes(this.tails.buffer, this.tailStart[at]!, this.tailStart[at + 1]!)
    }
    return out.taken()
  }

  /** The rows of the batch in the order of the primary key, in which the database takes them far faster. */
  private inKeyOrder(): Float64Array {
    const bits = 2 ** 16
    const order = new Float64Array(this.count)
    for (let at = 0; at < this.count; at++) order[at] = (this.rowBill[at]! * 2 ** 25 + (this.keys.id(this.rowKey[at]!) % 2 ** 25)) * bits + at
    order.sort()
    for (let at = 0; at < this.count; at++) order[at] = order[at]! % bits
    return order
  }

  private billNumber(provider: string, account: string, month: string): number {
    const name = `${month}\n${account}\n${provider}`
    let number = this.billOf.get(name)
    if (number === undefined) this.billOf.set(name, (number = this.bills.push({ provider, account, month, id: 0 }) - 1))
    return number
  }

  private keySlot(bill: number, key: number): number {
    const name = bill * 2 ** 32 + key
    let slot = this.keySlotOf.get(name)
    if (slot === undefined) this.keySlotOf.set(name, (slot = this.keySlots.open({ bill, key })))
    return slot
  }

  private daySlot(bill: number, instant: string, { service, currency, serviceNumber }: { service: string; currency: string; serviceNumber: number }): number {
    const day = instant.slice(0, 10)
    const name = (bill * 2 ** 20 + numberIn(this.dayOf, day)) * 2 ** 20 + serviceNumber
    let slot = this.daySlotOf.get(name)
    if (slot === undefined) this.daySlotOf.set(name, (slot = this.daySlots.open({ bill, day, service, currency })))
    return slot
  }
}

/** Number of a text among those seen, from 0. */
function numberIn(numbers: Map<string, number>, text: string): number {
  let number = numbers.get(text)
  if (number === undefined) numbers.set(text, (number = numbers.size))
  return number
}

const hashOf = (text: string): string => createHash('md5').update(text).digest().toString('latin1')

async function loadData(connection: Connection, table: string, columns: string, lines: Iterable<Buffer>): Promise<void> {
  await connection.query({
    sql: `LOAD DATA LOCAL INFILE 'lines' INTO TABLE ${table} CHARACTER SET utf8mb4 (${columns})`,
    infileStreamFactory: () => Readable.from(lines),
  })
}

function* pieces(lines: Buffer): Generator<Buffer> {
  for (let at = 0; at < lines.length; at += 1 << 20) yield lines.subarray(at, at + (1 << 20))
}

/** Lines written only as the database asks for them, so that long lists of sums never stand in memory as text. */
function* textPieces<T>(items: Iterable<T>, lineOf: (item: T, index: number) => string): Generator<Buffer> {
  let piece = ''
  let index = 0
  for (const item of items) {
    piece += lineOf(item, index++)
    if (piece.length < 1 << 18) continue
    yield Buffer.from(piece)
    piece = ''
  }
  if (piece) yield Buffer.from(piece)
}
