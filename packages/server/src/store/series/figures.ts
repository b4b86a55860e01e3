import { day, dayFigure, isMetric, unpackWeek, type DayFigure, type DeviceId, type Millis } from '#core'
import { lockPartitions, makePartitions, rows, type Db } from '../../db'
import { dateOf } from './days'
import { dateOfWeek, weekOf } from './weekDates'

/** Pages over all devices reach so far back. */
export const figureDays = 92
/** A figure with the series and the day, since 1970, that it is of. */
export interface FigureOfDay extends DayFigure {
  deviceId: DeviceId
  n: number
  day: number
}

/** The first day that figures are kept of. */
export const firstFigureDay = (now: Millis): number => Math.floor(now / day) - figureDays

/** Writes figures of days in place of what is there of these days; what is too old for them is left out. */
export async function writeFigures(tx: Db, all: readonly FigureOfDay[], now = Date.now()): Promise<void> {
  const figures = all.filter((figure) => figure.day >= firstFigureDay(now))
  if (!figures.length) return
  const of = <T>(value: (figure: FigureOfDay) => T) => figures.map(value)
  await tx.query(
    `insert into day_figure (device_id, n, day, count, min, max, sum, low, high)
     select * from unnest($1::int[], $2::int[], $3::date[], $4::int[], $5::float8[], $6::float8[], $7::float8[],
       $8::float8[], $9::float8[])
     on conflict (device_id, n, day) do update set count = excluded.count, min = excluded.min, max = excluded.max,
       sum = excluded.sum, low = excluded.low, high = excluded.high`,
    [
      of(({ deviceId }) => deviceId),
      of(({ n }) => n),
      of((figure) => dateOf(figure.day)),
      of(({ count }) => count),
      of(({ min }) => min),
      of(({ max }) => max),
      of(({ sum }) => sum),
      of(({ low }) => low),
      of(({ high }) => high),
    ],
  )
}

/** Room for figures of all the days that have any. */
export async function makeFigureRoom(tx: Db, now = Date.now()): Promise<void> {
  await lockPartitions(tx)
  await makePartitions(tx, 'day_figure', firstFigureDay(now) * day, now + day)
}

/** Makes the figures of devices anew from what is summed up of them, for whoever holds the packing lock. */
export async function renewFigures(tx: Db, deviceIds: readonly DeviceId[], now = Date.now()): Promise<void> {
  const first = firstFigureDay(now)
  const last = Math.floor(now / day)
  await tx.query('delete from day_figure where device_id = any($1)', [deviceIds])
  await makeFigureRoom(tx, now)
  const weeks = await rows<{ id: DeviceId; n: number; metric: string; week: number; data: Buffer }>(
    tx,
    `select r.device_id as id, r.n, s.metric, (r.week - '1970-01-01'::date) / 7 as week, r.data
     from rollup r join series s on s.device_id = r.device_id and s.n = r.n
     where r.device_id = any($1) and r.week between $2::date and $3::date`,
    [deviceIds, dateOfWeek(weekOf(first)), dateOfWeek(weekOf(last))],
  )
  await writeFigures(
    tx,
    weeks.flatMap(({ id, n, metric, week, data }) => {
      if (!isMetric(metric)) return []
      const unpacked = unpackWeek(week, data)
      return [...unpacked.days.keys()].flatMap((index) => {
        const figure = dayFigure(unpacked, index)
        return figure ? [{ ...figure, deviceId: id, n, day: index }] : []
      })
    }),
    now,
  )
}
