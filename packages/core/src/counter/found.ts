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

/** Why what was read says nothing. */
export type FindTrouble = 'not-json' | 'too-many'
export class FindTroubleError extends Error {
  constructor(readonly trouble: FindTrouble) {
    super(trouble)
  }
}

/** What a program gave, looked through for one counter after the other; what several ask for is read once. */
export class Given {
  #json: { value: unknown } | null = null
  #samples: readonly Sample[] | null = null
  #lines: readonly string[] | null = null

  constructor(private readonly text: string) {}

  /**
   * The numbers of a counter; none: there is nothing of the kind now; null: it does not stand where it should.
   * @throws FindTroubleError
   */
  find({ find }: Pick<Counter, 'find'>): Found[] | null {
    const found = this.#all(find)
    if (found.length > mostParts) throw new FindTroubleError('too-many')
    return found.length || (find.in === 'json' && this.#mayBeNone(find.pointer)) ? found : null
  }

  /** Of several it says that there are none by a list without elements. */
  #mayBeNone(pointer: readonly string[]): boolean {
    const star = pointer.indexOf('*')
    return star >= 0 && valueAt(this.#document(), pointer.slice(0, star)) !== null
  }

  #all(find: Find): Found[] {
    switch (find.in) {
      case 'text':
        return one(numberAfter(this.text, find.after, find.nth))
      case 'lines':
        this.#lines ??= this.text.split(/\r?\n/)
        return one(this.#lines.filter((line) => matchesPattern(`*${find.words}*`, line)).length)
      case 'json': {
        const found = below(this.#document(), find.pointer, [])
        return find.all ? summed(found) : found
      }
      case 'samples': {
        this.#samples ??= samplesOf(this.text)
        const found = this.#samples
          .filter(
            ({ name, labels }) => name === find.name && find.labels.every(([key, value]) => labels.get(key) === value),
          )
          .map(({ labels, value }) => ({ part: restOf(labels, find.labels), value }))
        return find.all ? summed(found) : found
      }
    }
  }

  #document(): unknown {
    if (!this.#json)
      try {
        this.#json = { value: JSON.parse(this.text) as unknown }
      } catch {
        throw new FindTroubleError('not-json')
      }
    return this.#json.value
  }
}

const one = (value: number | null): Found[] => (value === null ? [] : [{ part: '', value }])
/** Of what is not all told there is no sum. */
const summed = (found: readonly Found[]): Found[] => {
  const isWhole = found.every(({ value }) => value !== null)
  return found.length ? [{ part: '', value: isWhole ? found.reduce((sum, { value }) => sum + value!, 0) : null }] : []
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
function below(value: unknown, pointer: readonly string[], parts: readonly string[]): Found[] {
  const [first, ...rest] = pointer
  const nothing = parts.length ? [{ part: parts.join(' '), value: null }] : []
  if (first === undefined) {
    const number = numberOf(value)
    return number === null ? nothing : [{ part: parts.join(' '), value: number }]
  }
  if (typeof value !== 'object' || value === null) return []
  if (first === '*')
    return Object.entries(value).flatMap(([key, each]) => below(each, rest, [...parts, nameOf(value, key, each)]))
  if (Array.isArray(value)) return /^(?:0|[1-9]\d*)$/.test(first) ? below(value[Number(first)], rest, parts) : []
  return Object.hasOwn(value, first) ? below((value as Record<string, unknown>)[first], rest, parts) : nothing
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

interface Sample {
  name: string
  labels: ReadonlyMap<string, string>
  value: number
}
const sampleForm = /^([a-zA-Z_:][a-zA-Z0-9_:]*)\s*(?:\{((?:[^"}]|"(?:[^"\\]|\\.)*")*)\})?\s+(\S+)/
const labelsForm = /([a-zA-Z_][a-zA-Z0-9_]*)\s*=\s*"((?:[^"\\]|\\.)*)"/g

/** The samples of a text of OpenMetrics 1.0 (section 3.1, metric-family); lines that are none are left out. */
export function samplesOf(text: string): Sample[] {
  return text.split('\n').flatMap((line) => {
    const match = line.startsWith('#') ? null : sampleForm.exec(line)
    const value = match ? numberOf(match[3]) : null
    if (!match || value === null) return []
    const labels = new Map([...(match[2] ?? '').matchAll(labelsForm)].map(([, key, word]) => [key!, unescaped(word!)]))
    return [{ name: match[1]!, labels, value }]
  })
}

const restOf = (labels: ReadonlyMap<string, string>, asked: Extract<Find, { in: 'samples' }>['labels']) =>
  [...labels]
    .filter(([name]) => !asked.some(([known]) => known === name))
    .map(([, value]) => value)
    .join(' ')
