import { logLevelCode } from '#core'
import type { LogQuery } from '#contract'
import { rows, type Db } from '../../db'

/** A pattern with * and ? as that of SQL’s *like*. */
const like = (pattern: string) =>
  pattern
    .replace(/[\\%_]/g, '\\$&')
    .replaceAll('*', '%')
    .replaceAll('?', '_')

/** The same for the text of a shape, where runs of digits are a #: what it finds holds all that is meant, and more. */
export function shapeLike(text: string): string {
  const loose = text.replace(/[0-9?*]+/g, (run) => (/[?*]/.test(run) ? '*' : '#'))
  return like(`*${loose}*`)
}

/** Whether the shape’s text alone cannot tell. */
const needsText = (text: string) => /[0-9?#]/.test(text)

/** What is asked of entries, as parameters of statements. */
export interface Wanted {
  channel: string | null
  source: string | null
  id: number | null
  level: number | null
  shapeText: string | null
  /** Of the entry’s own text, where its shape cannot tell; null: it need not be looked at. */
  text: string | null
  /** Of the entry’s numbers alone (log_numbers), where some stand in what is asked; null: none to find it by. */
  numbers: string | null
}

/** Two figures and less stand in too many. The index of trigrams finds longer ones. */
const worthFinding = /[0-9]{3}|[0-9] [0-9]+ [0-9]/

/** The numbers of the longest part without a wildcard, as log_numbers has them. */
function numbersLike(text: string): string | null {
  const parts = text.split(/[*?]/).map((part) => part.replace(/[^0-9]+/g, ' ').trim())
  const longest = parts.reduce((most, part) => (part.length > most.length ? part : most), '')
  return worthFinding.test(longest) ? `%${longest}%` : null
}

export function wantedBy(query: LogQuery): Wanted {
  return {
    channel: query.channel ? like(query.channel) : null,
    source: query.source ? like(query.source) : null,
    id: query.id ?? null,
    level: query.level && query.level !== 'debug' ? logLevelCode(query.level) : null,
    shapeText: query.text ? shapeLike(query.text) : null,
    text: query.text && needsText(query.text) ? like(`*${query.text}*`) : null,
    numbers: query.text ? numbersLike(query.text) : null,
  }
}

/** With more shapes than this, entries are looked at one by one: they are not rare then. */
const mostShapes = 50_000

const isAsked = ({ channel, source, id, level, shapeText }: Wanted) =>
  channel !== null || source !== null || id !== null || level !== null || shapeText !== null

/**
 * The shapes of entries that may be meant. Words are found by the index of trigrams (log_shape_text), all else by
 * reading the shapes, of which there are few.
 * @returns null: nothing is asked, or more than can be named
 */
export async function shapesOf(db: Db, wanted: Wanted): Promise<string[] | null> {
  if (!isAsked(wanted)) return null
  const found = await rows<{ id: string }>(
    db,
    `select id::text from log_shape
     where ($1::text is null or channel ilike $1) and ($2::text is null or source ilike $2)
       and ($3::bigint is null or event_id = $3) and ($4::int is null or level <= $4)
       and ($5::text is null or text ilike $5)
     limit ${mostShapes + 1}`,
    [wanted.channel, wanted.source, wanted.id, wanted.level, wanted.shapeText],
  )
  return found.length > mostShapes ? null : found.map((row) => row.id)
}
