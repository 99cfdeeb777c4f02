import { hash } from 'node:crypto'
import { Readable } from 'node:stream'
import type { Connection } from 'mysql2/promise'
import { CostSums, type DetailShape, type KeyShape, type ReadCharge } from '../../../core/charges/chargeReader.ts'
import type { CellRanges } from '../../../core/charges/csvSplitter.ts'
import { COSTS, costOf, emptySums, writeBillSums } from './billSums.ts'
import { ByteLines } from './byteLines.ts'
import { Dictionary, escaped } from './dictionary.ts'
import { PeriodTable } from './periodTable.ts'

const ROWS_A_BATCH = 60_000
/** More rows than one piece of a file can hold: the shortest line that accounting can use has some hundred bytes. */
const ROWS_A_PIECE = 20_000
const BATCHES_ON_THEIR_WAY = 4
const LOOKED_UP_AHEAD = 4_000
const CHARGE_COLUMNS = 'bill_id, key_id, detail_id, period_id, line, list_cost, contracted_cost, billed_cost, effective_cost, pricing_quantity, consumed_quantity, commitment_quantity'
const COST_COLUMNS = 'line_count, list_cost, contracted_cost, billed_cost, effective_cost'

/** Sums under a numbered slot, with what the slot stands for. */
class Slots<T> {
  readonly labels: T[] = []
  readonly sums = new CostSums()
  counts = new Uint32Array(1024)

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
interface Shape { key: number; owner: number; provider: string; account: string; service: string; currency: string; serviceNumber: number; month: string; bill: number; slot: number }

/** Some rows on their way to the database: what each refers to, and the bytes of the rest of its line. */
class Batch {
  count = 0
  readonly bill = new Int32Array(ROWS_A_BATCH)
  readonly key = new Int32Array(ROWS_A_BATCH)
  readonly detail = new Int32Array(ROWS_A_BATCH)
  readonly period = new Int32Array(ROWS_A_BATCH)
  readonly tailStart = new Int32Array(ROWS_A_BATCH + 1)
  readonly tails = new ByteLines()

  clear(): void {
    this.count = 0
    this.tails.clear()
  }
}

/**
 * Writes the charges of one load under their bills, with the sums by key and by day, as streams of LOAD DATA. While the
 * database takes one batch the next is read. Nothing that is written counts until its bill becomes the current one.
 */
export class ChargeWriter {
  private readonly keys: Dictionary
  private readonly details: Dictionary
  private readonly periods: PeriodTable
  private readonly bills: Bill[] = []
  private readonly billOf = new Map<number, number>()
  private readonly ownerOf = new Map<string, number>()
  private readonly monthOf = new Map<string, number>()
  private readonly serviceOf = new Map<string, number>()
  private readonly keySlots = new Slots<{ bill: number; key: number }>()
  private readonly daySlots = new Slots<{ bill: number; day: string; service: string; currency: string }>()
  /** by key, then month: most files have one month, and a key has one owner */
  private readonly keySlotOf: number[][] = []
  /** by bill and day, then service */
  private readonly daySlotOf = new Map<string, number[]>()
  private dayInHand: { bill: number; instant: string; day: string; slots: number[] } = { bill: -1, instant: '', day: '', slots: [] }

  // by number of the reader's shapes
  private detailShapes: number[] = []
  private keyShapes: Shape[] = []

  private batch = new Batch()
  private readonly spare: Batch[] = []
  private resolving: Promise<unknown> = Promise.resolve()
  private resolves = 0
  private batches = 0
  /** batches on their way, the oldest first */
  private readonly writing: Promise<unknown>[] = []

  /** `lanes`: connections on which batches are written, side by side */
  constructor(private readonly lanes: readonly Connection[], private readonly descriptions: Connection, private readonly loadId: number) {
    this.keys = new Dictionary(descriptions, 'charge_keys', ['hash', 'attributes', 'provider', 'currency', 'service', 'resource', 'sku'])
    this.details = new Dictionary(descriptions, 'charge_details', ['hash', 'details'])
    this.periods = new PeriodTable(descriptions)
  }

  get isFull(): boolean {
    return this.batch.count >= ROWS_A_BATCH - ROWS_A_PIECE
  }

  /** Forgets the reader's shapes: their numbers begin again at 0. Keys and sums stay. */
  forgetShapes(): void {
    this.keyShapes = []
    this.detailShapes = []
  }

  key({ attributes }: KeyShape, index: number): void {
    const text = JSON.stringify(attributes)
    const { ProviderName = '', BillingCurrency = '', ServiceName = '', ResourceId = '', ResourceName = ResourceId, SkuId = '', BillingAccountId = '' } = attributes
    this.keyShapes[index] = {
      key: this.keys.number(hashOf(text), [text, ProviderName, BillingCurrency, ServiceName, ResourceName, SkuId]),
      owner: numberIn(this.ownerOf, `${BillingAccountId}\n${ProviderName}`), provider: ProviderName, account: BillingAccountId, service: ServiceName, currency: BillingCurrency, serviceNumber: numberIn(this.serviceOf, BillingCurrency + ServiceName), month: '', bill: -1, slot: -1,
    }
  }

  detail({ details }: DetailShape, index: number): void {
    const text = JSON.stringify(details)
    this.detailShapes[index] = this.details.number(hashOf(text), [text])
  }

  charge(charge: ReadCharge, row: CellRanges): void {
    const shape = this.keyShapes[charge.key]!
    if (shape.month !== charge.period) this.enterMonth(shape, charge.period)
    this.keySlots.add(shape.slot, charge)
    this.daySlots.add(this.daySlot(shape, charge.starts), charge)
    const { batch } = this
    const { tails } = batch
    const at = batch.count++
    if (at >= ROWS_A_BATCH) throw new Error('a batch of charge lines overflows')
    batch.bill[at] = shape.bill
    batch.key[at] = shape.key
    batch.detail[at] = this.detailShapes[charge.detail]!
    batch.period[at] = this.periods.number(charge.starts, charge.ends)
    tails.number(charge.line)
    for (const figure of charge.figures) {
      tails.tab()
      if (!figure.given) tails.text('\\N')
      else if (figure.text === null) tails.bytes(row.bytes, figure.start, figure.end)
      else tails.text(figure.text)
    }
    tails.newline()
    batch.tailStart[at + 1] = tails.length
  }

  /** Begins to look up new descriptions where there are many, so that the database has them when the batch is full. */
  lookAhead(): void {
    if (this.resolves === 0 && this.keys.waiting >= LOOKED_UP_AHEAD) void this.resolveNext()
  }

  /** Hands the batch on. Some may be on their way, so that reading goes on while descriptions are looked up; then it waits for the oldest. */
  async flush(): Promise<void> {
    const { batch } = this
    if (batch.count === 0) return
    await this.openBills()
    const resolved = this.resolveNext()
    const before = this.writing.at(-this.lanes.length)
    const lane = this.lanes[this.batches++ % this.lanes.length]!
    const written = (async () => {
      await Promise.all([resolved, before])
      await loadData(lane, 'charges', CHARGE_COLUMNS, pieces(this.compose(batch)), 'binary')
      batch.clear()
      this.spare.push(batch)
    })()
    // a failure is reported by the next await, not as an unhandled rejection
    written.catch(() => {})
    this.writing.push(written)
    while (this.writing.length > BATCHES_ON_THEIR_WAY) await this.writing.shift()
    this.batch = this.spare.pop() ?? new Batch()
  }

  private resolveNext(): Promise<unknown> {
    this.resolves++
    this.resolving = this.resolving.then(() => this.resolve()).finally(() => { this.resolves-- })
    this.resolving.catch(() => {})
    return this.resolving
  }

  private async resolve(): Promise<void> {
    await this.keys.resolve()
    await this.details.resolve()
    await this.periods.resolve()
  }

  /** Writes the rest and the sums; returns the numbers of the bills that the load brought. */
  async finish(): Promise<number[]> {
    await this.flush()
    await this.resolving
    // sums need only the numbers of keys, so they are written beside the last lines
    await Promise.all([...this.writing, this.writeKeySums()])
    await loadData(this.lanes[0]!, 'bill_days', `bill_id, day, service, currency, ${COST_COLUMNS}`, textPieces(this.daySlots.labels, ({ bill, day, service, currency }, slot) =>
      `${this.bills[bill]!.id}\t${day}\t${escaped(service)}\t${currency}\t${this.daySlots.text(slot)}\n`))
    return this.bills.map(({ id }) => id)
  }

  /** The sums of each bill by key, in the order of the keys' numbers in the database. */
  private async writeKeySums(): Promise<void> {
    const { labels, counts, sums } = this.keySlots
    const slotsOf = this.bills.map((): number[] => [])
    labels.forEach(({ bill }, slot) => slotsOf[bill]!.push(slot))
    for (const [bill, slots] of slotsOf.entries()) {
      const id = (slot: number): number => this.keys.id(labels[slot]!.key)
      slots.sort((a, b) => id(a) - id(b))
      const packed = emptySums(slots.length)
      slots.forEach((slot, row) => {
        packed.columns.key[row] = id(slot)
        packed.columns.lines[row] = counts[slot]!
      })
      COSTS.forEach((cost, index) => {
        const columns = costOf(packed, cost)
        slots.forEach((slot, row) => sums.costs[index]!.put(slot, columns, row))
      })
      await writeBillSums(this.descriptions, this.bills[bill]!.id, packed)
    }
  }

  /** Bills met for the first time get their row at once, so that a load that dies leaves a trace to clean up by. */
  async openBills(): Promise<void> {
    for (const bill of this.bills.filter(({ id }) => id === 0)) {
      const [result] = await this.lanes[0]!.query('INSERT INTO bills (load_id, provider, billing_account, month) VALUES (?, ?, ?, ?)', [this.loadId, bill.provider, bill.account, bill.month])
      bill.id = (result as { insertId: number }).insertId
    }
  }

  private compose(batch: Batch): Buffer {
    const out = new ByteLines(batch.tails.length + batch.count * 34)
    for (const at of this.inKeyOrder(batch)) {
      out.number(this.bills[batch.bill[at]!]!.id)
      out.tab()
      out.number(this.keys.id(batch.key[at]!))
      out.tab()
      out.number(this.details.id(batch.detail[at]!))
      out.tab()
      out.number(this.periods.id(batch.period[at]!))
      out.tab()
      out.bytes(batch.tails.buffer, batch.tailStart[at]!, batch.tailStart[at + 1]!)
    }
    return out.taken()
  }

  /** The rows of the batch in the order of the primary key, in which the database takes them far faster. */
  private inKeyOrder({ count, bill, key }: Batch): Float64Array {
    const bits = 2 ** 16
    const order = new Float64Array(count)
    for (let at = 0; at < count; at++) order[at] = (bill[at]! * 2 ** 25 + (this.keys.id(key[at]!) % 2 ** 25)) * bits + at
    order.sort()
    for (let at = 0; at < count; at++) order[at] = order[at]! % bits
    return order
  }

  private enterMonth(shape: Shape, month: string): void {
    const monthNumber = numberIn(this.monthOf, month)
    shape.month = month
    shape.bill = this.billNumber(shape, month, monthNumber)
    const slots = (this.keySlotOf[shape.key] ??= [])
    shape.slot = slots[monthNumber] ??= this.keySlots.open({ bill: shape.bill, key: shape.key })
  }

  private billNumber({ owner, provider, account }: Shape, month: string, monthNumber: number): number {
    const name = monthNumber * 2 ** 20 + owner
    let number = this.billOf.get(name)
    if (number === undefined) this.billOf.set(name, (number = this.bills.push({ provider, account, month: month.slice(0, 7), id: 0 }) - 1))
    return number
  }

  private daySlot({ bill, service, currency, serviceNumber }: Shape, instant: string): number {
    if (this.dayInHand.instant !== instant || this.dayInHand.bill !== bill) {
      const day = instant.slice(0, 10)
      const name = `${bill} ${day}`
      const slots = this.daySlotOf.get(name) ?? []
      this.daySlotOf.set(name, slots)
      this.dayInHand = { bill, instant, day, slots }
    }
    const { day, slots } = this.dayInHand
    return (slots[serviceNumber] ??= this.daySlots.open({ bill, day, service, currency }))
  }
}

/** Number of a text among those seen, from 0. */
function numberIn(numbers: Map<string, number>, text: string): number {
  let number = numbers.get(text)
  if (number === undefined) numbers.set(text, (number = numbers.size))
  return number
}

const hashOf = (text: string): string => hash('md5', text, 'hex')

async function loadData(connection: Connection, table: string, columns: string, lines: Iterable<Buffer>, charset: 'utf8mb4' | 'binary' = 'utf8mb4'): Promise<void> {
  await connection.query({
    sql: `LOAD DATA LOCAL INFILE 'lines' INTO TABLE ${table} CHARACTER SET ${charset} (${columns})`,
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
