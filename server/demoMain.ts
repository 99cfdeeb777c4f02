import { demoCommand } from './demo.ts'

await demoCommand(process.argv.slice(2))
