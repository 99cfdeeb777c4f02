import { FIGURE_COLUMNS, KEY_COLUMNS, PERIOD_COLUMNS, tagField } from './attributes.ts'
import { checkPeriods, checkRow, findingsOf, type RowFinding } from './checkRow.ts'
import { cellText, rowTexts, type CellRanges } from './csvSplitter.ts'
import { ExactSums } from './exactSums.ts'
import { DETAIL_RULES, FIGURE_RULES, KEY_RULES, type FocusRow } from './focusRules.ts'
import { parseFlatJson } from './flatJson.ts'
import { putFigure, readUnusual, type Figure } from './figure.ts'
import type { RowScanner } from './rowScanner.ts'
import { ShapeTable } from './shapeTable.ts'
import { parseInstant } from './instants.ts'

/** What rows share that agree in the columns of the charge key. */
export interface KeyShape {
  attributes: Record<string, string>
  findings: RowFinding[]
  refused: boolean
  isCorrection: boolean
}

/** What rows share that agree in the descriptive columns beside the key: descriptions, prices, columns beginning with x_. */
export interface DetailShape {
  details: Record<string, string>
  findings: RowFinding[]
  refused: boolean
  listUnitPrice: number | null
  contractedUnitPrice: number | null
}

export interface ReadCharge {
  /** numbers of the shapes, from 0 in the order in which they were told */
  key: number
  detail: number
  line: number
  /** first day of the billing period, `YYYY-MM-01` */
  period: string
  /** `YYYY-MM-DD HH:mm:ss`, UTC, end exclusive */
  starts: string
  ends: string
  /** in the order of FIGURE_COLUMNS */
  figures: Figure[]
}

export interface ReaderEvents {
  /** a row that is taken; both objects are used again for the next row */
  charge(charge: ReadCharge, row: CellRanges): void
  /** what is wrong with a row; refusals refuse the file */
  findings(line: number, findings: readonly RowFinding[]): void
  /** shapes that were not seen before */
  key(shape: KeyShape, index: number): void
  detail(shape: DetailShape, index: number): void
}

const COSTS = 4
/** Columns beside the key of which key rules ask whether they are empty. */
const MASKED = ['EffectiveCost', 'PricingQuantity', 'ConsumedQuantity', 'CommitmentDiscountQuantity', 'ListCost', 'ContractedCost', 'BilledCost', 'ListUnitPrice', 'ContractedUnitPrice', 'SkuPriceDetails'] as const

/**
 * Reads the rows of a FOCUS file into charges. Everything that depends only on descriptive columns is done once per
 * distinct combination of them (those of the key and those beside it apart), so that a row costs two hashes, four dates
 * that are mostly those of the row before, and its figures.
 */
export class ChargeReader {
  private readonly position = new Map<string, number>()
  private readonly keyColumns: Int32Array
  private readonly detailColumns: Int32Array
  private readonly figureAt: Int32Array
  private readonly maskAt: Int32Array
  private readonly periodAt: Int32Array
  private readonly keyTable = new ShapeTable('key')
  private readonly detailTable = new ShapeTable('detail')
  // what is described is told once and not kept: only what later rows of the same shape need
  private readonly keys: Omit<KeyShape, 'attributes'>[] = []
  private readonly details: Omit<DetailShape, 'details'>[] = []
  private readonly periods = new Map<string, ReadPeriods>()
  private lastPeriods: ReadPeriods | null = null
  private readonly periodHash = new Int32Array(3)
  private scanner: RowScanner | null = null
  private readonly charge: ReadCharge
  private row!: CellRanges
  private texts: string[] | null = null
  private readonly view: FocusRow
  private readonly keyView: FocusRow
  private readonly detailView: FocusRow

  constructor(private readonly columns: readonly string[], private readonly events: ReaderEvents) {
    columns.forEach((name, index) => { if (!this.position.has(name)) this.position.set(name, index) })
    const at = (name: string): number => this.position.get(name) ?? -1
    const isKey = new Set<string>([...KEY_COLUMNS, 'Tags'])
    const isApart = new Set<string>([...FIGURE_COLUMNS, ...PERIOD_COLUMNS])
    const indexes = (test: (name: string) => boolean): Int32Array => Int32Array.from(columns.flatMap((name, index) => (test(name) ? [index] : [])))
    this.keyColumns = indexes((name) => isKey.has(name))
    this.detailColumns = indexes((name) => !isKey.has(name) && !isApart.has(name))
    this.figureAt = Int32Array.from(FIGURE_COLUMNS, at)
    this.maskAt = Int32Array.from(MASKED, at)
    this.periodAt = Int32Array.from(PERIOD_COLUMNS, at)
    this.charge = { key: 0, detail: 0, line: 0, period: '', starts: '', ends: '', figures: FIGURE_COLUMNS.map(() => ({ given: false, exact: true, whole: 0, fraction: 0, start: 0, end: 0, text: null })) }
    this.view = {
      get: (column) => {
        const index = this.position.get(column)
        return index === undefined ? null : (this.texts ??= rowTexts(this.row))[index] || null
      },
      has: (column) => this.position.has(column),
      columns: () => this.columns,
    }
    const namesAt = (of: Int32Array): string[] => Array.from(of, (index) => columns[index]!)
    const [keyNames, detailNames] = [namesAt(this.keyColumns), namesAt(this.detailColumns)]
    this.keyView = { ...this.view, columns: () => keyNames }
    this.detailView = { ...this.view, columns: () => detailNames }
  }

  /** Number of shapes seen; a caller that bounds memory starts a fresh reader when it grows too large. */
  get shapeCount(): number {
    return this.keys.length + this.details.length
  }

  read(row: CellRanges): void {
    this.row = row
    this.texts = null
    if (!row.wellFormed || row.count !== this.columns.length) return this.events.findings(row.line, [this.badShape(row)])
    if (row.scanner !== this.scanner) this.tellColumns(row.scanner)
    const { charge } = this
    charge.key = this.keyOf(row)
    charge.detail = this.detailOf(row)
    const key = this.keys[charge.key]!
    const detail = this.details[charge.detail]!
    const periods = this.periodsOf(row)
    const figures = this.readFigures(row)
    // a row that is lost anyway is told everything at once
    if (figures === 'bad' || periods.refused) return this.events.findings(row.line, [...checkRow(this.view), ...this.figureFindings()])
    for (const { findings } of [key, detail, periods]) if (findings.length > 0) this.events.findings(row.line, findings)
    if (figures === 'rounded') this.events.findings(row.line, this.figureFindings())
    if (this.breaksProduct(key, detail)) this.events.findings(row.line, findingsOf(this.view, FIGURE_RULES))
    if (key.refused || detail.refused) return
    charge.line = row.line
    charge.period = periods.period
    charge.starts = periods.starts
    charge.ends = periods.ends
    this.events.charge(charge, row)
  }

  private tellColumns(scanner: RowScanner): void {
    this.scanner = scanner
    scanner.setList('key', this.keyColumns)
    scanner.setList('detail', this.detailColumns)
    scanner.setList('period', this.periodAt.filter((column) => column >= 0))
    scanner.setList('mask', this.maskAt)
    scanner.setList('figure', this.figureAt)
  }

  private badShape(row: CellRanges): RowFinding {
    const text = row.wellFormed ? `the line has ${row.count} cells, the head has ${this.columns.length}` : 'a quotation mark is not closed where its cell ends'
    return { rule: 'shape', column: '', value: '', text, refuses: true }
  }

  private keyOf(row: CellRanges): number {
    let mask = row.scanner.givenCells('mask')
    if (this.maskAt[0]! >= 0 && row.scanner.isZero(this.maskAt[0]!)) mask |= 1 << MASKED.length
    const found = this.keyTable.find(row, mask)
    if (found >= 0) return found
    const { attributes, ...rest } = this.describeKey()
    const index = this.keys.push(rest) - 1
    this.keyTable.insert(index)
    this.events.key({ attributes, ...rest }, index)
    return index
  }

  private detailOf(row: CellRanges): number {
    const found = this.detailTable.find(row, 0)
    if (found >= 0) return found
    const { details, ...rest } = this.describeDetail()
    const index = this.details.push(rest) - 1
    this.detailTable.insert(index)
    this.events.detail({ details, ...rest }, index)
    return index
  }

  private describeKey(): KeyShape {
    const attributes: Record<string, string> = {}
    for (const column of KEY_COLUMNS) {
      const value = this.view.get(column)
      if (value !== null) attributes[column] = value
    }
    const tags = parseFlatJson(this.view.get('Tags') ?? '{}') ?? {}
    for (const key of Object.keys(tags).sort()) attributes[tagField(key)] = tags[key]!
    const findings = findingsOf(this.keyView, KEY_RULES)
    return { attributes, findings, refused: findings.some(({ refuses }) => refuses), isCorrection: attributes.ChargeClass === 'Correction' }
  }

  private describeDetail(): DetailShape {
    const details: Record<string, string> = {}
    for (const name of this.detailView.columns()) {
      const value = this.view.get(name)
      if (value !== null) details[name] = value
    }
    const findings = findingsOf(this.detailView, DETAIL_RULES)
    const numberOf = (column: string): number | null => { const text = this.view.get(column); return text === null ? null : Number(text) }
    return { details, findings, refused: findings.some(({ refuses }) => refuses), listUnitPrice: numberOf('ListUnitPrice'), contractedUnitPrice: numberOf('ContractedUnitPrice') }
  }

  private periodsOf(row: CellRanges): ReadPeriods {
    const { scanner: { result } } = row
    row.scanner.hash('period', 0)
    const { periodHash, lastPeriods } = this
    if (lastPeriods && periodHash[0] === result[0] && periodHash[1] === result[1] && periodHash[2] === result[2]) return lastPeriods
    periodHash.set(result.subarray(0, 3))
    const texts = Array.from(this.periodAt, (index) => (index < 0 ? '' : cellText(row, index)))
    const key = texts.join('\n')
    let periods = this.periods.get(key)
    if (!periods) {
      const findings = checkPeriods(this.view)
      const [billing, , starts, ends] = texts.map((text) => parseInstant(text)?.text ?? '')
      periods = { findings, refused: findings.some(({ refuses }) => refuses), period: billing!.slice(0, 7) + '-01', starts: starts!, ends: ends! }
      if (this.periods.size > 100_000) this.periods.clear()
      this.periods.set(key, periods)
    }
    this.lastPeriods = periods
    return periods
  }

  private readFigures(row: CellRanges): 'good' | 'rounded' | 'bad' {
    const { wholes, fractions } = row.scanner
    const unread = row.scanner.readFigures('figure')
    let state: 'good' | 'rounded' | 'bad' = 'good'
    for (let index = 0; index < this.figureAt.length; index++) {
      const figure = this.charge.figures[index]!
      const at = this.figureAt[index]!
      if (at < 0) figure.given = false
      else if ((unread & (1 << index)) === 0) putFigure(figure, wholes[index]!, fractions[index]!, row.starts[at]!, row.ends[at]!)
      else if (!readUnusual(row, at, figure)) state = 'bad'
      else if (!figure.exact && state === 'good') state = 'rounded'
    }
    return state
  }

  private breaksProduct({ isCorrection }: Pick<KeyShape, 'isCorrection'>, { listUnitPrice, contractedUnitPrice }: Pick<DetailShape, 'listUnitPrice' | 'contractedUnitPrice'>): boolean {
    const quantity = this.charge.figures[COSTS]!
    if (!quantity.given || isCorrection) return false
    const amount = quantity.whole + quantity.fraction / 1e10
    const off = (price: number | null, cost: Figure): boolean => price !== null && Math.abs(price * amount - (cost.whole + cost.fraction / 1e10)) > 0.01
    return off(listUnitPrice, this.charge.figures[0]!) || off(contractedUnitPrice, this.charge.figures[1]!)
  }

  /** Figures that were rounded or are too large. */
  private figureFindings(): RowFinding[] {
    return FIGURE_COLUMNS.flatMap((column, index): RowFinding[] => {
      const figure = this.charge.figures[index]!
      const finding = { column, value: this.view.get(column) ?? '' }
      if (figure.given && figure.tooLarge) return [{ ...finding, rule: 'AMOUNT_TOO_LARGE', text: 'the amount is too large', refuses: true }]
      return figure.given && !figure.exact ? [{ ...finding, rule: 'AMOUNT_ROUNDED', text: 'more than ten decimals, rounded', refuses: false }] : []
    })
  }
}

interface ReadPeriods {
  findings: RowFinding[]
  refused: boolean
  period: string
  starts: string
  ends: string
}

/** Exact sums of the four costs, by slot. */
export class CostSums {
  readonly costs = Array.from({ length: COSTS }, () => new ExactSums())

  add(slot: number, figures: readonly Figure[]): void {
    for (let index = 0; index < COSTS; index++) this.costs[index]!.add(slot, figures[index]!.whole, figures[index]!.fraction)
  }

  /** list, contracted, billed and effective cost of the slot as decimals */
  texts(slot: number): string[] {
    return this.costs.map((sums) => sums.text(slot))
  }
}
