/** Which keys of a run a figure is the sum of: names that are missing do not restrict. Written into figure references as `name=value` parts. */
export interface KeyFilter {
  kind?: string
  /** cost centre or pool */
  target?: string
  provider?: string
  service?: string
  /** index of the rule in the version; -1: no rule */
  rule?: string
  key?: string
}

const NAMES = ['kind', 'target', 'provider', 'service', 'rule', 'key'] as const

export const writeFilter = (filter: KeyFilter): string[] => NAMES.flatMap((name) => (filter[name] === undefined ? [] : [`${name}=${filter[name]}`]))

/** Null where a part is no filter. */
export function readFilter(parts: readonly string[]): KeyFilter | null {
  const filter: KeyFilter = {}
  for (const part of parts) {
    const at = part.indexOf('=')
    const name = NAMES.find((candidate) => candidate === part.slice(0, at))
    if (!name) return null
    filter[name] = part.slice(at + 1)
  }
  return filter
}
