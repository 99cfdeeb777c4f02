export type FlatJson = Record<string, string>

const TOKEN = /[ \t\n\r]*(?:([{}:,])|("(?:[^"\\]|\\.)*")|(-?(?:0|[1-9]\d*)(?:\.\d+)?(?:[eE][+-]?\d+)?|true|false|null))/y

/**
 * Reads a JSON object of scalars with unique keys, as FOCUS wants Tags; numbers and booleans become texts, null an
 * empty text. Returns null for anything else (nested values, keys given twice, other syntax): JSON.parse would let
 * keys given twice pass.
 */
export function parseFlatJson(text: string): FlatJson | null {
  // rows name the same tags again and again, and several rules look at them
  if (text !== last.text) last = { text, result: readPlain(text) ?? readTokens(text) }
  return last.result
}

let last: { text: string; result: FlatJson | null } = { text: '{}', result: Object.create(null) as FlatJson }

const PLAIN = /^\{(?:"[^"\\\p{Cc}]*" ?: ?"[^"\\\p{Cc}]*"(?:, ?(?=")|(?=\})))+\}$/u

/** The usual case, texts without escapes, by way of JSON.parse; null where it is another one. */
function readPlain(text: string): FlatJson | null {
  if (!PLAIN.test(text)) return null
  const result = Object.assign(Object.create(null) as FlatJson, JSON.parse(text) as FlatJson)
  // four quotation marks a pair: fewer pairs than that means a key given twice
  return text.split('"').length - 1 === Object.keys(result).length * 4 ? result : null
}

function readTokens(text: string): FlatJson | null {
  const tokens = tokenize(text)
  if (!tokens || tokens[0] !== '{' || tokens.at(-1) !== '}') return null
  const result: FlatJson = Object.create(null) as FlatJson
  if (tokens.length === 2) return result
  if (tokens.length % 4 !== 1) return null
  for (let at = 1; at < tokens.length; at += 4) {
    const [key, colon, value, end] = [tokens[at]!, tokens[at + 1], tokens[at + 2]!, tokens[at + 3]]
    const isLast = at + 4 === tokens.length
    if (!key.startsWith('"') || colon !== ':' || /^[{}:,]$/.test(value) || end !== (isLast ? '}' : ',')) return null
    const name = readString(key)
    const scalar = value.startsWith('"') ? readString(value) : value === 'null' ? '' : value
    if (name === null || scalar === null || Object.hasOwn(result, name)) return null
    result[name] = scalar
  }
  return result
}

function tokenize(text: string): string[] | null {
  const tokens: string[] = []
  const end = text.replace(/[ \t\n\r]+$/, '').length
  TOKEN.lastIndex = 0
  while (TOKEN.lastIndex < end) {
    const match = TOKEN.exec(text)
    if (!match) return null
    tokens.push((match[1] ?? match[2] ?? match[3])!)
  }
  return tokens
}

function readString(token: string): string | null {
  try {
    return JSON.parse(token) as string
  } catch {
    return null
  }
}
