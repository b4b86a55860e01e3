import { storageKinds, type StorageKind } from '#contract'
import { rows, type Db } from '../db'

/**
 * Everything that grows, and what becomes of it. `tables`: what counts to its size, the first is whose age is told.
 * Dropped by the partition where `partitioned`, else deleted by `forget`, whose $1 is the time before which nothing is
 * kept.
 */
export interface Kept {
  kind: StorageKind
  tables: readonly [string, ...string[]]
  /** Unless somebody says otherwise. */
  days: number
  /** What the product itself still needs: fewer are not taken. */
  least: number
  /** Column with the time of a row. */
  time: string
  partitioned?: boolean
  forget?: readonly string[]
}

const before = '$1::timestamptz'

/** In order of deletion: what refers to something goes before it. */
export const kept: readonly Kept[] = [
  // Agents may catch up for 13 days (`oldestReport`); a week is dropped when all of it is older, and packed.
  {
    kind: 'readings',
    tables: ['report', 'layout', 'packed_to', 'pack_due'],
    days: 14,
    least: 14,
    time: 'at',
    partitioned: true,
  },
  // Looking back reaches as far, at least over the longest that anybody compares with.
  { kind: 'packed', tables: ['packed', 'series', 'report_day'], days: 400, least: 35, time: 'day', partitioned: true },
  { kind: 'hours', tables: ['rollup'], days: 1830, least: 35, time: 'week', partitioned: true },
  { kind: 'figures', tables: ['day_figure'], days: 92, least: 92, time: 'day', partitioned: true },
  {
    kind: 'log',
    tables: ['log_event', 'log_hour', 'log_shape'],
    days: 90,
    least: 31,
    time: 'at',
    partitioned: true,
    // When a shape last came is written down once a week, and its entries go by the week.
    forget: [`delete from log_shape where seen_on < (${before} - interval '15 days')::date`],
  },
  {
    // Severities of RFC 5424: 5 notice, 6 informational, 7 debug. Mostly nine of ten entries.
    kind: 'log-quiet',
    tables: ['log_event'],
    days: 35,
    least: 2,
    time: 'at',
    forget: [`delete from log_event where at < ${before} and level >= 5`],
  },
  { kind: 'processes', tables: ['process_top'], days: 35, least: 2, time: 'at', partitioned: true },
  { kind: 'changes', tables: ['post_change'], days: 400, least: 31, time: 'at', partitioned: true },
  {
    kind: 'alerts',
    tables: [
      'alert',
      'alert_entry',
      'held',
      'remediation',
      'response',
      'window_occurrence',
      'device_past',
      'site_past',
      'carried_past',
      'occurrence_past',
    ],
    days: 400,
    least: 31,
    time: 'began',
    forget: [
      `delete from response where at < ${before} and state <> 'asked'`,
      `delete from held h where ended_at < ${before}
         and not exists (select from alert a where a.id = h.alert_id and coalesce(a.closed_at, now()) >= ${before})`,
      `delete from remediation m where ended_at < ${before}
         and not exists (select from response r where r.remediation_id = m.id)
         and not exists (select from alert a where a.id = m.alert_id and coalesce(a.closed_at, now()) >= ${before})`,
      `delete from alert_entry e using alert a where a.id = e.alert_id and a.closed_at < ${before}`,
      `delete from alert a where closed_at < ${before}
         and not exists (select from response r where r.alert_id = a.id)
         and not exists (select from held h where h.alert_id = a.id)
         and not exists (select from remediation m where m.alert_id = a.id)`,
      // The last time of a window stays, which says what became of it.
      `delete from window_occurrence o where o.over and o.from_at < ${before} and o.until_at < ${before}
         and not exists (select from held h where h.occurrence_id = o.id)
         and exists (select from window_occurrence n where n.window_id = o.window_id and n.from_at > o.from_at)`,
      // What carried an alert goes with the alert.
      `delete from occurrence_past where was_until < ${before}`,
      // What held at that time stays, though it began to hold earlier.
      `delete from device_past p where since < ${before}
         and exists (select from device_past n
           where n.device_id = p.device_id and n.since > p.since and n.since < ${before})`,
      `delete from site_past p where since < ${before}
         and exists (select from site_past n where n.site_id = p.site_id and n.since > p.since and n.since < ${before})`,
    ],
  },
  {
    kind: 'messages',
    tables: [
      'callout_message',
      'callout_step',
      'callout_told',
      'callout_due',
      'request',
      'request_entry',
      'request_mail',
    ],
    days: 400,
    least: 31,
    time: 'created_at',
    forget: [
      `delete from callout_message where created_at < ${before} and state in ('sent', 'failed', 'dropped')`,
      `delete from callout_step s where at < ${before} and not exists (select from callout_told t where t.step_id = s.id)
         and not exists (select from alert a where a.id = s.alert_id and a.status <> 'closed')
         and not exists (select from request r where r.id = s.request_id and r.status <> 'closed')`,
      `delete from request where status = 'closed' and closed_at < ${before}`,
      `delete from request_mail where request_id is null and came_at < ${before}`,
    ],
  },
  {
    kind: 'facts',
    tables: ['device_fact', 'current_fact', 'device_service', 'device_update'],
    days: 200,
    least: 1,
    time: 'at',
    // What is true now stands in current_fact, however old it is.
    forget: [`delete from device_fact where at < ${before}`],
  },
  {
    kind: 'backlog',
    tables: ['site_backlog', 'backlog_day'],
    days: 400,
    least: 31,
    time: 'day',
    forget: [`delete from site_backlog where day < ${before}`],
  },
  {
    kind: 'enrolments',
    tables: ['enrolment_attempt', 'notice'],
    days: 200,
    least: 7,
    time: 'at',
    forget: [
      `delete from enrolment_attempt where at < ${before}`,
      `delete from notice where at < ${before} and seen_at is not null`,
    ],
  },
  {
    kind: 'sweeps',
    tables: ['sweep', 'sweep_host'],
    days: 200,
    least: 7,
    time: 'started_at',
    forget: [
      `delete from sweep_host h using sweep s where s.id = h.sweep_id and s.ended_at < ${before}
         and exists (select from sweep n where n.site_id = s.site_id and n.id > s.id)`,
      `delete from sweep s where s.ended_at < ${before}
         and exists (select from sweep n where n.site_id = s.site_id and n.id > s.id)`,
    ],
  },
  {
    kind: 'audit',
    tables: ['audit'],
    days: 1100,
    least: 90,
    time: 'at',
    forget: [`delete from audit where at < ${before}`],
  },
]

export function keptOf(kind: StorageKind): Kept {
  return kept.find((each) => each.kind === kind)!
}

/** How many days each kind is kept now. */
export async function retentionDays(db: Db): Promise<Record<StorageKind, number>> {
  const said = new Map(
    (await rows<{ kind: string; days: number }>(db, 'select kind, days from retention')).map((row) => [
      row.kind,
      row.days,
    ]),
  )
  return Object.fromEntries(
    storageKinds.map((kind) => [kind, Math.max(keptOf(kind).least, said.get(kind) ?? keptOf(kind).days)]),
  ) as Record<StorageKind, number>
}
