import { join } from 'node:path'
import pdfmake from 'pdfmake'
import type { Content, TableCell, TDocumentDefinitions } from 'pdfmake/interfaces'
import { projectRoot } from '../../paths.ts'
import type { FiguresView, StatementView } from './view.ts'

const INK = '#23302e'
const SOFT = '#5b625b'
const RULE = '#d9d0bd'

const fontFile = (family: string, weight: number): string => join(projectRoot(), `node_modules/@fontsource/${family}/files/${family}-latin-${weight}-normal.woff`)
let ready = false

/** The fonts of the page; nothing is ever fetched, and no other file is read. */
function prepare(): void {
  if (ready) return
  const fontOf = (family: string): Record<string, string> => {
    const [normal, bold] = [fontFile(family, 400), fontFile(family, 700)]
    return { normal, bold, italics: normal, bolditalics: bold }
  }
  pdfmake.setFonts({ Literata: fontOf('literata'), Hanken: fontOf('hanken-grotesk') } as never)
  pdfmake.setUrlAccessPolicy(() => false)
  pdfmake.setLocalAccessPolicy((path) => path.endsWith('.woff'))
  ready = true
}

const MINUS = '\u2212'
/** Thousands set apart by a no-break space, a true minus. */
export function printed(decimal: string, signed = false): string {
  const [whole = '', fraction] = decimal.replace('-', '').split('.')
  const grouped = whole.replace(/\B(?=(\d{3})+$)/g, '\u00a0') + (fraction === undefined ? '' : '.' + fraction)
  const isZero = !/[1-9]/.test(decimal)
  if (decimal.startsWith('-')) return MINUS + grouped
  return signed && !isZero ? '+' + grouped : grouped
}

export function monthName(month: string): string {
  return new Intl.DateTimeFormat('en-GB', { month: 'long', year: 'numeric', timeZone: 'UTC' }).format(new Date(`${month}-01T00:00:00Z`))
}

const right = (text: string, more: object = {}): TableCell => ({ text, alignment: 'right', noWrap: true, ...more })

function figureCells({ amount, previous, change, percent }: FiguresView, hasPrevious: boolean, more: object = {}): TableCell[] {
  const rest = hasPrevious ? [printed(previous), printed(change, true), percent === null ? '' : `${printed(percent, true)} %`] : ['', '', '']
  return [printed(amount), ...rest].map((text) => right(text, more))
}

function documentOf(view: StatementView): TDocumentDefinitions {
  const { scope, groups, total, hasPrevious } = view
  const heads: TableCell[] = [{ text: view.currency, color: SOFT }, right(monthName(view.month), { color: SOFT }), right(hasPrevious ? monthName(view.previousMonth) : '', { color: SOFT }), right(hasPrevious ? 'change' : '', { color: SOFT }), right('', {}), { text: '', color: SOFT }]
  const body: TableCell[][] = [heads]
  const groupRows = new Set<number>()
  for (const group of groups) {
    groupRows.add(body.length)
    body.push([{ text: group.title, font: 'Literata', bold: true, margin: [0, 6, 0, 0] }, ...figureCells(group.figures, hasPrevious, { font: 'Literata', bold: true, margin: [0, 6, 0, 0] }), ''])
    for (const line of group.lines) {
      const note = line.share === null ? '' : `${printed(Number(line.share).toFixed(2))} % of ${printed(line.poolAmount ?? '')}, ${line.base}`
      body.push([{ text: line.label, margin: [10, 0, 0, 0] }, ...figureCells(line, hasPrevious), { text: note, fontSize: 7, color: SOFT, margin: [6, 1, 0, 0] }])
    }
  }
  body.push([{ text: `Charged to ${scope.code}`, bold: true }, ...figureCells(total, hasPrevious, { bold: true }), ''])
  const last = body.length
  for (const { name, amount, note } of view.markUps) body.push([{ text: name, margin: [10, 0, 0, 0] }, right(printed(amount)), '', '', '', { text: `mark-up: ${note}`, fontSize: 7, color: SOFT, margin: [6, 1, 0, 0] }])
  if (view.withMarkUp !== null) body.push([{ text: 'With mark-up', bold: true }, right(printed(view.withMarkUp), { bold: true }), '', '', '', ''])
  const table: Content = {
    table: { headerRows: 1, widths: ['*', 'auto', 'auto', 'auto', 'auto', 158], body, dontBreakRows: true },
    layout: {
      hLineWidth: (row) => (row === last ? 1.4 : row === 1 || row === last - 1 ? 1 : row === 0 ? 0 : 0.4), vLineWidth: () => 0,
      hLineColor: (row) => (row === 1 || row >= last - 1 ? INK : RULE), paddingTop: () => 3, paddingBottom: () => 3, paddingLeft: () => 0, paddingRight: () => 8,
    },
  }
  const basis = view.basis === 'effective' ? 'effective cost' : 'billed cost'
  return {
    info: { title: `Statement ${scope.code} ${view.month}` }, pageSize: 'A4', pageMargins: [48, 56, 48, 56],
    defaultStyle: { font: 'Hanken', fontSize: 9, color: INK },
    content: [
      { columns: [{ text: [{ text: 'Candid ', bold: true }, 'Abacus'], font: 'Literata', fontSize: 11 }, { text: 'Statement of cost', alignment: 'right', color: SOFT }] },
      { text: `${scope.code} ${scope.name}`, font: 'Literata', bold: true, fontSize: 20, margin: [0, 22, 0, 2] },
      { text: `${scope.kind === 'cc' ? `${scope.unitName} · ` : ''}${monthName(view.month)} · run ${view.runId} under rulebook ${view.version} · ${basis}${scope.owner ? ` · for ${scope.owner}` : ''}`, color: SOFT, margin: [0, 0, 0, 14] },
      ...(view.isCurrent ? [] : [{ text: 'Bills, rates or the rulebook have changed since this run.', color: '#b23a1e', margin: [0, 0, 0, 10] } as Content]),
      table,
      { text: 'Amounts are rounded once, together with all cost centres of a provider, so that the statements of a month add up to its invoices.', color: SOFT, fontSize: 7.5, margin: [0, 12, 0, 0] },
    ],
    footer: (page, pages) => ({ columns: [{ text: `${scope.code} ${scope.name}, ${monthName(view.month)}, run ${view.runId}, rulebook ${view.version}`, color: SOFT }, { text: `page ${page} of ${pages}`, alignment: 'right', color: SOFT }], fontSize: 7.5, margin: [48, 20, 48, 0] }),
  }
}

export async function statementPdf(view: StatementView): Promise<Buffer> {
  prepare()
  return Buffer.from(await pdfmake.createPdf(documentOf(view)).getBuffer())
}
