import { hour, isMetric, metrics, severities, type MetricName, type Millis, type Severity } from '#core'
import { rows, time, type Db } from '../../db'
import { expositionOf, familyOf, type Family } from './openMetrics'

/** Values that are read more seldom than others are read once an hour at least. */
const newest: Millis = 2 * hour

interface ReportRow {
  id: number
  name: string
  site: string
  kind: string
  at: Millis
  series: [metric: string, instance: string][]
  value: number[]
}

/** The newest report of each device with each set of series. By the primary key (device, at), two hours a device. */
async function newestReports(db: Db, clientId: number, now: Millis): Promise<ReportRow[]> {
  return rows(
    db,
    `select d.id, d.name, s.name as site, d.kind, r.at, y.series, r.value
     from device d join site s on s.id = d.site_id
     cross join lateral (select distinct on (layout_id) at, layout_id, value from report
       where device_id = d.id and at > $2 and at <= $3 order by layout_id, at desc) r
     join layout y on y.id = r.layout_id
     where d.client_id = $1 and d.retired_at is null order by d.name, d.id, r.at desc`,
    [clientId, time(now - newest), time(now)],
  )
}

interface DeviceRow {
  name: string
  site: string
  kind: string
  heard: Millis | null
  open: Partial<Record<Severity, number>> | null
}

async function devicesNow(db: Db, clientId: number): Promise<DeviceRow[]> {
  return rows(
    db,
    `select d.name, s.name as site, d.kind, d.heard_at as heard, (select jsonb_object_agg(severity, count) from (
       select severity, count(*) from alert where device_id = d.id and status <> 'closed' group by 1) a) as open
     from device d join site s on s.id = d.site_id
     where d.client_id = $1 and d.retired_at is null order by d.name, d.id`,
    [clientId],
  )
}

/** The newest reading of every series of a client, when each device was heard, and what is open, as OpenMetrics. */
export async function scrape(db: Db, clientId: number, now: Millis): Promise<string> {
  const families = new Map((Object.keys(metrics) as MetricName[]).map((metric) => [metric, familyOf(metric)]))
  const told = new Set<string>()
  for (const { id, name, site, kind, at, series, value } of await newestReports(db, clientId, now))
    series.forEach(([metric, of], i) => {
      const key = `${id} ${metric} ${of}`
      if (!isMetric(metric) || told.has(key)) return
      told.add(key)
      const { family, instance } = families.get(metric)!
      const labels: [string, string][] = [
        ['device', name],
        ['site', site],
        ['kind', kind],
      ]
      family.samples.push({ labels: instance ? [...labels, [instance, of]] : labels, value: value[i]!, at })
    })
  const heard: Family = {
    name: 'custode_device_heard_timestamp_seconds',
    help: 'When a device was heard last.',
    unit: 'seconds',
    type: 'gauge',
    samples: [],
  }
  const open: Family = {
    name: 'custode_device_alerts_open',
    help: 'Alerts that are not closed.',
    type: 'gauge',
    samples: [],
  }
  for (const device of await devicesNow(db, clientId)) {
    const labels = (['device', 'site', 'kind'] as const).map(
      (label) => [label, label === 'device' ? device.name : device[label]] as const,
    )
    if (device.heard !== null) heard.samples.push({ labels, value: device.heard / 1000 })
    for (const severity of severities)
      open.samples.push({ labels: [...labels, ['severity', severity]], value: device.open?.[severity] ?? 0 })
  }
  return expositionOf([...[...families.values()].map(({ family }) => family), heard, open])
}
