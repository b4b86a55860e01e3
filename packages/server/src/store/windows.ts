import {
  hour,
  reaches,
  type ClientId,
  type DeviceTraits,
  type MaintenanceWindow,
  type Millis,
  type Target,
  type WindowSubject,
} from '#core'
import { nextOccurrences, occurrencesBetween, type Occurrence, type Schedule } from '#core/schedule'
import { oldestKept, rows, time, type Db } from '../db'

/** A window as it is in force, of its newest revision. */
export interface WindowRow {
  id: number
  revision: number
  name: string
  reason: string
  ticket: string
  owner_id: number | null
  client_id: ClientId | null
  target: Target
  subject: WindowSubject
  zone: string
  starts: string
  length_ms: number | null
  rule: string | null
  more: Millis[]
  left_out: Millis[]
  changed: Occurrence[]
  review_at: Millis | null
  ended_at: Millis | null
  created_at: Millis
  uid: string | null
}

export function scheduleOf(row: WindowRow): Schedule {
  return {
    starts: row.starts,
    zone: row.zone,
    rule: row.rule,
    more: row.more,
    except: row.left_out,
    length: row.length_ms,
    changed: row.changed,
  }
}

type Covering = Pick<WindowRow, 'id' | 'name' | 'client_id' | 'target' | 'subject'> & {
  occurrence_id: number
  from_at: Millis
  until_at: Millis | null
  ended_at: Millis | null
}

export function windowOf(row: Covering): MaintenanceWindow {
  return {
    id: row.id,
    occurrence: row.occurrence_id,
    name: row.name,
    clientId: row.client_id,
    target: row.target,
    subject: row.subject,
    from: row.from_at,
    until: row.until_at,
    endedAt: row.ended_at,
  }
}

/** Devices are told of what is to come this long before: a copy of a device that was read earlier is outdated then. */
export const knownAhead: Millis = hour / 2

/** The end that counts, of an occurrence `o`; an index has it. */
export const occurrenceEnd = `coalesce(least(o.until_at, o.ended_at), 'infinity'::timestamptz)`

/** The newest revision of the window of an occurrence `o`, by the primary key. */
export const windowOfOccurrence = `
  cross join lateral (select * from window_revision r where r.id = o.window_id order by r.revision desc limit 1) w`

/**
 * Times of windows that are not over at `since`, and begin soon or have begun; older ones than reports are taken of
 * cover nothing any more. null: of all of those.
 * `window_occurrence_ended` serves it: of those to come, some thousands at most are passed over.
 */
export async function windowsSince(db: Db, since: Millis | null): Promise<MaintenanceWindow[]> {
  const found = await rows<Covering>(
    db,
    `
    select w.id, w.name, w.client_id, w.target, w.subject, o.id as occurrence_id, o.from_at, o.until_at, o.ended_at
    from window_occurrence o ${windowOfOccurrence}
    where o.from_at <= now() + make_interval(secs => $2) and ${occurrenceEnd} >= $1
    order by w.id, o.id`,
    [time(Math.max(since ?? 0, Date.now() - oldestKept)), (2 * knownAhead) / 1000],
  )
  return found.map(windowOf)
}

/** Windows in force at a time that reach the device as it was; each by the revision that it began by. */
export async function windowsReaching(db: Db, device: DeviceTraits, at: Millis): Promise<MaintenanceWindow[]> {
  const found = await rows<Covering>(
    db,
    `
    select w.id, w.name, w.client_id, w.target, w.subject, o.id as occurrence_id, o.from_at, o.until_at, o.ended_at
    from window_occurrence o
    cross join lateral (select * from window_revision r
      where r.id = o.window_id and (o.revision is null or r.revision <= o.revision)
      order by r.revision desc limit 1) w
    where o.from_at <= $1 and ${occurrenceEnd} > $1`,
    [time(at)],
  )
  return found.map(windowOf).filter((window) => reaches(window, device))
}

/** How far ahead the occurrences of a window are written down, and how many at most. */
const horizon: Millis = 60 * 24 * hour
const mostAhead = 1500
/** However far away they are, so that one can always see when it comes next. */
const leastAhead = 2

/**
 * Writes down what of a window is to come and is not there yet: what begins at `from` or later, to the horizon. Those
 * that are there stay as they are.
 * @returns when the earliest of those that were added begins; null: none
 */
export async function writeOccurrences(tx: Db, row: WindowRow, from: Millis, now: Millis): Promise<Millis | null> {
  const schedule = scheduleOf(row)
  // However far away it begins, the first sixty days of it are there to be seen and changed.
  const first = nextOccurrences(schedule, from, 1)[0]?.from ?? from
  const end = Math.max(now, first) + horizon
  const within = occurrencesBetween(schedule, from, end, mostAhead)
  const ahead = within.length < leastAhead ? nextOccurrences(schedule, from, leastAhead) : within
  const isAll = schedule.rule === null || ahead.length < leastAhead
  if (ahead.length)
    await tx.query(
      `
      insert into window_occurrence (window_id, start, from_at, until_at, known)
      select $1, s, f, u, f <= $5 from unnest($2::timestamptz[], $3::timestamptz[], $4::timestamptz[]) o (s, f, u)
      on conflict (window_id, start) do nothing`,
      [
        row.id,
        ahead.map((occurrence) => time(occurrence.start)),
        ahead.map((occurrence) => time(occurrence.from)),
        ahead.map((occurrence) => time(occurrence.until)),
        time(now + knownAhead),
      ],
    )
  const until = within.length === mostAhead ? within.at(-1)!.from : end
  await tx.query(
    `insert into window_horizon (window_id, until_at) values ($1, $2)
     on conflict (window_id) do update set until_at = excluded.until_at`,
    [row.id, time(isAll ? null : until)],
  )
  return ahead[0]?.from ?? null
}
