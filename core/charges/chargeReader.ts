import { FIGURE_COLUMNS, KEY_COLUMNS, PERIOD_COLUMNS, tagField } from './attributes.ts'
import { checkPeriods, type RowFinding } from './checkRow.ts'
import { cellText, type CellRanges } from './csvSplitter.ts'
import { ExactSums } from './exactSums.ts'
import { FIGURE_RULES, SHAPE_RULES, type FocusRow } from './focusRules.ts'
import { parseFlatJson } from './flatJson.ts'
import { readFigure, type Figure } from './figure.ts'
import { ShapeTable } from './shapeTable.ts'
import { parseInstant } from './instants.ts'

/** What rows share that agree in all descriptive columns. */
export interface Shape {
  attributes: Record<string, string>
  /** descriptive columns that are not part of the key, and columns beginning with x_ */
  details: Record<string, string>
  findings: RowFinding[]
  refused: boolean
  listUnitPrice: number | null
  contractedUnitPrice: number | null
  isCorrection: boolean
}

export interface ReadCharge {
  shape: number
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
  /** a shape that was not seen before, numbered from 0 */
  shape(shape: Shape, index: number): void
}

const COSTS = 4
const MASKED = ['PricingQuantity', 'ConsumedQuantity', 'CommitmentDiscountQuantity', 'ListCost', 'ContractedCost', 'BilledCost', 'EffectiveCost'] as const

/**
 * Reads the rows of a FOCUS file into charges. Everything that depends only on the descriptive columns (attributes,
 * details, most rules) is done once per distinct combination of them, so that a row costs one hash, four dates that
 * are mostly those of the row before, and its figures.
 */
export class ChargeReader {
  private readonly position = new Map<string, number>()
  private readonly shapeColumns: Int32Array
  private readonly figureAt: Int32Array
  private readonly maskAt: Int32Array
  private readonly periodAt: Int32Array
  private readonly table = new ShapeTable()
  private readonly shapes: Shape[] = []
  private readonly periods = new Map<string, ReadPeriods>()
  private lastPeriods: ReadPeriods | null = null
  private readonly charge: ReadCharge
  private row!: CellRanges
  private readonly view: FocusRow

  constructor(private readonly columns: readonly string[], private readonly events: ReaderEvents) {
    columns.forEach((name, index) => { if (!this.position.has(name)) this.position.set(name, index) })
    const at = (name: string): number => this.position.get(name) ?? -1
    const excluded = new Set<string>([...FIGURE_COLUMNS, ...PERIOD_COLUMNS])
    this.shapeColumns = Int32Array.from(columns.flatMap((name, index) => (excluded.has(name) ? [] : [index])))
    this.figureAt = Int32Array.from(FIGURE_COLUMNS, at)
    this.maskAt = Int32Array.from(MASKED, at)
    this.periodAt = Int32Array.from(PERIOD_COLUMNS, at)
    this.charge = { shape: 0, line: 0, period: '', starts: '', ends: '', figures: FIGURE_COLUMNS.map(() => ({ given: false, exact: true, whole: 0, fraction: 0, start: 0, end: 0, text: null })) }
    this.view = {
      get: (column) => {
        const index = this.position.get(column)
        return index === undefined || index >= this.row.count ? null : cellText(this.row, index) || null
      },
      has: (column) => this.position.has(column),
      columns: () => this.columns,
    }
  }

  /** Number of shapes seen; a caller that bounds memory starts a fresh reader when it grows too large. */
  get shapeCount(): number {
    return this.shapes.length
  }

  read(row: CellRanges): void {
    this.row = row
    if (!row.wellFormed || row.count !== this.columns.length) return this.events.findings(row.line, [this.badShape(row)])
    const shapeIndex = this.shapeOf(row)
    const shape = this.shapes[shapeIndex]!
    const periods = this.periodsOf(row)
    const figures = this.readFigures(row)
    if (shape.findings.length > 0) this.events.findings(row.line, shape.findings)
    if (periods.findings.length > 0) this.events.findings(row.line, periods.findings)
    if (figures === 'bad') return this.events.findings(row.line, this.figureFindings())
    if (this.breaksProduct(shape) || figures === 'rounded') this.events.findings(row.line, this.figureFindings())
    if (shape.refused || periods.refused) return
    this.charge.shape = shapeIndex
    this.charge.line = row.line
    this.charge.period = periods.period
    this.charge.starts = periods.starts
    this.charge.ends = periods.ends
    this.events.charge(this.charge, row)
  }

  private badShape(row: CellRanges): RowFinding {
    const text = row.wellFormed ? `the line has ${row.count} cells, the head has ${this.columns.length}` : 'a quotation mark is not closed where its cell ends'
    return { rule: 'shape', column: '', value: '', text, refuses: true }
  }

  private shapeOf(row: CellRanges): number {
    let mask = 0
    for (let index = 0; index < this.maskAt.length; index++) {
      const at = this.maskAt[index]!
      if (at >= 0 && row.starts[at] !== row.ends[at]) mask |= 1 << index
    }
    const effective = this.maskAt[6]!
    if (effective >= 0 && this.isZero(row, effective)) mask |= 1 << 7
    const found = this.table.find(row, this.shapeColumns, mask)
    if (found >= 0) return found
    const index = this.shapes.length
    const shape = this.describe()
    this.shapes.push(shape)
    this.table.insert(index)
    this.events.shape(shape, index)
    return index
  }

  private isZero(row: CellRanges, column: number): boolean {
    for (let at = row.starts[column]!; at < row.ends[column]!; at++) {
      const byte = row.bytes[at]!
      if (byte >= 49 && byte <= 57) return false
    }
    return true
  }

  private describe(): Shape {
    const attributes: Record<string, string> = {}
    for (const column of KEY_COLUMNS) {
      const value = this.view.get(column)
      if (value !== null) attributes[column] = value
    }
    const tags = parseFlatJson(this.view.get('Tags') ?? '{}') ?? {}
    for (const key of Object.keys(tags).sort()) attributes[tagField(key)] = tags[key]!
    const keyColumns = new Set<string>([...KEY_COLUMNS, 'Tags'])
    const details: Record<string, string> = {}
    for (const index of this.shapeColumns) {
      const name = this.columns[index]!
      const value = this.view.get(name)
      if (!keyColumns.has(name) && value !== null) details[name] = value
    }
    const findings = SHAPE_RULES.flatMap((rule): RowFinding[] => {
      const column = rule.check(this.view)
      return column === null ? [] : [{ rule: rule.id, column, value: this.view.get(column) ?? '', text: rule.text, refuses: rule.refuses }]
    })
    const numberOf = (column: string): number | null => { const text = this.view.get(column); return text === null ? null : Number(text) }
    return {
      attributes, details, findings, refused: findings.some(({ refuses }) => refuses),
      listUnitPrice: numberOf('ListUnitPrice'), contractedUnitPrice: numberOf('ContractedUnitPrice'),
      isCorrection: attributes.ChargeClass === 'Correction',
    }
  }

  private periodsOf(row: CellRanges): ReadPeriods {
    const last = this.lastPeriods
    if (last && this.hasBytes(row, last.bytes)) return last
    const texts = Array.from(this.periodAt, (index) => (index < 0 ? '' : cellText(row, index)))
    const key = texts.join('\n')
    let periods = this.periods.get(key)
    if (!periods) {
      const findings = checkPeriods(this.view)
      const [billing, , starts, ends] = texts.map((text) => parseInstant(text)?.text ?? '')
      periods = { bytes: texts.map((text) => new TextEncoder().encode(text)), findings, refused: findings.some(({ refuses }) => refuses), period: billing!.slice(0, 7) + '-01', starts: starts!, ends: ends! }
      if (this.periods.size > 100_000) this.periods.clear()
      this.periods.set(key, periods)
    }
    this.lastPeriods = periods
    return periods
  }

  private hasBytes(row: CellRanges, expected: readonly Uint8Array[]): boolean {
    for (let index = 0; index < expected.length; index++) {
      const at = this.periodAt[index]!
      const bytes = expected[index]!
      const start = row.starts[at]!
      if (row.ends[at]! - start !== bytes.length) return false
      // from the end: days differ there first
      for (let offset = bytes.length - 1; offset >= 0; offset--) if (row.bytes[start + offset] !== bytes[offset]) return false
    }
    return true
  }

  private readFigures(row: CellRanges): 'good' | 'rounded' | 'bad' {
    let state: 'good' | 'rounded' | 'bad' = 'good'
    for (let index = 0; index < this.figureAt.length; index++) {
      const figure = this.charge.figures[index]!
      const at = this.figureAt[index]!
      if (at < 0) figure.given = false
      else if (!readFigure(row, at, figure)) state = 'bad'
      else if (!figure.exact && state === 'good') state = 'rounded'
    }
    return state
  }

  private breaksProduct(shape: Shape): boolean {
    const quantity = this.charge.figures[COSTS]!
    if (!quantity.given || shape.isCorrection) return false
    const amount = quantity.whole + quantity.fraction / 1e10
    const off = (price: number | null, cost: Figure): boolean => price !== null && Math.abs(price * amount - (cost.whole + cost.fraction / 1e10)) > 0.01
    return off(shape.listUnitPrice, this.charge.figures[0]!) || off(shape.contractedUnitPrice, this.charge.figures[1]!)
  }

  /** The slow and complete look at the figures of a row that the fast one stumbled over. */
  private figureFindings(): RowFinding[] {
    const byRules = FIGURE_RULES.flatMap((rule): RowFinding[] => {
      const column = rule.check(this.view)
      return column === null ? [] : [{ rule: rule.id, column, value: this.view.get(column) ?? '', text: rule.text, refuses: rule.refuses }]
    })
    const byFigure = FIGURE_COLUMNS.flatMap((column, index): RowFinding[] => {
      const figure = this.charge.figures[index]!
      const finding = { column, value: this.view.get(column) ?? '' }
      if (figure.given && figure.tooLarge) return [{ ...finding, rule: 'AMOUNT_TOO_LARGE', text: 'the amount is too large', refuses: true }]
      return figure.given && !figure.exact ? [{ ...finding, rule: 'AMOUNT_ROUNDED', text: 'more than ten decimals, rounded', refuses: false }] : []
    })
    return [...byRules, ...byFigure]
  }
}

interface ReadPeriods {
  bytes: Uint8Array[]
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

  /** list, contracted, billed and effective cost of the slot in 10^-10 units */
  units(slot: number): bigint[] {
    return this.costs.map((sums) => sums.units(slot))
  }
}
