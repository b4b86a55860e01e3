import { day, hour, minute, type DeviceId, type Millis } from '#core'
import { inTransaction, lockPartitions, makePartitions, oldestKept, rows, time, type Db, type Pool } from '../../db'
import {
  dayKey,
  dayOf,
  daysAfterCounters,
  emptyDay,
  firstFigureDay,
  readDays,
  readReports,
  renewFigures,
  rollUp,
  tryPackingLock,
  unionOfDays,
  writeDays,
  type DeviceDay,
  type ReportSpan,
} from '../../store/series'

/**
 * Reports are packed when they are so old. Whoever stores one that is older than a third of this says so (`pack_due`,
 * in the statement that stores it), and no statement takes as long as what is left: so none is missed.
 */
const settled: Millis = 15 * minute
/** A day is packed again as it grows, whenever so much of it has come. */
const growth: Millis = 3 * hour
/** Of so many devices together, in one transaction. */
const atOnce = 16

/** Days of a device that are to be read as they came, and what is packed of them after that. */
interface Task {
  deviceId: DeviceId
  spans: ReportSpan[]
  /** Up to where it is packed then; null: as before. */
  until: Millis | null
  /** The `pack_due` that are done with that. */
  dueIds: number[]
}

interface Standing {
  id: DeviceId
  until: Millis | null
  first: Millis | null
  next: Millis | null
  due: { id: number; day: number }[]
}

/**
 * What is to be packed of these devices, but for those that somebody deletes or merges: their turn comes, or never. Who
 * begins to do so meanwhile waits until it is done. By the primary keys of `packed_to` and `report` and the index of
 * `pack_due`.
 */
async function standings(tx: Db, deviceIds: readonly DeviceId[]): Promise<Standing[]> {
  return rows<Standing>(
    tx,
    `
    select d.id, p.until,
      case when p.until is null then (select min(at) from report where device_id = d.id) end as first,
      (select min(at) from report where device_id = d.id and at >= p.until) as next,
      coalesce((select jsonb_agg(jsonb_build_object('id', u.id, 'day', u.day - '1970-01-01'::date))
        from pack_due u where u.device_id = d.id), '[]') as due
    from device d left join packed_to p on p.device_id = d.id
    where d.id = any($1) order by d.id for key share of d skip locked`,
    [deviceIds],
  )
}

/** At most one day anew and one that is due, so that no transaction grows with how long nobody packed. */
function taskOf({ id: deviceId, until, first, next, due }: Standing, end: Millis): Task | null {
  const spans: ReportSpan[] = []
  let packedTo = until
  // A day of which a part is packed ends by itself, too: a machine that was switched off tells nothing more of it.
  const goesOn = until !== null && until % day > 0
  const begin = until === null ? first : goesOn ? until : next
  if (begin !== null && begin < end) {
    const from = Math.max(until ?? begin, dayOf(begin) * day)
    packedTo = Math.min(end, (dayOf(from) + 1) * day)
    spans.push({ deviceId, from, until: packedTo })
  } else if (until !== null && until < end) packedTo = end
  // What is not packed yet is not due again, and is read with its turn.
  const known = until ?? -Infinity
  const [oldest] = due.map((each) => each.day).sort((a, b) => a - b)
  const dueIds = due.filter((each) => each.day === oldest).map(({ id }) => id)
  if (oldest !== undefined && oldest * day < known) {
    const again = { deviceId, from: oldest * day, until: Math.min(known, (oldest + 1) * day) }
    spans.unshift(again)
  }
  if (!spans.length && !dueIds.length && packedTo === until) return null
  return { deviceId, spans, until: packedTo, dueIds }
}

/** For days of long ago, as of a house that kept its reports for years: for those of every day there is room. */
async function makeRoom(tx: Db, days: readonly DeviceDay[]): Promise<void> {
  const oldest = Math.min(...days.map((each) => each.day)) * day
  if (oldest > Date.now() - oldestKept) return
  await lockPartitions(tx)
  for (const table of ['packed', 'report_day', 'rollup'] as const)
    await makePartitions(tx, table, oldest - 7 * day, Math.max(...days.map((each) => each.day + 1)) * day)
  await makePartitions(tx, 'day_figure', Math.max(oldest, firstFigureDay(Date.now()) * day), Date.now())
}

type Reports = Map<string, DeviceDay>
const reportsOf = (tx: Db, tasks: readonly Task[]): Promise<Reports> =>
  readReports(
    tx,
    tasks.flatMap(({ spans }) => spans),
  )
const tasksOf = (found: readonly Standing[], end: Millis): Task[] =>
  found.flatMap((standing) => taskOf(standing, end) ?? [])

/** What devices reported, read before their turn; it holds as long as they stand as they did before it was read. */
interface Ahead {
  standings: string
  raw: Reports
}

/** A day of so many devices is sorted in memory; it would be on the disk. */
const makeMemory = (tx: Db) => tx.query(`set local work_mem = '32MB'`)

/**
 * Reads what is to be packed next while others are being packed: half of the work is the database's. What is stored
 * meanwhile is due, and whoever is due does not stand as before.
 */
async function readAhead(pool: Pool, ids: readonly DeviceId[], end: Millis): Promise<Ahead | null> {
  if (!ids.length) return null
  return inTransaction(pool, async (tx) => {
    await makeMemory(tx)
    const found = await standings(tx, ids)
    return { standings: JSON.stringify(found), raw: await reportsOf(tx, tasksOf(found, end)) }
    // Whose fault it is, is found out when it is their turn.
  }).catch(() => null)
}

/** With the days of which nothing more was told, and which may be over with that. */
function touchedDays(tasks: readonly Task[], raw: Reports): DeviceDay[] {
  const days = new Map(raw)
  for (const { spans } of tasks)
    for (const { deviceId, from } of spans) {
      const key = dayKey({ deviceId, day: dayOf(from) })
      if (!days.has(key)) days.set(key, emptyDay(deviceId, dayOf(from)))
    }
  return [...days.values()]
}

async function packTasks(tx: Db, tasks: readonly Task[], raw: Reports): Promise<number> {
  const touched = touchedDays(tasks, raw)
  if (touched.length) {
    const packed = await readDays(
      tx,
      touched.map(({ deviceId, day: index }) => ({ deviceId, from: index, until: index })),
    )
    await makeRoom(tx, touched)
    const days = touched
      .map((each) => unionOfDays(packed.get(dayKey(each)) ?? emptyDay(each.deviceId, each.day), each))
      .filter(({ times }) => times.length > 0)
    await writeDays(
      tx,
      days.filter((each) => raw.has(dayKey(each))),
    )
    // Of a day that goes on nothing is summed up yet: its readings are few, and there are more of them soon.
    const untils = new Map(tasks.map(({ deviceId, until }) => [deviceId, until ?? -Infinity]))
    const isOver = (each: DeviceDay) => (each.day + 1) * day <= untils.get(each.deviceId)!
    const over = days.filter(isOver)
    await rollUp(tx, [...over, ...(await daysAfterCounters(tx, over)).filter(isOver)])
  }
  const moved = tasks.filter((task) => task.until !== null)
  await tx.query(
    `insert into packed_to (device_id, until) select * from unnest($1::int[], $2::timestamptz[])
     on conflict (device_id) do update set until = excluded.until`,
    [moved.map(({ deviceId }) => deviceId), moved.map(({ until }) => time(until))],
  )
  await tx.query('delete from pack_due where id = any($1)', [tasks.flatMap(({ dueIds }) => dueIds)])
  let readings = 0
  for (const { series } of touched) for (const { samples } of series.values()) readings += samples.at.length
  return readings
}

/**
 * Packs what devices have reported since, and again the days into which something came later. Of one device after the
 * other, in order of number; one process at a time. Killed at any moment it has packed some devices further and others
 * not: what is packed, up to where, and what is due change together.
 * @returns how many readings were packed
 * @throws AggregateError with what failed, once the others are done
 */
export async function packReadings(pool: Pool, now: Millis, pause: () => Promise<unknown> = rest): Promise<number> {
  const end = Math.floor((now - settled) / growth) * growth
  let readings = 0
  const failures: unknown[] = []
  let ids = await waitingDevices(pool, end, 0)
  let ahead = await readAhead(pool, ids, end)
  while (ids.length) {
    const next = await waitingDevices(pool, end, ids.at(-1)!)
    const nextAhead = readAhead(pool, next, end)
    try {
      readings += (await packDevices(pool, ids, end, ahead)) ?? 0
    } catch {
      // The one at fault costs only itself.
      for (const id of ids)
        try {
          readings += (await packDevices(pool, [id], end)) ?? 0
        } catch (error) {
          failures.push(error)
        }
    }
    ids = next
    ahead = await nextAhead
    await pause()
  }
  if (failures.length)
    throw new AggregateError(failures, `packing: ${failures.length} devices failed: ${(failures[0] as Error).message}`)
  return readings
}

/** Makes figures of days where there are none yet: of devices that were summed up by a version before them. */
async function figureDue(pool: Pool): Promise<void> {
  for (;;) {
    const isDone = await inTransaction(pool, async (tx) => {
      const due = await rows<{ id: DeviceId }>(
        tx,
        'select d.id from figure_due f join device d on d.id = f.device_id order by d.id limit $1 for key share of d',
        [atOnce],
      )
      if (!due.length || !(await tryPackingLock(tx))) return true
      const ids = due.map(({ id }) => id)
      await renewFigures(tx, ids)
      await tx.query('delete from figure_due where device_id = any($1)', [ids])
      return false
    })
    if (isDone) return
    await rest()
  }
}

/** The job: by the clock of the database too, which says what comes late. */
export async function packingRound(pool: Pool, now: Millis): Promise<void> {
  const [database] = await rows<{ now: Millis }>(pool, 'select now() as now')
  await packReadings(pool, Math.min(now, database!.now))
  await figureDue(pool)
}

/** Those who report and those who ask come first. */
const rest = () => new Promise((resolve) => setTimeout(resolve, 20))

async function waitingDevices(pool: Pool, end: Millis, after: DeviceId): Promise<DeviceId[]> {
  const found = await rows<{ id: DeviceId }>(
    pool,
    `select d.id from device d left join packed_to p on p.device_id = d.id
     where d.id > $1 and (p.until is null or p.until < $2 or exists (select from pack_due u where u.device_id = d.id))
     order by d.id limit $3`,
    [after, time(end), atOnce],
  )
  return found.map(({ id }) => id)
}

/** @returns null: another process is at it */
async function packDevices(
  pool: Pool,
  ids: readonly DeviceId[],
  end: Millis,
  ahead: Ahead | null = null,
): Promise<number | null> {
  let readings = 0
  for (;;) {
    const packed = await inTransaction(pool, async (tx) => {
      if (!(await tryPackingLock(tx))) return null
      const found = await standings(tx, ids)
      const tasks = tasksOf(found, end)
      if (!tasks.length) return null
      if (ahead?.standings === JSON.stringify(found)) return packTasks(tx, tasks, ahead.raw)
      await makeMemory(tx)
      return packTasks(tx, tasks, await reportsOf(tx, tasks))
    })
    if (packed === null) return readings
    readings += packed
  }
}
