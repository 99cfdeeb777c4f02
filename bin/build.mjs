import { build } from 'esbuild'
import { build as buildPage } from 'vite'
import { existsSync } from 'node:fs'
import { dirname, resolve } from 'node:path'
import { fileURLToPath } from 'node:url'
import { buildScanner } from './lib/scanner.mjs'

const root = resolve(dirname(fileURLToPath(import.meta.url)), '..')
const entries = ['server/main.ts', 'server/demoMain.ts', 'server/workers/intakeWorker.ts', 'server/workers/ledgerWorker.ts', 'bench/main.ts'].map((file) => resolve(root, file)).filter((file) => existsSync(file))

await buildScanner()
await build({
  entryPoints: Object.fromEntries(entries.map((file) => [file.split('/').at(-1).replace('.ts', '') === 'main' ? file.split('/').at(-2) : file.split('/').at(-1).replace('.ts', ''), file])),
  outdir: resolve(root, 'dist/server'), bundle: true, platform: 'node', format: 'esm', target: 'node20', packages: 'external', sourcemap: true, logLevel: 'warning',
})
if (!process.argv.includes('--server')) await buildPage({ root: resolve(root, 'web'), configFile: resolve(root, 'vite.config.ts'), logLevel: 'warn' })
