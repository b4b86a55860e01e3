import { matcher, windowEnd, type DeviceId, type Millis, type Target } from '#core'
import { firstRow, inTransaction, rows, time, type Db, type Pool } from '../db'
import { announce } from '../live'
import { allTraits } from '../store/traits'
import {
  knownAhead,
  occurrenceEnd,
  windowOf,
  windowOfOccurrence,
  writeOccurrences,
  type WindowRow,
} from '../store/windows'
import { eachAlone } from './alone'
import { bumpVersions, reevaluateAll } from './reevaluate'

type Due = Parameters<typeof windowOf>[0] & { revision: number; known: boolean; begun: boolean }

/** Times of windows that are to be told, begun or ended by now and were not, in the order in which that was due. */
function dueOccurrences(db: Db, now: Millis, id: number | null = null): Promise<Due[]> {
  // `window_occurrence_due` serves it: of those that are not over, the ones that begin soon.
  return rows<Due>(
    db,
    `
    select w.id, w.revision, w.name, w.client_id, w.target, w.subject, o.id as occurrence_id, o.from_at, o.until_at,
      o.ended_at, o.known, o.begun
    from window_occurrence o ${windowOfOccurrence}
    where not o.over and o.from_at <= $1::timestamptz + make_interval(secs => $3)
      and ((not o.known) or (not o.begun and o.from_at <= $1) or ${occurrenceEnd} <= $1)
      and ($2::int is null or o.id = $2)
    order by case when o.begun then ${occurrenceEnd} else o.from_at end, o.id limit 50`,
    [time(now), id, knownAhead / 1000],
  )
}

/** Devices that a target names now. */
export async function devicesOf(tx: Db, target: Target): Promise<DeviceId[]> {
  return (await allTraits(tx, [target])).filter(matcher(target)).map((device) => device.id)
}

/** Tells, begins or ends one time of a window, unless another process has just done so. */
async function advanceOccurrence(tx: Db, id: number, now: Millis): Promise<boolean> {
  if (!(await firstRow(tx, 'select from window_occurrence where id = $1 for update skip locked', [id]))) return false
  // As it is now: it may have been ended, extended or carried out a moment ago.
  const [row] = await dueOccurrences(tx, now, id)
  if (!row) return false
  const end = windowEnd(windowOf(row))
  const over = end !== null && end <= now
  const begun = row.from_at <= now
  const touched = await devicesOf(tx, row.target)
  if (begun || over) await reevaluateAll(tx, new Map(touched.map((device) => [device, null])), over ? end : now)
  else await bumpVersions(tx, touched)
  await tx.query(
    `update window_occurrence set known = true, begun = $2, over = $3,
       revision = case when $2 then coalesce(revision, $4) end
     where id = $1`,
    [id, begun, over, row.revision],
  )
  if (begun || over)
    announce(tx, { topic: 'windows', clientIds: row.client_id === null ? null : [row.client_id], deviceIds: [] })
  return true
}

/** Writes down what of windows that repeat comes into sight, each by itself, long before it is due. */
export async function extendHorizons(pool: Pool, now: Millis): Promise<void> {
  const due = await rows<{ id: number }>(
    pool,
    `select window_id as id from window_horizon where until_at < $1::timestamptz + interval '59 days'
     order by until_at limit 100`,
    [time(now)],
  )
  await eachAlone(due, ({ id }) =>
    inTransaction(pool, async (tx) => {
      const horizon = await firstRow<{ until_at: Millis | null }>(
        tx,
        'select until_at from window_horizon where window_id = $1 for update skip locked',
        [id],
      )
      const window = await firstRow<WindowRow>(tx, 'select * from maintenance_window where id = $1', [id])
      if (!horizon || horizon.until_at === null || !window) return
      await writeOccurrences(tx, window, horizon.until_at, now)
    }),
  )
}

/** Begins and ends windows on time, each by itself and in order. What still fails at an end is raised then. */
export async function advanceWindows(pool: Pool, now: Millis): Promise<number> {
  let turned = 0
  await eachAlone(await dueOccurrences(pool, now), async ({ occurrence_id }) => {
    if (await inTransaction(pool, (tx) => advanceOccurrence(tx, occurrence_id, now))) turned++
  })
  return turned
}
