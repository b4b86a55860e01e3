import type { ChangedPage, ChangedSeries } from '#contract'
import { changeBetween, day, hour, largeDelta, localClock, metrics, type Millis } from '#core'
import { rows, type Db } from '../../db'
import { deviceAt } from '../../store/deviceAt'
import { askSeries } from '../../store/series'
import { ofClients, type Viewer } from '../access'

/** So much before and after a moment is compared: the same days of the week on both sides. */
const side: Millis = 7 * day
/** Of a site so many devices are looked at. */
const mostDevices = 60
const mostChanges = 60
/** What only ever counts up says nothing. */
const left = new Set(['uptime', 'memory.size', 'disk.size', 'certificate.left'])
/** A difference that nobody would call one: less than so many multiples of what hours usually differ by. */
const least = 3

/** The devices of a site beside one, by number. */
async function neighbours(db: Db, viewer: Viewer, id: number): Promise<{ id: number; name: string }[]> {
  return rows(
    db,
    `select o.id, o.name from device d join device o on o.site_id = d.site_id and o.id <> d.id
     where d.id = $1 and o.retired_at is null and ${ofClients('o.client_id', 2)} order by o.id limit 2000`,
    [id, viewer.clientIds],
  )
}

/**
 * Which series have another level or another rhythm since a moment, the most first: what is proposed, with its
 * numbers, says nothing of a cause.
 * @param withSite those of the other devices of its site, too
 */
export async function changedAt(
  db: Db,
  viewer: Viewer,
  device: { id: number; name: string },
  at: Millis,
  now: Millis,
  withSite: boolean,
): Promise<ChangedPage> {
  // Whole hours: the one in which it happened is on neither side.
  const [end, begin] = [Math.floor(at / hour) * hour, Math.ceil(at / hour) * hour]
  const [from, until] = [end - side, Math.min(now, begin + side)]
  const others = withSite ? await neighbours(db, viewer, device.id) : []
  const devices = [device, ...others.slice(0, mostDevices - 1)]
  const changes: ChangedSeries[] = []
  let [looked, unknown] = [0, 0]
  for (const { id, name } of devices) {
    const clock = localClock((await deviceAt(db, id, at))?.zone ?? 'UTC')
    const { series } = await askSeries(db, { deviceId: id, metrics: null, from, until, points: (2 * side) / hour + 2 })
    for (const { metric, instance, points } of series) {
      if (left.has(metric)) continue
      looked++
      const hours = points.map((point) => ({
        at: point.at,
        hour: Math.floor((clock(point.at) % day) / hour),
        mean: point.mean,
      }))
      const change = changeBetween(
        hours.filter((point) => point.at < end),
        hours.filter((point) => point.at >= begin),
        metrics[metric].resolution,
      )
      if (!change) unknown++
      else if (isWorthTelling(change)) changes.push({ deviceId: id, deviceName: name, metric, instance, ...change })
    }
  }
  const weight = ({ level, spread, times }: ChangedSeries) =>
    Math.max(Math.abs(level), Math.abs(spread)) * Math.log1p(Math.abs(times))
  changes.sort((a, b) => weight(b) - weight(a))
  return {
    at,
    from,
    until,
    changes: changes.slice(0, mostChanges),
    looked,
    unknown,
    devicesLeft: Math.max(0, others.length + 1 - devices.length),
  }
}

function isWorthTelling({ level, spread, times }: Pick<ChangedSeries, 'level' | 'spread' | 'times'>): boolean {
  return (Math.abs(level) >= largeDelta && Math.abs(times) >= least / 2) || spread >= largeDelta
}
