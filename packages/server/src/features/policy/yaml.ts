import { LineCounter, parseDocument, stringify, isMap, isScalar, isSeq, type Document } from 'yaml'
import type { Path } from '#core'

export interface TextFault {
  line: number
  at: string
  message: string
}
/** Where in the text a way into the document ends, or as far as it goes. */
export type LineOf = (path: Path, rest?: string) => number

/**
 * Long texts stay on one line: a review shows what changed in them anyway, and wrapping would change lines that nobody
 * touched.
 */
export function writeYaml(document: unknown): string {
  return stringify(document, { lineWidth: 0, aliasDuplicateObjects: false, singleQuote: null })
}

function finder(document: Document, lines: LineCounter): LineOf {
  const lineAt = (offset: number | undefined) => (offset === undefined ? 1 : lines.linePos(offset).line)
  return (path, rest = '') => {
    let node: unknown = document.contents
    let line = 1
    /** @returns whether there was something by that name */
    const step = (name: string | number): boolean => {
      if (isSeq(node) && node.items[Number(name)] !== undefined) node = node.items[Number(name)]
      else if (isMap(node)) {
        const pair = node.items.find((pair) => isScalar(pair.key) && String(pair.key.value) === String(name))
        if (!pair) return false
        line = lineAt((pair.key as { range?: [number, number, number] | null }).range?.[0])
        node = pair.value
        return true
      } else return false
      line = lineAt((node as { range?: [number, number, number] | null }).range?.[0])
      return true
    }
    for (const name of path) if (!step(name)) return line
    // What is left is names put together with points, and names may have points themselves: the longest that fits is
    // the next.
    for (let left = rest; left;) {
      const names = isMap(node)
        ? node.items.map((pair) => (isScalar(pair.key) ? String(pair.key.value) : ''))
        : [left.split('.')[0]!]
      const next = names
        .filter((name) => name && (left === name || left.startsWith(`${name}.`)))
        .sort((a, b) => b.length - a.length)[0]
      if (next === undefined || !step(next)) return line
      left = left.slice(next.length + 1)
    }
    return line
  }
}

/** Reads YAML 1.2 text; what cannot be read is told with its line. Only plain data: no aliases, no tags. */
export function readYaml(text: string): { document: unknown; faults: TextFault[]; lineOf: LineOf } {
  const lines = new LineCounter()
  const parsed = parseDocument(text, { lineCounter: lines, maxAliasCount: 0 } as Parameters<typeof parseDocument>[1])
  const lineOf = finder(parsed, lines)
  const faults = [...parsed.errors, ...parsed.warnings].map((error) => ({
    line: error.linePos?.[0].line ?? 1,
    at: '',
    message: error.message.split('\n')[0]!.replace(/ at line \d+, column \d+:?$/, ''),
  }))
  if (faults.length) return { document: null, faults, lineOf }
  try {
    return { document: parsed.toJS({ maxAliasCount: 0 }), faults, lineOf }
  } catch (error) {
    return { document: null, faults: [{ line: 1, at: '', message: (error as Error).message }], lineOf }
  }
}
