import { mkdir, rm, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { benchRows } from './rows.ts'

/** `npm run bench -- [--charges N] [--keys N] [--pod-hours N] [--only ROW] [--json FILE]`: every row is timed beside its anchor in the same run. */
export interface BenchResult { row: string; charges: number; seconds: number; anchorSeconds: number | null; ratio: number | null; goal: string; holds: boolean }

const option = (name: string): string | undefined => { const at = process.argv.indexOf(`--${name}`); return at < 0 ? undefined : process.argv[at + 1] }

async function main(): Promise<void> {
  const charges = Number(option('charges') ?? 1_000_000)
  const keys = Number(option('keys') ?? 40_000)
  const podHours = Number(option('pod-hours') ?? 5_000_000)
  const only = option('only')?.split(',') ?? null
  const folder = join(process.env.ABACUS_DATA ?? 'data', 'bench')
  await rm(folder, { recursive: true, force: true })
  await mkdir(folder, { recursive: true })
  const results: BenchResult[] = []
  for await (const result of benchRows({ url: process.env.ABACUS_DATABASE_URL!, charges, keys, podHours, folder, only })) {
    results.push(result)
    const ratio = result.ratio === null ? '' : `${result.ratio.toFixed(2)} x`
    console.log(`${result.row.padEnd(10)} ${String(result.charges).padStart(9)}  ${result.seconds.toFixed(3).padStart(9)} s  anchor ${(result.anchorSeconds?.toFixed(3) ?? '-').padStart(9)} s  ${ratio.padStart(9)}  ${result.holds ? 'holds' : 'MISSED'}: ${result.goal}`)
  }
  const file = option('json')
  if (file) await writeFile(file, JSON.stringify(results, null, 1))
  await rm(folder, { recursive: true, force: true })
}

await main()
process.exit(0)
