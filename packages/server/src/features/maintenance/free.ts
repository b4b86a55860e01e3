import type { FreeQuery, FreeTimes } from '#contract'
import { day, freeSpans, type Millis, type Span } from '#core'
import { instantOf, localOf } from '#core/schedule'
import { firstRow, type Db } from '../../db'
import { requireClient, type Viewer } from '../access'
import { lanes } from './lanes'

const dayOf = (at: Millis, zone: string) => localOf(at, zone).slice(0, 10)
const clock = (hours: number) => `T${String(hours).padStart(2, '0')}:00:00`

/** Each day's hours of a zone that somebody has in mind; until before after: over midnight. */
function hoursOf({ from, until, after, before }: FreeQuery, zone: string): Span[] {
  const spans: Span[] = []
  for (let noon = Date.parse(`${dayOf(from - day, zone)}T12:00:00Z`); noon < until + day; noon += day) {
    const date = new Date(noon).toISOString().slice(0, 10)
    const next = new Date(noon + day).toISOString().slice(0, 10)
    const begins = instantOf(date + clock(after), zone)
    const ends = before === 24 || before <= after ? next : date
    spans.push({ from: begins, until: instantOf(ends + clock(before % 24), zone) })
  }
  return spans
    .map((span) => ({ from: Math.max(span.from, from), until: Math.min(span.until, until) }))
    .filter((span) => span.until > span.from)
}

/** When nothing is planned at a client, within the hours that somebody has in mind. */
export async function freeTimes(db: Db, viewer: Viewer, query: FreeQuery, now: Millis): Promise<FreeTimes> {
  requireClient(viewer, query.client, 'no-such-client')
  const { zone } = (await firstRow<{ zone: string }>(
    db,
    `select coalesce((select zone from site where client_id = $1 order by id limit 1), 'UTC') as zone`,
    [query.client],
  ))!
  // All of them: one that is left out would be taken for free.
  const planned = await lanes(db, viewer, query, now, 100_000)
  const busy = [...planned.shared, ...planned.lanes.flatMap((lane) => lane.spans)].map(({ from, until }) => ({
    from,
    until: until ?? Infinity,
  }))
  return { zone, spans: freeSpans(hoursOf({ ...query, from: Math.max(query.from, now) }, zone), busy, query.least) }
}
