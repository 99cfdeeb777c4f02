import { existsSync, readFileSync } from 'node:fs'
import { dirname, join } from 'node:path'
import { fileURLToPath } from 'node:url'

/** The folder of the project, from the sources as from the build. */
export function projectRoot(): string {
  let folder = dirname(fileURLToPath(import.meta.url))
  for (;;) {
    const manifest = join(folder, 'package.json')
    if (existsSync(manifest) && (JSON.parse(readFileSync(manifest, 'utf8')) as { name?: string }).name === 'candid-abacus') return folder
    const parent = dirname(folder)
    if (parent === folder) throw new Error('the project folder was not found')
    folder = parent
  }
}

export const workerFile = (name: string): string => join(projectRoot(), 'dist', 'server', `${name}.js`)
