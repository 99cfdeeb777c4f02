import { Answers } from '../../demo/answers.ts'
import { allResources, demoFile } from '../../demo/generator.ts'

const resources = allResources()

/** The text of a demo file and what the generator knows of it. */
export function demoBill(provider: string, month: string, answers = new Answers()): string {
  return [...demoFile(provider, month, resources, (charge) => answers.note(provider, month, charge))].join('')
}

/** Changes one cell of a CSV without quoted commas before it, by line (the head is 1) and column name. */
export function changeCell(csv: string, line: number, column: string, value: string): string {
  const lines = csv.split('\n')
  const at = lines[0]!.split(',').indexOf(column)
  const cells = lines[line - 1]!.split(',')
  cells[at] = value
  lines[line - 1] = cells.join(',')
  return lines.join('\n')
}

export const firstLines = (csv: string, count: number): string => csv.split('\n').slice(0, count + 1).join('\n') + '\n'
