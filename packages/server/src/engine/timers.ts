import { hour, matcher, second, windowEnd, type Millis } from '#core'
import { ensurePartitions, firstRow, inTransaction, rows, time, type Db, type Pool } from '../db'
import { forgetHours } from '../store/logHours'
import { allTraits } from '../store/traits'
import { windowOf, type WindowRow } from '../store/windows'
import { announce } from '../live'
import { eachAlone } from './alone'
import { advanceRemediations } from './remediation/remediation'
import { reevaluateAll } from './reevaluate'
import { dailyRetention } from './retention'
import { settleDue } from './settling'
import { silenceRound } from './silence'

/** Windows whose beginning or end has come and was not carried out yet. */
function dueWindows(db: Db, now: Millis, id: number | null = null): Promise<WindowRow[]> {
  return rows<WindowRow>(
    db,
    `
    select w.* from window_progress p join maintenance_window w on w.id = p.window_id
    where not p.over and ((not p.begun and w.from_at <= $1) or least(w.until_at, w.ended_at) <= $1)
    and ($2::int is null or p.window_id = $2)
    order by p.window_id limit 50`,
    [time(now), id],
  )
}

/** Begins or ends one window, unless another process has just done so. */
async function advanceWindow(tx: Db, id: number, now: Millis): Promise<boolean> {
  if (!(await firstRow(tx, 'select from window_progress where window_id = $1 for update skip locked', [id])))
    return false
  // As it is now: it may have been ended, extended or carried out a moment ago.
  const [row] = await dueWindows(tx, now, id)
  if (!row) return false
  const window = windowOf(row)
  const end = windowEnd(window)
  const over = end !== null && end <= now
  const touched = (await allTraits(tx, [row.target])).filter(matcher(window.target))
  await reevaluateAll(tx, new Map(touched.map((device) => [device.id, null])), over ? end : now)
  await tx.query('update window_progress set begun = true, over = $2 where window_id = $1', [window.id, over])
  announce(tx, { topic: 'windows', clientIds: row.client_id === null ? null : [row.client_id], deviceIds: [] })
  return true
}

/** Begins and ends windows on time, each by itself. What still fails at the end is raised then. */
export async function advanceWindows(pool: Pool, now: Millis): Promise<number> {
  let turned = 0
  await eachAlone(await dueWindows(pool, now), async ({ id }) => {
    if (await inTransaction(pool, (tx) => advanceWindow(tx, id, now))) turned++
  })
  return turned
}

/** Something that must happen without a report. */
export interface Job {
  name: string
  /** Between the end of one round and the beginning of the next. */
  every: Millis
  work(now: Millis): Promise<unknown>
}

/** What becomes of devices, alerts and windows with time. */
export function engineJobs(pool: Pool): Job[] {
  return [
    // A window counts within two seconds; over a thousand devices more than one of them is the work itself.
    { name: 'windows', every: second / 4, work: (now) => advanceWindows(pool, now) },
    { name: 'silence', every: 2 * second, work: silenceRound(pool) },
    { name: 'remediations', every: second, work: (now) => advanceRemediations(pool, now) },
    { name: 'settling', every: second / 4, work: (now) => settleDue(pool, now) },
    { name: 'partitions', every: 6 * hour, work: (now) => ensurePartitions(pool, now) },
    { name: 'retention', every: hour / 6, work: (now) => dailyRetention(pool, now) },
    { name: 'log hours', every: hour, work: (now) => forgetHours(pool, now) },
  ]
}

/**
 * Does each job again and again, each at its own pace. A round that fails is logged and tried again.
 * @returns ends them, once what is under way is over
 */
export function startTimers(
  jobs: readonly Job[],
  log: { error(fields: object, text: string): void },
): () => Promise<void> {
  let stopped = false
  const timers = new Map<string, NodeJS.Timeout>()
  const running = new Map<string, Promise<void>>()
  const schedule = ({ name, every, work }: Job): void => {
    timers.set(
      name,
      setTimeout(() => {
        running.set(
          name,
          work(Date.now())
            .catch((error: unknown) => {
              log.error({ err: error, timer: name }, 'timer failed')
            })
            .then(() => {
              if (!stopped) schedule({ name, every, work })
            }),
        )
      }, every),
    )
  }
  for (const job of jobs) schedule(job)
  return async () => {
    stopped = true
    for (const timer of timers.values()) clearTimeout(timer)
    await Promise.all(running.values())
  }
}
