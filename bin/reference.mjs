#!/usr/bin/env node
// npm run --silent reference -- FILE: runs a file of reference cases through the core, a line a case
import { spawnSync } from 'node:child_process'
import { join } from 'node:path'
import { needDependencies, ROOT } from './lib/project.mjs'
import { buildScanner } from './lib/scanner.mjs'

needDependencies()
await buildScanner()
const { build } = await import('esbuild')
const outfile = join(ROOT, 'dist/server/reference.js')
await build({ entryPoints: [join(ROOT, 'bin/reference/main.ts')], outfile, bundle: true, platform: 'node', format: 'esm', target: 'node20', packages: 'external', logLevel: 'error' })
process.exit(spawnSync(process.execPath, [outfile, ...process.argv.slice(2)], { stdio: 'inherit' }).status ?? 1)
