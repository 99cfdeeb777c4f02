import { existsSync, readFileSync, statSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { ROOT } from './project.mjs'

const SOURCE = join(ROOT, 'core/charges/assembly/rows.ts')
const TARGET = join(ROOT, 'core/charges/rowModule.generated.ts')

/** Compiles the row scanner to WebAssembly and writes it as a module that carries its bytes. Nothing to do where it is newer than its source. */
export async function buildScanner() {
  if (existsSync(TARGET) && statSync(TARGET).mtimeMs > statSync(SOURCE).mtimeMs) return
  const { default: asc } = await import('assemblyscript/asc')
  const { error, stderr, binary } = await asc.compileString({ 'rows.ts': readFileSync(SOURCE, 'utf8') }, { optimizeLevel: 3, shrinkLevel: 0, noAssert: true, runtime: 'stub', enable: ['simd'] })
  if (error) throw new Error(`the row scanner does not compile: ${error.message}\n${stderr.toString()}`)
  writeFileSync(TARGET, `/** Made by bin/lib/scanner.mjs from assembly/rows.ts. */\nexport const ROW_MODULE = '${Buffer.from(binary).toString('base64')}'\n`)
}
