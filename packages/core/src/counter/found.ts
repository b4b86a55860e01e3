import { matchesPattern } from '../text'
import { unescaped, type Counter, type Find } from './counter'

/** A number, and what of several it is of; empty: there is only one. */
export interface Found {
  part: string
  /** Null: what it is of is there, and tells no number. */
  value: number | null
}

/** A counter of so many parts is none that anybody looks at. */
export const mostParts = 50

/** So many values a document in JSON has at most: whoever reads it may have little memory. */
const mostValues = 50_000

/** Why what was read says nothing. */
export type FindTrouble = 'not-json' | 'too-many' | 'large'
export class FindTroubleError extends Error {
  constructor(readonly trouble: FindTrouble) {
    super(trouble)
  }
}

/** What a program gave, looked through for one counter after the other; what several ask for is read once. */
export class Given {
  #json: { value: unknown } | null = null

  constructor(private readonly text: string) {}

  /**
   * The numbers of a counter; none: there is nothing of the kind now; null: it does not stand where it should.
   * @throws FindTroubleError
   */
  find({ find }: Pick<Counter, 'find'>): Found[] | null {
    const all = this.#all(find)
    const found = 'all' in find && find.all ? summed(all) : few(all)
    return found.length || (find.in === 'json' && this.#mayBeNone(find.pointer)) ? found : null
  }

  /** Of several it says that there are none by a list without elements. */
  #mayBeNone(pointer: readonly string[]): boolean {
    const star = pointer.indexOf('*')
    return star >= 0 && valueAt(this.#document(), pointer.slice(0, star)) !== null
  }

  #all(find: Find): Iterable<Found> {
    switch (find.in) {
      case 'text':
        return one(numberAfter(this.text, find.after, find.nth))
      case 'lines':
        return one(count(linesOf(this.text), (line) => matchesPattern(`*${find.words}*`, line)))
      case 'json':
        return below(this.#document(), find.pointer, [])
      case 'samples':
        return samplesFound(this.text, find)
    }
  }

  #document(): unknown {
    if (!this.#json) {
      if (hasManyValues(this.text)) throw new FindTroubleError('large')
      try {
        this.#json = { value: JSON.parse(this.text) as unknown }
      } catch {
        throw new FindTroubleError('not-json')
      }
    }
    return this.#json.value
  }
}

const one = (value: number | null): Found[] => (value === null ? [] : [{ part: '', value }])
/** What stands in a string is counted along: a document of that many commas is none of counters. */
function hasManyValues(json: string): boolean {
  let values = 0
  for (const letter of json)
    if ((letter === ',' || letter === '[' || letter === '{') && ++values > mostValues) return true
  return false
}

/** @throws FindTroubleError as soon as there are too many */
function few(all: Iterable<Found>): Found[] {
  const found: Found[] = []
  for (const each of all) if (found.push(each) > mostParts) throw new FindTroubleError('too-many')
  return found
}
/** Of what is not all told there is no sum. */
function summed(all: Iterable<Found>): Found[] {
  let sum: number | null | undefined
  for (const { value } of all) sum = sum === null || value === null ? null : (sum ?? 0) + value
  return sum === undefined ? [] : [{ part: '', value: sum }]
}
function count<T>(all: Iterable<T>, isOne: (each: T) => boolean): number {
  let counted = 0
  for (const each of all) if (isOne(each)) counted++
  return counted
}
/** The lines of a text one after the other, without what ends them. */
function* linesOf(text: string): Generator<string> {
  for (let from = 0; from <= text.length;) {
    const end = text.indexOf('\n', from)
    const until = end < 0 ? text.length : end
    yield text.slice(from, text[until - 1] === '\r' && until > from ? until - 1 : until)
    from = until + 1
  }
}

const isWordLetter = /[\p{L}\p{N}_]/u
const numberForm = /[-+]?(?:\d+\.?\d*|\.\d+)(?:e[-+]?\d+)?/giu
/** What may stand between the words and the first number, in characters; a number far below is of something else. */
const reachAfter = 400
/** Words that stand in so many places are none to look behind. */
const mostTries = 1000

/**
 * The nth number behind some words, wherever they stand alone: `Total` is no part of `Totals`.
 * @example numberAfter('Reading: 0 Writing: 3 Waiting: 1', 'Writing:', 1) // 3
 */
export function numberAfter(text: string, words: string, nth: number): number | null {
  let tries = 0
  for (let at = text.indexOf(words); at >= 0 && tries++ < mostTries; at = text.indexOf(words, at + 1)) {
    const end = at + words.length
    const isAlone = (outside: string | undefined, inside: string) =>
      outside === undefined || !isWordLetter.test(outside) || !isWordLetter.test(inside)
    if (!isAlone(text[at - 1], words[0]!) || !isAlone(text[end], words.at(-1)!)) continue
    // A number that is part of a word, such as md5 or ipv4, is none.
    const numbers = [...text.slice(end, end + reachAfter).matchAll(numberForm)].filter(
      (match) => !isWordLetter.test(text[end + match.index - 1] ?? ' ') && match[0].length + match.index < reachAfter,
    )
    const found = numbers[nth - 1]
    if (found) return Number(found[0])
  }
  return null
}

/** A number as JSON has it, or as a text, which many programs write; yes and no count as 1 and 0. */
function numberOf(value: unknown): number | null {
  if (typeof value === 'boolean') return value ? 1 : 0
  if (typeof value === 'number') return Number.isFinite(value) ? value : null
  if (typeof value !== 'string' || !/^\s*[-+]?(?:\d+\.?\d*|\.\d+)(?:e[-+]?\d+)?\s*$/i.test(value)) return null
  return Number(value)
}

/**
 * Each number that a pointer leads to (RFC 6901, section 4), with what its `*` stood for. Of several, one that tells no
 * number is there all the same.
 */
function* below(value: unknown, pointer: readonly string[], parts: readonly string[]): Generator<Found> {
  const [first, ...rest] = pointer
  const nothing = parts.length ? [{ part: parts.join(' '), value: null }] : []
  if (first === undefined) {
    const number = numberOf(value)
    if (number === null) yield* nothing
    else yield { part: parts.join(' '), value: number }
    return
  }
  if (typeof value !== 'object' || value === null) return
  const object = value as Record<string, unknown>
  if (first === '*')
    for (const key of Object.keys(object)) yield* below(object[key], rest, [...parts, nameOf(value, key, object[key])])
  else if (Array.isArray(value)) {
    if (/^(?:0|[1-9]\d*)$/.test(first)) yield* below(value[Number(first)], rest, parts)
  } else if (Object.hasOwn(value, first)) yield* below(object[first], rest, parts)
  else yield* nothing
}

/** What several stand in: null: that is not there. */
function valueAt(value: unknown, pointer: readonly string[]): object | null {
  if (typeof value !== 'object' || value === null) return null
  const [first, ...rest] = pointer
  if (first === undefined) return value
  return Object.hasOwn(value, first) ? valueAt((value as Record<string, unknown>)[first], rest) : null
}

/** What an element of a list is called: by its own name, where it has one. */
function nameOf(list: object, key: string, element: unknown): string {
  if (!Array.isArray(list)) return key
  const { name, id } = (typeof element === 'object' && element !== null ? element : {}) as {
    name?: unknown
    id?: unknown
  }
  const own = [name, id].find((word) => typeof word === 'string' || typeof word === 'number')
  return own === undefined ? String(Number(key) + 1) : String(own)
}

const sampleForm = /^([a-zA-Z_:][a-zA-Z0-9_:]*)\s*(?:\{((?:[^"}]|"(?:[^"\\]|\\.)*")*)\})?\s+(\S+)/
const labelsForm = /([a-zA-Z_][a-zA-Z0-9_]*)\s*=\s*"((?:[^"\\]|\\.)*)"/g

/**
 * The samples that are asked for in a text of OpenMetrics 1.0 (section 3.1, metric-family); lines that are none are
 * left out.
 */
function* samplesFound(text: string, asked: Extract<Find, { in: 'samples' }>): Generator<Found> {
  for (const line of linesOf(text)) {
    const match = line.startsWith(asked.name) ? sampleForm.exec(line) : null
    const value = match?.[1] === asked.name ? numberOf(match[3]) : null
    if (!match || value === null) continue
    const labels = new Map([...(match[2] ?? '').matchAll(labelsForm)].map(([, key, word]) => [key!, unescaped(word!)]))
    if (asked.labels.every(([key, word]) => labels.get(key) === word))
      yield { part: restOf(labels, asked.labels), value }
  }
}

const restOf = (labels: ReadonlyMap<string, string>, asked: Extract<Find, { in: 'samples' }>['labels']) =>
  [...labels]
    .filter(([name]) => !asked.some(([known]) => known === name))
    .map(([, value]) => value)
    .join(' ')
