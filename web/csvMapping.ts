/**
 * A mapping from the first two columns of a CSV, separated by comma, semicolon or tab. A head such as `from,to` is
 * passed over. Lines that are no pair, and values that come twice with different targets, are named.
 */
export function readMapping(text: string): { mapping: Record<string, string>; problems: string[] } {
  const mapping: Record<string, string> = {}
  const problems: string[] = []
  text.replace(/^\uFEFF/, '').split(/\r?\n/).forEach((line, index) => {
    if (!line.trim() || (index === 0 && /^"?(from|value)"?[,;\t]/i.test(line))) return
    const cells = cellsOf(line)
    if (cells.length < 2 || !cells[0]) return void problems.push(`line ${index + 1} is no pair of values`)
    const [from, to] = cells as [string, string]
    if (Object.hasOwn(mapping, from) && mapping[from] !== to) return void problems.push(`line ${index + 1}: ${from} is mapped twice`)
    mapping[from] = to
  })
  return { mapping, problems }
}

function cellsOf(line: string): string[] {
  const cells: string[] = []
  for (const [, quoted, plain] of line.matchAll(/(?:^|[,;\t])(?:"((?:[^"]|"")*)"|([^,;\t]*))/g)) cells.push((quoted?.replaceAll('""', '"') ?? plain ?? '').trim())
  return cells
}
