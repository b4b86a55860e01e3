import { mergeWeeks, packWeek, unpackWeek, type DeviceId } from '#core'
import { rows, type Db } from '../../db'
import { dayKey, emptyDay, readDays, unionOfDays, writeDays } from './days'
import { makeFigureRoom, renewFigures } from './figures'
import { packingLock } from './lock'
import { numberSeries, seriesKey, seriesNumbers } from './names'
import { rollUp } from './weeks'

/** So many days are read, put together and written at a time. */
const daysAtOnce = 14

const tables = [
  'packed',
  'rollup',
  'day_figure',
  'figure_due',
  'report_day',
  'series',
  'packed_to',
  'pack_due',
] as const

/**
 * Gives a device all that is kept of another's readings, beside its own. To be called before the other's reports are
 * moved, which are packed anew then.
 */
export async function moveReadings(tx: Db, from: DeviceId, to: DeviceId): Promise<void> {
  await packingLock(tx)
  await tx.query(
    `insert into pack_due (device_id, day)
     select distinct $2::int, (at at time zone 'UTC')::date from report where device_id in ($1, $2)`,
    [from, to],
  )
  // One of which nothing was packed yet goes on from the other: what is summed up counts at once.
  await tx.query(
    `insert into packed_to (device_id, until) select $2::int, until from packed_to where device_id = $1
     on conflict (device_id) do nothing`,
    [from, to],
  )
  await moveWeeks(tx, from, to)
  await makeFigureRoom(tx)
  const days = await rows<{ day: number }>(
    tx,
    `select day - '1970-01-01'::date as day from packed where device_id = $1 and n = 0 order by day`,
    [from],
  )
  for (let i = 0; i < days.length; i += daysAtOnce) {
    const part = days.slice(i, i + daysAtOnce).map(({ day }) => day)
    const both = await readDays(
      tx,
      part.flatMap((day) => [from, to].map((deviceId) => ({ deviceId, from: day, until: day }))),
    )
    const merged = part.map((day) =>
      unionOfDays(
        both.get(dayKey({ deviceId: to, day })) ?? emptyDay(to, day),
        both.get(dayKey({ deviceId: from, day }))!,
      ),
    )
    await writeDays(tx, merged)
    await rollUp(tx, merged)
  }
  await renewFigures(tx, [to])
  for (const table of tables) await tx.query(`delete from ${table} where device_id = $1`, [from])
}

/** What is summed up of both, for the time of which no single readings are kept. */
async function moveWeeks(tx: Db, from: DeviceId, to: DeviceId): Promise<void> {
  const names = [...((await seriesNumbers(tx, [from])).get(from)?.values() ?? [])]
  if (!names.length) return
  const numbers = (
    await numberSeries(
      tx,
      names.map((name) => ({ ...name, deviceId: to })),
    )
  ).get(to)!
  for (const name of names) {
    const n = numbers.get(seriesKey(name))!.n
    const weeks = await rows<{ week: number; mine: Buffer; theirs: Buffer | null }>(
      tx,
      `select (f.week - '1970-01-01'::date) / 7 as week, f.data as mine, t.data as theirs
       from rollup f left join rollup t on t.device_id = $3 and t.n = $4 and t.week = f.week
       where f.device_id = $1 and f.n = $2 order by f.week`,
      [from, name.n, to, n],
    )
    const places = [to, n, weeks.map(({ week }) => week)]
    await tx.query(
      `delete from rollup r using unnest($3::int[]) w (week)
       where r.device_id = $1 and r.n = $2 and r.week = '1970-01-01'::date + 7 * w.week`,
      places,
    )
    await tx.query(
      `insert into rollup (device_id, n, week, data)
       select $1, $2, '1970-01-01'::date + 7 * w.week, w.data from unnest($3::int[], $4::bytea[]) w (week, data)`,
      [
        ...places,
        weeks.map(({ week, mine, theirs }) =>
          theirs ? Buffer.from(packWeek(week, mergeWeeks(unpackWeek(week, mine), unpackWeek(week, theirs)))) : mine,
        ),
      ],
    )
  }
}
