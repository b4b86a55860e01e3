/** What JSON can spell and PostgreSQL cannot keep: the character NUL, and halves of surrogate pairs. */
const unkeepable = /\\u(?:0000|[dD][89abAB][0-9a-fA-F]{2})/

/**
 * A text that every part of the product can keep: halves of pairs become U+FFFD (Unicode 15, section 3.9), NUL goes.
 */
export function wellFormed(text: string): string {
  return (text as string & { toWellFormed(): string }).toWellFormed().replaceAll('\0', '')
}

function cleaned(value: unknown): unknown {
  if (typeof value === 'string') return wellFormed(value)
  if (Array.isArray(value)) return value.map(cleaned)
  if (value === null || typeof value !== 'object') return value
  return Object.fromEntries(Object.entries(value).map(([name, member]) => [wellFormed(name), cleaned(member)]))
}

/** Everything that comes in as JSON passes here once. @throws SyntaxError when it is none */
export function parseWellFormed(json: string): unknown {
  const value = JSON.parse(json) as unknown
  // A raw NUL is no JSON, and decoding leaves no half of a pair: only an escape can bring either.
  return unkeepable.test(json) ? cleaned(value) : value
}

/** The same for what stands in an address. */
export function cleanValues<T>(values: T): T {
  return cleaned(values) as T
}
