import { day, hour, metrics, valueOf, type ClientId, type DeviceId } from '#core'
import { rows, type Db } from '../../db'
import { dateOf, readReadings, readWeeks } from '../../store/series'

interface Line extends Record<string, unknown> {
  is: 'readings' | 'readings-by-hour'
}

/**
 * All readings of a client's devices as lines: of each device and day (UTC) its series with their times and values; and
 * what became of each hour, which is kept for longer. One line is held at a time.
 */
export async function* handedReadings(db: Db, clientId: ClientId): AsyncGenerator<Line> {
  const devices = await rows<{ id: DeviceId }>(db, 'select id from device where client_id = $1 order by id', [clientId])
  for (const { id } of devices) {
    const days = await rows<{ day: number }>(
      db,
      `select day - '1970-01-01'::date as day from report_day where device_id = $1
       union select distinct (at at time zone 'UTC')::date - '1970-01-01'::date from report where device_id = $1
       order by 1`,
      [id],
    )
    for (const { day: index } of days) {
      const read = await readReadings(db, id, null, index * day, (index + 1) * day)
      const series = [...read.values()].map(({ metric, instance, samples }) => ({
        metric,
        instance,
        at: [...samples.at],
        value: [...samples.value],
      }))
      if (series.length) yield { is: 'readings', device_id: id, day: dateOf(index), series }
    }
    yield* handedHours(db, id)
  }
}

async function* handedHours(db: Db, id: DeviceId): AsyncGenerator<Line> {
  for (const { metric, instance, weeks } of (await readWeeks(db, id, null, 0, Date.now() / day)).values()) {
    const { resolution } = metrics[metric]
    const hours = weeks.flatMap(({ hours: { hour: at, count, min, max, sum } }) =>
      at.map((index, i) => ({
        at: index * hour,
        count: count[i]!,
        min: valueOf(resolution, min[i]!),
        mean: valueOf(resolution, sum[i]!) / count[i]!,
        max: valueOf(resolution, max[i]!),
      })),
    )
    yield { is: 'readings-by-hour', device_id: id, metric, instance, hours }
  }
}
