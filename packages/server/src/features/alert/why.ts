import type { WhyPage, WhyQuery } from '#contract'
import {
  day,
  minute,
  why,
  usualMetrics,
  watchKind,
  withoutNamed,
  type FactSubject,
  type Facts,
  type LogEvent,
  type MetricName,
  type Millis,
  type Observed,
  type PostPast,
  type Reading,
  type Roster,
  type Severity,
  type WhyStep,
} from '#core'
import { firstRow, rows, time, type Db, type Pool } from '../../db'
import { ProblemError } from '../../http/problems'
import { policyAsOf } from '../../store/policy'
import { learnSeries, readDiskDays, reportOnRecord, type DaysOfDisks, type UsualOfSeries } from '../../store/series'
import { deviceAt, type DeviceThen } from '../../store/deviceAt'
import { traitsOf } from '../../store/traits'
import { windowsReaching } from '../../store/windows'
import { requireDevice } from '../estate'
import { requireClient, type Viewer } from '../access'

/** How long a post may have been looked for in what is kept of its reports. */
const reportsBack: Millis = 40 * day

/** The newest report until then, by the primary key (device, at). */
interface KeptReport {
  at: Millis
  receivedAt: Millis
  readings: Reading[]
  newest: boolean
  /** The shortest time between it and the few before it; null: there are none. */
  gap: Millis | null
}
async function reportAt(db: Db, id: number, at: Millis): Promise<KeptReport | null> {
  const found = await firstRow<Omit<KeptReport, 'readings'> & { value: number[]; series: [MetricName, string][] }>(
    db,
    `
    select r.at, r.received_at as "receivedAt", r.value, y.series,
      not exists (select from report n where n.device_id = $1 and n.at > r.at) as newest,
      (select min(extract(epoch from g) * 1000)::float8 from (
        select lag(b.at) over (order by b.at desc) - b.at as g from (
          select at from report where device_id = $1 and at <= r.at and at > $3 order by at desc limit 4) b) g) as gap
    from report r join layout y on y.id = r.layout_id
    where r.device_id = $1 and r.at <= $2 and r.at > $3 order by r.at desc limit 1`,
    [id, time(at), time(at - reportsBack)],
  )
  if (!found) return reportLongAgo(db, id, at)
  return { ...found, readings: found.series.map(([metric, instance], i) => [metric, instance, found.value[i]!]) }
}

/** Of a time of which reports are not kept as they came, by what is packed of them: when it came in nobody knows. */
async function reportLongAgo(db: Db, id: number, at: Millis): Promise<KeptReport | null> {
  const found = await reportOnRecord(db, id, at, reportsBack)
  if (!found) return null
  const times = [found.at, ...found.before]
  const gaps = times.slice(1).map((time, i) => times[i]! - time)
  return {
    at: found.at,
    receivedAt: found.at,
    readings: found.readings,
    newest: false,
    gap: gaps.length ? Math.min(...gaps) : null,
  }
}

interface Past {
  days: DaysOfDisks
  usual: UsualOfSeries
}

function observedIn(report: KeptReport, device: DeviceThen, facts: Facts, past: Past): Observed {
  return {
    at: report.at,
    // How often it reported then is not kept, and may have been another interval than today’s.
    interval: Math.max(device.interval_ms, report.gap ?? 0),
    heardAt: report.at,
    readings: report.readings,
    facts,
    events: [] as LogEvent[],
    // What failed before is not kept: of older reports it is not known.
    failed: report.newest ? device.failed : [],
    zone: device.zone,
    ...past,
  }
}

const subjectsKept: readonly FactSubject[] = [
  'system',
  'disks',
  'drives',
  'services',
  'starts',
  'updates',
  'packages',
  'ports',
  'logs',
  'links',
  'blocks',
  'sensors',
  'files',
  'protection',
  'sessions',
  'counters',
]

async function factsAt(db: Db, id: number, at: Millis): Promise<Facts> {
  const found = await rows<{ subject: string; value: unknown }>(
    db,
    // By the primary key (device, subject, at), a look for each.
    `select s.subject, f.value from unnest($3::text[]) s (subject)
     cross join lateral (select value from device_fact
       where device_id = $1 and subject = s.subject and at <= $2 order by at desc limit 1) f`,
    [id, time(at), subjectsKept],
  )
  return Object.fromEntries(found.map(({ subject, value }) => [subject, value])) as Facts
}

/** What had become of a post by then: its level, what was held, tried, open and closed by hand. */
async function postAt(
  db: Db,
  id: number,
  { watch, instance }: WhyQuery,
  at: Millis,
): Promise<Pick<PostPast, 'level' | 'held' | 'tried' | 'alert' | 'dismissed'>> {
  const post = [id, watch, instance, time(at)]
  const change = await firstRow<{
    at: Millis
    to_level: Severity | null
    began: Millis
    evidence: PostPast['level'] extends infer L ? (L extends { evidence: infer E } ? E : never) : never
  }>(
    db,
    `select at, to_level, began, evidence from post_change
     where device_id = $1 and watch = $2 and instance = $3 and at <= $4 order by at desc limit 1`,
    post,
  )
  const raised = await firstRow<{ at: Millis }>(
    db,
    `select at from post_change
     where device_id = $1 and watch = $2 and instance = $3 and at <= $4 and kind = 'raised' order by at desc limit 1`,
    post,
  )
  const held = await firstRow<{ window: number; since: Millis }>(
    db,
    `select window_id as window, held_at as since from held
     where device_id = $1 and watch = $2 and instance = $3 and held_at <= $4 and coalesce(ended_at, 'infinity') > $4
     order by id desc limit 1`,
    post,
  )
  const tried = await firstRow<{ since: Millis; until: Millis | null }>(
    db,
    `select started_at as since, case when ended_at <= $4 then ended_at end as until from remediation
     where device_id = $1 and watch = $2 and instance = $3 and started_at <= $4
       and coalesce(ended_at, 'infinity') > coalesce($5::timestamptz, '-infinity') order by id desc limit 1`,
    [...post, time(change?.to_level ? change.began : at)],
  )
  // What became of an alert stands in its entries: it may have been closed and opened again since.
  const alert = await firstRow<{
    id: number
    since: Millis
    event: string
    reason: string | null
    carrier: number | null
  }>(
    db,
    `
    select a.id, a.raised_at as since, e.event, e.detail->>'reason' as reason,
      case when a.status <> 'closed' or a.closed_at > $4 then (select case when b.raised_at <= $4 then k.carried_by end
        from carried_past k left join alert b on b.id = k.carried_by
        where k.alert_id = a.id and k.since <= $4 order by k.since desc limit 1) end as carrier
    from alert a
    join lateral (select event, detail from alert_entry
      where alert_id = a.id and at <= $4
        and event in ('raised', 'raised-after-maintenance', 'reopened', 'closed')
      order by id desc limit 1) e on true
    where a.device_id = $1 and a.watch = $2 and a.instance = $3 and a.raised_at <= $4
    order by a.raised_at desc limit 1`,
    post,
  )
  const isOpen = alert !== null && alert.event !== 'closed'
  // What is watched no more is forgotten, with the level that it had.
  const isForgotten = alert?.event === 'closed' && alert.reason !== 'cleared' && alert.reason !== 'by-hand'
  return {
    level:
      change?.to_level && !isForgotten
        ? { level: change.to_level, began: change.began, since: raised?.at ?? change.at, evidence: change.evidence }
        : null,
    held,
    tried: change?.to_level ? tried : null,
    alert: isOpen ? { id: alert.id, since: alert.since, carrier: alert.carrier } : null,
    dismissed:
      alert?.event === 'closed' && alert.reason === 'by-hand' && change?.to_level && !held
        ? { id: alert.id, since: alert.since }
        : null,
  }
}

/** What each watch in force looked at, so that it can be chosen. One that cannot be evaluated costs only itself. */
function watchesOf(roster: Roster, observed: Observed | null): WhyPage['watches'] {
  return roster.map((watch) => {
    const { key, name } = watch
    const kind = watchKind(watch.kind)
    if (!observed || kind.remembersAlways === true) return { key, name, instances: [''] }
    try {
      const seen = kind.observe(withoutNamed(watch, roster), observed, () => undefined)
      return { key, name, instances: seen.slice(0, 500).map(({ instance }) => instance) }
    } catch {
      return { key, name, instances: [] }
    }
  })
}

/** What call-out rules had said of an alert by then, or that none had; the newest of what is said again and again. */
async function toldSteps(db: Db, alertId: number, at: Millis): Promise<WhyStep[]> {
  const none = { until: null, length: null, sources: [], collector: null, result: 'noted' as const }
  const found = await rows<{ at: Millis; rule: string; severity: Severity }>(
    db,
    `select max(s.at) as at, coalesce(r.name, '') as rule, (array_agg(s.severity order by s.id desc))[1] as severity
     from callout_step s left join callout_revision r on r.id = s.rule_id and r.revision = s.revision
     where s.alert_id = $1 and s.decided_at <= $2 group by r.name order by 1`,
    [alertId, time(at)],
  )
  if (!found.length) return [{ ...none, code: 'not-told', at: null, text: '', severity: null, id: alertId }]
  return found.map(({ rule, ...said }) => ({ ...none, ...said, code: 'told', text: rule, id: alertId }))
}

/**
 * Why there was an alert about a post at a time, or was none, by what was in force and true then.
 * @throws ProblemError no-such-device, invalid
 */
export async function whyAt(pool: Pool, viewer: Viewer, id: number, query: WhyQuery): Promise<WhyPage> {
  await requireDevice(pool, viewer, id)
  const now = Date.now()
  const at = query.at ?? now
  if (at > now + minute)
    throw new ProblemError('invalid', 'Nobody knows yet. Choose a time that is over.', [
      { at: 'at', message: 'is to come' },
    ])
  const report = await reportAt(pool, id, at)
  // What came in late was judged by what was in force when it did.
  const judgedAt = Math.max(at, report?.receivedAt ?? at)
  const device = await deviceAt(pool, id, judgedAt)
  if (!device) throw new ProblemError('no-such-device')
  // What was another client’s then stays theirs.
  requireClient(viewer, device.client_id, 'no-such-device')
  const facts = await factsAt(pool, id, at)
  const traits = traitsOf(device, facts)
  const [policy, post, windows] = await Promise.all([
    policyAsOf(pool, judgedAt),
    postAt(pool, id, query, at),
    windowsReaching(pool, traits, at),
  ])
  const roster = policy.compiled.roster(traits)
  const past = report && {
    days: (await readDiskDays(pool, [id], report.at)).get(id) ?? new Map(),
    usual: await learnSeries(pool, id, usualMetrics(roster), device.zone, report.at),
  }
  const observed = report && past && observedIn(report, device, facts, past)
  const { watch, instance } = query
  return {
    at,
    deviceName: device.name,
    zone: device.zone,
    steps: [
      ...why({ at, device: traits, roster, watch, instance, observed, windows, ...post }),
      ...(post.alert && viewer.access !== 'contact' ? await toldSteps(pool, post.alert.id, at) : []),
    ],
    knownSince: device.known_since > judgedAt ? device.known_since : null,
    watches: watchesOf(roster, observed),
  }
}
