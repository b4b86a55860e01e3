import type { BoardDevice, BoardDisk, CollectorFailure } from '#contract'
import {
  mostUrgent,
  silentIntervals,
  splitPostKey,
  watchKinds,
  type ClientId,
  type DeviceId,
  type DeviceKind,
  type OsFamily,
  type Severity,
  type Updates,
} from '#core'
import { rows, type Db } from '../../db'
import { ofClients } from '../access'

export interface BoardRow {
  id: DeviceId
  name: string
  client_id: ClientId
  client_name: string
  site_id: number
  site_name: string
  zone: string
  kind: DeviceKind
  os_family: OsFamily
  os_name: string
  roles: string[]
  tags: string[]
  takes_tasks: boolean
  addresses: string[]
  heard_at: number | null
  last_at: number | null
  interval_ms: number
  reported_interval_ms: number | null
  updates: Updates | null
  services_read: boolean
  failed: CollectorFailure[]
  alerts: { key: string; severity: Severity; kind: string }[] | null
  held: { key: string; severity: Severity; kind: string }[] | null
  events: number[] | null
  errors: number[] | null
  disk_series: [string, string][] | null
  disk_value: number[] | null
}

/**
 * One row a device with all the board compares. The laterals go by keys that lead with the device: newest report with
 * disks in it (disks may be read less often than others, but once an hour), newest fact, open alerts, and a day of log
 * events counted by the hour.
 */
const select = `
  select d.id, d.name, d.client_id, c.name as client_name, d.site_id, s.name as site_name, s.zone, d.kind, d.os_family,
  d.os_name, d.roles, d.tags, d.takes_tasks, d.addresses,
         d.heard_at, d.last_at, d.interval_ms, d.reported_interval_ms, u.value as updates, d.failed,
         exists (select from device_fact f where f.device_id = d.id and f.subject = 'services') as services_read,
         a.alerts, h.held, e.events, e.errors, k.disk_series, k.disk_value
  from device d
  join client c on c.id = d.client_id
  join site s on s.id = d.site_id
  left join lateral (select value from device_fact f where f.device_id = d.id and f.subject = 'updates'
  order by f.at desc limit 1) u on true
  left join lateral (select jsonb_agg(jsonb_build_object('key', watch || '|' || instance, 'severity', severity, 'kind',
  rule->>'kind')) as alerts
                     from alert where device_id = d.id and status <> 'closed') a on true
  left join lateral (select jsonb_agg(jsonb_build_object('key', watch || '|' || instance, 'severity', severity, 'kind',
  rule->>'kind')) as held
                     from held where device_id = d.id and ended_at is null) h on true
  left join lateral (select array_agg(n order by hour) as events, array_agg(bad order by hour) as errors from (
      select hour, count(x.at)::int as n, (count(x.at) filter (where x.level <= 3))::int as bad
      from generate_series(0, 23) hour
      left join log_event x on x.device_id = d.id and x.at > now() - interval '24 hours'
      and 23 - floor(extract(epoch from now() - x.at) / 3600)::int = hour
      group by hour) by_hour) e on true
  left join lateral (select at from report p where p.device_id = d.id and p.at > now() - interval '35 days'
  order by p.at desc limit 1) r on true
  left join lateral (select l.series as disk_series, p.value as disk_value from report p
  join layout l on l.id = p.layout_id
                     where p.device_id = d.id and p.at > r.at - interval '2 hours' and l.series @> '[["disk.free"]]'
                     order by p.at desc limit 1) k on true
  where d.retired_at is null and ${ofClients('d.client_id', 1)} and ($2::int is null or d.id = $2)
  order by d.name limit 5000`

function disksOf(row: BoardRow): BoardDisk[] {
  const sizes = new Map<string, number>()
  row.disk_series?.forEach(([metric, mount], i) => {
    if (metric === 'disk.size') sizes.set(mount, row.disk_value![i]!)
  })
  const alerting = new Map(
    (row.alerts ?? [])
      .filter((alert) => alert.kind === 'disk-space')
      .map((alert) => [splitPostKey(alert.key).instance, alert.severity]),
  )
  const disks: BoardDisk[] = []
  row.disk_series?.forEach(([metric, mount], i) => {
    if (metric === 'disk.free')
      disks.push({
        mount,
        size: sizes.get(mount) ?? 0,
        free: row.disk_value![i]!,
        severity: alerting.get(mount) ?? null,
      })
  })
  return disks
}

export function boardDevice(row: BoardRow, now: number): BoardDevice {
  const alerts = row.alerts ?? []
  const held = row.held ?? []
  const isService = (post: { kind: string }) => watchKinds.get(post.kind)?.subject === 'service'
  const services = [
    ...alerts
      .filter(isService)
      .map((alert) => ({ name: splitPostKey(alert.key).instance, severity: alert.severity, held: false })),
    ...held
      .filter(isService)
      .map((post) => ({ name: splitPostKey(post.key).instance, severity: post.severity, held: true })),
  ]
  const interval = row.reported_interval_ms ?? row.interval_ms
  return {
    id: row.id,
    name: row.name,
    clientId: row.client_id,
    clientName: row.client_name,
    siteName: row.site_name,
    kind: row.kind,
    osFamily: row.os_family,
    osName: row.os_name,
    roles: row.roles,
    tags: row.tags,
    worst: mostUrgent(alerts.map((alert) => alert.severity)),
    held: held.length,
    silent: row.heard_at !== null && now - row.heard_at > silentIntervals * interval + 5000,
    disks: disksOf(row),
    // Two watches may look at one service; it is named once.
    services: services.filter((service, i) => services.findIndex((other) => other.name === service.name) === i),
    updates: row.updates && {
      security: row.updates.security,
      other: row.updates.other,
      oldestSecurityAt: row.updates.oldestSecurityAt,
      isKnown: row.updates.listsAt !== null,
    },
    servicesRead: row.services_read,
    failing: row.failed.filter((failure) => !failure.notHere).map((failure) => failure.collector),
    events: row.events ?? [],
    errors: row.errors ?? [],
    heardAt: row.heard_at,
    readAt: row.last_at,
    interval,
    takesTasks: row.takes_tasks,
    addresses: row.addresses,
  }
}

export async function boardRows(
  db: Db,
  clientIds: readonly ClientId[] | null,
  deviceId: DeviceId | null = null,
): Promise<BoardRow[]> {
  return rows<BoardRow>(db, select, [clientIds, deviceId])
}
