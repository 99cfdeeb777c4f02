import { createHash } from 'node:crypto'
import { existsSync, mkdirSync, readFileSync, readdirSync, statSync, writeFileSync } from 'node:fs'
import { spawnSync } from 'node:child_process'
import { dirname, join, resolve } from 'node:path'
import { fileURLToPath } from 'node:url'
import { say, stop } from './say.mjs'

export const ROOT = resolve(dirname(fileURLToPath(import.meta.url)), '../..')
export const DATA = resolve(process.env.ABACUS_DATA ?? join(ROOT, 'data'))

const hashOf = (text) => createHash('sha256').update(text).digest('hex')

/** npm dependencies from the lock file, once per lock file. */
export function needDependencies() {
  const [major, minor] = process.versions.node.split('.').map(Number)
  if (major < 20 || (major === 20 && minor < 19)) stop(`Node ${process.versions.node} is too old: Node 20.19 or newer is needed.`)
  const mark = join(ROOT, 'node_modules', '.abacus-lock')
  const wanted = hashOf(readFileSync(join(ROOT, 'package-lock.json')))
  if (existsSync(mark) && readFileSync(mark, 'utf8') === wanted) return
  say('installing the npm dependencies from the lock file (a minute or two)')
  const done = spawnSync('npm', ['ci', '--no-audit', '--no-fund', '--loglevel=error'], { cwd: ROOT, stdio: 'inherit' })
  if (done.status !== 0) stop('npm ci failed; its own message is above. Check that the npm registry can be reached, then start again.')
  writeFileSync(mark, wanted)
}

function* filesBelow(folder) {
  for (const entry of readdirSync(folder, { withFileTypes: true })) {
    const path = join(folder, entry.name)
    if (entry.isDirectory()) yield* filesBelow(path)
    else yield path
  }
}

function sourceMark() {
  const files = ['core', 'server', 'web', 'demo', 'bench'].filter((name) => existsSync(join(ROOT, name))).flatMap((name) => [...filesBelow(join(ROOT, name))])
  const stamps = [...files, 'vite.config.ts', 'package-lock.json', 'bin/build.mjs'].map((file) => `${file} ${statSync(resolve(ROOT, file)).mtimeMs}`)
  return hashOf(stamps.sort().join('\n'))
}

/** Builds server and page, unless nothing changed since the last build. */
export function needBuild() {
  const mark = join(ROOT, 'dist', '.mark')
  const wanted = sourceMark()
  if (existsSync(mark) && readFileSync(mark, 'utf8') === wanted) return
  say('building')
  const done = spawnSync(process.execPath, ['bin/build.mjs'], { cwd: ROOT, stdio: 'inherit' })
  if (done.status !== 0) stop('The build failed; its message is above.')
  mkdirSync(join(ROOT, 'dist'), { recursive: true })
  writeFileSync(mark, wanted)
}
