import { logLevelCode } from '#core'
import { time, type Db } from '../../db'
import { countEntries } from '../../store/logHours'
import type { CheckedReport } from './checkBatch'

/**
 * Shapes in the order of their numbers, so that two reports never wait for each other; one that is known is written
 * again only after a week, to say that it still comes.
 */
const insert = `
  with told as materialized (
    select e.*, log_shape_text(e.text) as shape_text
    from unnest($2::timestamptz[], $3::bigint[], $4::int[], $5::text[], $6::text[], $7::bigint[], $8::smallint[],
      $9::text[], $10::jsonb[]) e (at, seq, n, channel, source, event_id, level, text, fields)
  ), shaped as materialized (
    select *, log_shape_id(channel, source, event_id, level, shape_text) as shape from told
  ), kept as (
    insert into log_shape (id, channel, source, event_id, level, text, seen_on)
    select distinct on (shape) shape, channel, source, event_id, level, shape_text, current_date
    from shaped order by shape
    on conflict (id) do update set seen_on = excluded.seen_on where log_shape.seen_on < excluded.seen_on - 7
  )
  insert into log_event (device_id, at, seq, n, channel, source, event_id, level, text, shape, fields)
  select $1, at, seq, n, channel, source, event_id, level, text, shape, fields from shaped`

/** Stores the log entries of some reports, in the transaction of those. */
export async function writeEvents(tx: Db, deviceId: number, reports: readonly CheckedReport[]): Promise<void> {
  const events = reports.flatMap((report) => report.events.map((event, n) => ({ ...event, seq: report.seq, n })))
  if (!events.length) return
  const at = events.map((event) => time(event.at))
  const levels = events.map((event) => logLevelCode(event.level))
  await countEntries(tx, deviceId, at, levels)
  await tx.query(insert, [
    deviceId,
    at,
    events.map((event) => event.seq),
    events.map((event) => event.n),
    events.map((event) => event.channel),
    events.map((event) => event.source),
    events.map((event) => event.id),
    levels,
    events.map((event) => event.text),
    events.map((event) => (event.fields ? JSON.stringify(event.fields) : null)),
  ])
}
