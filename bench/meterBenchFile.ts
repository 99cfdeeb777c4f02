import { once } from 'node:events'
import { createWriteStream } from 'node:fs'
import { daysOf, type Month } from '../core/calendar/month.ts'
import { METER_HEAD } from '../demo/metering.ts'
import { noise } from '../demo/random.ts'
import { benchAttributes } from './benchFile.ts'

export const PODS_A_NODE = 12
const GIBIBYTE = 2 ** 30

/** Writes a month's metering of one cluster whose nodes are resources of the bench bill; answers the number of pod hours. */
export async function writeMeterFile(path: string, month: Month, podHours: number): Promise<number> {
  const days = daysOf(month)
  const nodes = Math.max(1, Math.round(podHours / (days.length * 24 * PODS_A_NODE)))
  const stream = createWriteStream(path, { highWaterMark: 1 << 20 })
  let piece = METER_HEAD
  for (const [index, day] of days.entries()) {
    for (let hour = 0; hour < 24; hour++) {
      const stamp = `${day}T${String(hour).padStart(2, '0')}:00:00Z`
      for (let node = 0; node < nodes; node++) {
        piece += `${stamp},bench,node,node-${node},${benchAttributes(node).ResourceId},,,,,,16,${64 * GIBIBYTE},,,,,,,60,\n`
        for (let pod = 0; pod < PODS_A_NODE; pod++) {
          const workload = (node * 5 + pod) % 400
          const use = Math.round(noise(11, node * PODS_A_NODE + pod, index * 24 + hour) * 1_500) / 1_000
          piece += `${stamp},bench,pod,node-${node},,space-${workload % 40},Deployment,work-${workload},work-${workload}-${node}-${pod},"{""team"":""team-${workload}""}",,,,1,${use},${3 * GIBIBYTE},${2 * GIBIBYTE},,60,\n`
        }
      }
      if (!stream.write(piece)) await once(stream, 'drain')
      piece = ''
    }
  }
  stream.end()
  await once(stream, 'finish')
  return nodes * PODS_A_NODE * days.length * 24
}
