import { readFileSync } from 'node:fs'
import { focusCases } from './focus.ts'
import { kubernetesCase } from './kubernetes.ts'
import { commonCostCase, rateCase } from './rates.ts'
import { roundingCase } from './rounding.ts'
import { supportCase } from './support.ts'

/** What became of a case; a form that the program does not know is neither passed nor failed. */
export interface Verdict { id: string; state: 'pass' | 'fail' | 'not known'; expected?: unknown; got?: unknown }
export interface ReferenceCase { id: string; kind?: string; input?: Record<string, unknown>; expected?: unknown }

type Runner = (one: ReferenceCase) => Verdict
const RUNNERS: Record<string, Runner> = { proportional_rounding: roundingCase, proportional_rounding_invalid: roundingCase, support_departments: supportCase, single_vs_dual_rate: rateCase, common_cost: commonCostCase }

const isKubernetes = ({ input }: ReferenceCase): boolean => input !== undefined && 'nodes' in input && 'pods' in input

function verdictsOf(document: Record<string, unknown>): Verdict[] {
  if ('valid_rows' in document || 'row_rules' in document) return focusCases(document)
  const cases = Array.isArray(document.cases) ? (document.cases as ReferenceCase[]) : null
  if (!cases) return [{ id: 'file', state: 'not known', got: `a document with ${Object.keys(document).join(', ')}` }]
  return cases.map((one) => {
    const run = RUNNERS[one.kind ?? ''] ?? (one.kind === undefined && isKubernetes(one) ? kubernetesCase : undefined)
    if (!run) return { id: one.id, state: 'not known', got: `kind ${one.kind ?? 'none'}` }
    try {
      return run(one)
    } catch (error) {
      return { id: one.id, state: 'fail', expected: one.expected, got: String(error) }
    }
  })
}

const [file] = process.argv.slice(2)
if (!file) {
  console.error('usage: npm run --silent reference -- FILE')
  process.exit(2)
}
const verdicts = verdictsOf(JSON.parse(readFileSync(file, 'utf8')) as Record<string, unknown>)
for (const { id, state, expected, got } of verdicts) {
  const told = state === 'pass' ? '' : `  expected ${JSON.stringify(expected) ?? '-'}  got ${JSON.stringify(got) ?? '-'}`
  console.log(`${id}  ${state}${told}`)
}
const count = (state: Verdict['state']): number => verdicts.filter((verdict) => verdict.state === state).length
console.log(`${count('pass')} passed, ${count('fail')} failed, ${count('not known')} of a form not known yet`)
process.exit(count('fail') > 0 ? 1 : 0)
