import { aTime } from '#contract'
import { ProblemError } from '../../http/problems'

type Part = 'number' | 'text' | 'id' | 'whole' | 'time'
type KeyOf<Parts extends readonly Part[]> = {
  -readonly [I in keyof Parts]: Parts[I] extends 'text'
    ? string
    : Parts[I] extends 'number'
      ? number | 'Infinity'
      : number
}

const fits: Record<Part, (value: unknown) => boolean> = {
  number: (value) => typeof value === 'number' || value === 'Infinity',
  // The database takes no text with a NUL in it.
  text: (value) => typeof value === 'string' && !value.includes('\0'),
  id: (value) => Number.isInteger(value) && Math.abs(value as number) < 2 ** 31,
  whole: (value) => Number.isSafeInteger(value),
  time: (value) => aTime.validate(value, { convert: false }).error === undefined && value !== undefined,
}

/** A place in a sorted list: the key of the last of the part before. */
export function cursorText(key: readonly (number | string)[]): string {
  return Buffer.from(JSON.stringify(key)).toString('base64url')
}

/** @throws ProblemError invalid */
export function readCursor<const Parts extends readonly Part[]>(text: string, parts: Parts): KeyOf<Parts> {
  try {
    const found = JSON.parse(Buffer.from(text, 'base64url').toString()) as unknown
    if (Array.isArray(found) && found.length === parts.length && parts.every((part, i) => fits[part](found[i])))
      return found as KeyOf<Parts>
  } catch {
    // Answered below.
  }
  throw new ProblemError('invalid', 'This is no place in the list. Begin again at its top, without “after”.', [
    { at: 'after', message: 'not from a page before' },
  ])
}

/**
 * A part of a sorted list of which one row more was read than it shows: what is shown, and where the next part begins.
 * @param page null: the database found none
 */
export function partOf<Row>(
  page: readonly Row[] | null,
  limit: number,
  keyOf: (last: Row) => readonly (number | string)[],
): { shown: Row[]; next: string | null } {
  const shown = (page ?? []).slice(0, limit)
  const last = shown.at(-1)
  return { shown, next: last && page!.length > shown.length ? cursorText(keyOf(last)) : null }
}
