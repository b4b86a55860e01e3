import type { BoardDevice, BoardDisk, CollectorFailure } from '#contract'
import {
  hour,
  mostUrgent,
  silentIntervals,
  splitPostKey,
  watchKinds,
  type ClientId,
  type DeviceId,
  type DeviceKind,
  type Millis,
  type OsFamily,
  type Severity,
} from '#core'
import { rows, type Db } from '../../db'
import { latestOnRecord } from '../../store/series'
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
  os_family: OsFamily | null
  os_name: string
  roles: string[]
  tags: string[]
  takes_tasks: boolean
  addresses: string[]
  heard_at: number | null
  last_at: number | null
  interval_ms: number
  reported_interval_ms: number | null
  security_updates: number | null
  other_updates: number | null
  oldest_security_at: number | null
  updates_known: boolean
  services_read: boolean
  failed: CollectorFailure[]
  alerts: { key: string; severity: Severity; kind: string }[] | null
  held: { key: string; severity: Severity; kind: string }[] | null
  /** Hours since 1970 that have log entries, with how many and how many errors. */
  hours: number[] | null
  entries: number[] | null
  errors: number[] | null
  disk_series: [string, string][] | null
  disk_value: number[] | null
}

/**
 * All that a board compares of some devices, by keys that lead with the device: open alerts and held records, a day of
 * log by the hour, and the newest report that read disks.
 */
const select = `
  select d.id, d.name, d.client_id, c.name as client_name, d.site_id, s.name as site_name, s.zone, d.kind, d.os_family,
         d.os_name, d.roles, d.tags, d.takes_tasks, d.addresses, d.heard_at, d.last_at, d.interval_ms,
         d.reported_interval_ms, d.security_updates, d.other_updates, d.oldest_security_at, d.updates_known, d.failed,
         d.services_read, a.list as alerts, h.list as held, l.hours, l.entries, l.errors, k.disk_series, k.disk_value,
         d.disks_at
  from device d
  join client c on c.id = d.client_id
  join site s on s.id = d.site_id
  left join lateral (
    select jsonb_agg(jsonb_build_object('key', watch || '|' || instance, 'severity', severity,
      'kind', rule->>'kind')) as list
    from alert where device_id = d.id and status <> 'closed'
  ) a on true
  left join lateral (
    select jsonb_agg(jsonb_build_object('key', watch || '|' || instance, 'severity', severity,
      'kind', rule->>'kind')) as list
    from held where device_id = d.id and ended_at is null
  ) h on true
  left join lateral (
    select array_agg(hour) as hours, array_agg(entries) as entries, array_agg(errors) as errors
    from log_hour where device_id = d.id and hour > $3::int - 24
  ) l on true
  left join lateral (
    select y.series as disk_series, p.value as disk_value from report p join layout y on y.id = p.layout_id
    where p.device_id = d.id and p.at = d.disks_at order by p.seq desc limit 1
  ) k on true
  where d.retired_at is null and ${ofClients('d.client_id', 1)} and d.id = any($2)`

/** Twenty-four counts, the current hour last. */
function byHour(hours: readonly number[] | null, counts: readonly number[] | null, now: Millis): number[] {
  const found = new Map(hours?.map((at, i) => [at, counts![i]!]))
  const last = Math.floor(now / hour)
  return Array.from({ length: 24 }, (_, i) => found.get(last - 23 + i) ?? 0)
}

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
    updates:
      row.security_updates === null
        ? null
        : {
            security: row.security_updates,
            other: row.other_updates ?? 0,
            oldestSecurityAt: row.oldest_security_at,
            isKnown: row.updates_known,
          },
    servicesRead: row.services_read,
    failing: row.failed.filter((failure) => !failure.notHere).map((failure) => failure.collector),
    events: byHour(row.hours, row.entries, now),
    errors: byHour(row.hours, row.errors, now),
    heardAt: row.heard_at,
    readAt: row.last_at,
    interval,
    takesTasks: row.takes_tasks,
    addresses: row.addresses,
  }
}

/** In no order; those that are out of use, or that the viewer may not see, are missing. */
export async function boardRows(
  db: Db,
  clientIds: readonly ClientId[] | null,
  ids: readonly DeviceId[],
  now: Millis,
): Promise<BoardRow[]> {
  const found = await rows<BoardRow & { disks_at: number | null }>(db, select, [clientIds, ids, Math.floor(now / hour)])
  // Of who is silent for so long, or of a time so long ago, that no report is kept as it came.
  const older = found.filter((row) => row.disk_series === null && row.disks_at !== null)
  if (older.length) {
    const latest = await latestOnRecord(
      db,
      older.map(({ id }) => id),
      now,
      ['disk.size', 'disk.free'],
    )
    for (const row of older) {
      const readings = latest.get(row.id)?.readings ?? []
      row.disk_series = readings.map(([metric, instance]) => [metric, instance])
      row.disk_value = readings.map(([, , value]) => value)
    }
  }
  return found
}
