import { cellText, rowTexts } from '../../../core/charges/csvSplitter.ts'
import { checkFlowHead, FlowReader } from '../../../core/network/flows.ts'
import type { ReadProgress } from '../intake/fileBytes.ts'
import type { Findings } from '../intake/findings.ts'
import { readRowFile, type MeasuredFile } from '../intake/rowFile.ts'

const GIGABYTE = 1e9

/** Reads a whole file of flows; its days are of use only where no row was refused. */
export async function readFlows(path: string, findings: Findings, progress: (progress: ReadProgress) => Promise<void>): Promise<MeasuredFile> {
  let reader: FlowReader | null = null
  const { problems, lines } = await readRowFile(path, progress, (names) => {
    const opened = (reader = new FlowReader(names, (line, found) => findings.note(line, found)))
    return {
      problems: checkFlowHead(names),
      read: (row) => {
        if (row.wellFormed && row.count === names.length) opened.read(rowTexts(row), row.line)
        else findings.note(row.line, [{ rule: 'N-Rows', column: '', value: cellText(row, 0), text: `the line has ${row.count} cells, the head has ${names.length}`, refuses: true }])
      },
    }
  })
  const days = problems.length > 0 ? [] : ((reader as FlowReader | null)?.finish() ?? [])
  return { problems, lines, write: async (keep) => { for (const day of days) await keep(day.head.source, day.head.day, day.head.networks.length, (day.columns.bytes as Float64Array).reduce((sum, one) => sum + one, 0) / GIGABYTE, day) } }
}
