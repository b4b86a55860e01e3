import {
  flipsJudged,
  postKey,
  type DeviceId,
  type Dismissal,
  type Evidence,
  type HeldRecord,
  type Millis,
  type OpenAlert,
  type PastAlert,
  type Remediation,
} from '#core'
import { rows, type Db } from '../db'

/** What is open on a device, by post. */
export interface Alerting {
  alerts: Map<string, OpenAlert & { id: number; kind: string }>
  held: Map<string, HeldRecord & { id: number; windowId: number; kind: string; evidence: Evidence | null }>
  remediation: Map<string, Remediation & { id: number; kind: string; startedAt: Millis }>
  dismissed: Map<string, Dismissal & { id: number }>
  /** What cleared by itself of late, the newest of each post first. */
  past: Map<string, (PastAlert & { id: number })[]>
}

/** Open alerts, held records and what is being tried on devices, and what people closed by hand of late. */
export async function readAlertings(db: Db, deviceIds: readonly DeviceId[]): Promise<Map<DeviceId, Alerting>> {
  type Row = {
    id: number
    device_id: DeviceId
    watch: string
    instance: string
    severity: OpenAlert['severity']
    began: number
    kind: string
  }
  const open = await rows<Row & { flips: Millis[]; well_since: Millis | null }>(
    db,
    `select id, device_id, watch, instance, severity, began, rule->>'kind' as kind, 
       array(select floor(extract(epoch from f) * 1000)::float8 from unnest(flips_at) f order by f) as flips, well_since from alert
     where device_id = any($1) and status <> 'closed'`,
    [deviceIds],
  )
  const held = await rows<Row & { window_id: number; occurrence_id: number; evidence: Evidence | null }>(
    db,
    `select id, device_id, watch, instance, severity, began, rule->>'kind' as kind, window_id, occurrence_id,
       evidence from held
     where device_id = any($1) and ended_at is null`,
    [deviceIds],
  )
  const remediation = await rows<Row & { started_at: Millis }>(
    db,
    `select id, device_id, watch, instance, severity, began, rule->>'kind' as kind, started_at from remediation
     where device_id = any($1) and ended_at is null`,
    [deviceIds],
  )
  const last = await rows<Row & { close_reason: string; closed_at: Millis | null; began_at: Millis[] }>(
    db,
    `
    select * from (
      select a.id, a.device_id, a.watch, a.instance, a.severity, a.began, a.close_reason,
        case when a.client_id = d.client_id then a.closed_at end as closed_at,
        array(select floor(extract(epoch from f) * 1000)::float8
          from unnest(case when a.flips_at = '{}' then array[a.began] else a.flips_at end) f) as began_at,
        row_number() over (partition by a.device_id, a.watch, a.instance order by a.raised_at desc) as back
      from alert a join device d on d.id = a.device_id where a.device_id = any($1) and a.status = 'closed'
    ) l where back < $2 order by device_id, watch, instance, back`,
    [deviceIds, flipsJudged],
  )
  const key = (row: Row) => postKey(row.watch, row.instance)
  const all = new Map(
    deviceIds.map((id): [DeviceId, Alerting] => [
      id,
      { alerts: new Map(), held: new Map(), remediation: new Map(), dismissed: new Map(), past: new Map() },
    ]),
  )
  const of = (row: Row) => all.get(row.device_id)!
  for (const row of open)
    of(row).alerts.set(key(row), {
      id: row.id,
      severity: row.severity,
      began: row.began,
      kind: row.kind,
      flips: row.flips,
      wellSince: row.well_since,
    })
  for (const row of held) {
    const { id, severity, began, kind, evidence } = row
    const { window_id: windowId, occurrence_id: occurrence } = row
    of(row).held.set(key(row), { id, windowId, occurrence, severity, began, kind, evidence })
  }
  for (const row of remediation) {
    const { id, severity, began, kind } = row
    of(row).remediation.set(key(row), { id, severity, began, kind, startedAt: row.started_at })
  }
  const newest = new Set<string>()
  const begunAnew = new Set<string>()
  for (const row of last) {
    const { id, began, severity, closed_at: closedAt } = row
    const post = `${row.device_id} ${key(row)}`
    if (row.close_reason === 'by-hand' && !newest.has(post))
      of(row).dismissed.set(key(row), { id, began, severity, closedAt })
    newest.add(post)
    // What is over stays in the books of the client where it happened; after what a person closed it is counted anew.
    if (row.close_reason !== 'cleared' || closedAt === null) begunAnew.add(post)
    if (!begunAnew.has(post))
      of(row).past.set(key(row), [...(of(row).past.get(key(row)) ?? []), { id, beganAt: row.began_at }])
  }
  return all
}

export async function readAlerting(db: Db, deviceId: DeviceId): Promise<Alerting> {
  return (await readAlertings(db, [deviceId])).get(deviceId)!
}
