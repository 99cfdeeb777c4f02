import { checkMeterHead, MeterReader } from '../../../core/kubernetes/meterReader.ts'
import { TICKS_AN_HOUR } from '../../../core/kubernetes/meterDay.ts'
import type { ReadProgress } from '../intake/fileBytes.ts'
import type { Findings } from '../intake/findings.ts'
import { readRowFile, type MeasuredFile } from '../intake/rowFile.ts'

/** Reads a whole metering file; its days are of use only where no row was refused. */
export async function readMetering(path: string, findings: Findings, progress: (progress: ReadProgress) => Promise<void>): Promise<MeasuredFile> {
  let reader: MeterReader | null = null
  const { problems, lines } = await readRowFile(path, progress, (names) => {
    const opened = (reader = new MeterReader(names, (line, found) => findings.note(line, found)))
    return { problems: checkMeterHead(names), read: (row) => opened.read(row) }
  })
  const days = problems.length > 0 ? [] : ((reader as MeterReader | null)?.finish() ?? [])
  return { problems, lines, write: async (keep) => { for (const day of days) await keep(day.head.cluster, day.head.day, day.head.nodes.length, (day.columns.ticks as Float64Array).reduce((sum, one) => sum + one, 0) / TICKS_AN_HOUR, day) } }
}
