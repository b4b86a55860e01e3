import type { AlertTimeline, TimelineItem } from '#contract'
import { hour, logLevels, minute, type LogLevel, type Millis, type Severity } from '#core'
import { rows, time, type Pool } from '../../db'
import { loadContext } from '../../engine'
import { ProblemError } from '../../http/problems'
import { ofClients, type Viewer } from '../access'
import { restartsBetween, updatesBetween, windowsBetween, type WindowThen } from '../series'

/** What happened so long before it began may have to do with it. */
const before: Millis = 2 * hour
const after: Millis = 30 * minute
/** Of log entries and of other alerts, the worst and nearest so many each. */
const most = 60
const worth: LogLevel = 'warning'

interface Subject {
  id: number
  deviceId: number | null
  siteId: number
  clientId: number
  began: Millis
  closedAt: Millis | null
}
interface Span {
  from: Millis
  until: Millis
}
const item = (row: Partial<TimelineItem> & Pick<TimelineItem, 'at' | 'kind'>): TimelineItem => ({
  text: '',
  by: '',
  severity: null,
  id: null,
  deviceName: '',
  ...row,
})

/** By the primary key (device, at). The worst first, so that what is left out is what matters least. */
async function logEntries(pool: Pool, { deviceId }: Subject, { from, until }: Span) {
  const found = await rows<{ at: Millis; level: number; source: string; text: string; total: number }>(
    pool,
    `
    select at, level, source, text, (count(*) over ())::int as total from log_event
    where device_id = $1 and at between $2 and $3 and level <= $4 order by level, at desc limit ${most}`,
    [deviceId, time(from), time(until), logLevels.indexOf(worth)],
  )
  return {
    items: found.map(({ at, level, source, text }) =>
      item({
        at,
        kind: 'log',
        text,
        by: source,
        severity: level <= logLevels.indexOf('error') ? 'critical' : 'warning',
      }),
    ),
    left: (found[0]?.total ?? 0) - found.length,
  }
}

/** Of the same device all, of its site what is more than a notice; those that it carries stand at the alert itself. */
async function otherAlerts(pool: Pool, viewer: Viewer, subject: Subject, { from, until }: Span) {
  const found = await rows<{
    id: number
    began: Millis
    closedAt: Millis | null
    severity: Severity
    deviceName: string
    about: string
    total: number
  }>(
    pool,
    `
    select a.id, a.began, a.closed_at as "closedAt", a.severity, coalesce(d.name, '') as "deviceName",
      coalesce(a.evidence->>'subject', nullif(a.instance, ''), a.rule->>'name') as about, (count(*) over ())::int as total
    from alert a left join device d on d.id = a.device_id
    where a.id <> $2 and ${ofClients('a.client_id', 1)}
      and (a.device_id = $3 or (coalesce(a.site_id, d.site_id) = $4 and a.severity <> 'notice'))
      and a.carried_by is distinct from $2
      and (a.began between $5 and $6 or a.closed_at between $5 and $6)
    order by a.device_id is not distinct from $3 desc, abs(extract(epoch from a.began - $7)) limit ${most}`,
    [viewer.clientIds, subject.id, subject.deviceId, subject.siteId, time(from), time(until), time(subject.began)],
  )
  return {
    items: found.flatMap(({ id, began, closedAt, severity, deviceName, about }) => {
      const one = { id, severity, deviceName, text: about }
      return [
        item({ ...one, at: began, kind: 'raised' }),
        ...(closedAt === null ? [] : [item({ ...one, at: closedAt, kind: 'closed' })]),
      ]
    }),
    left: (found[0]?.total ?? 0) - found.length,
  }
}

/** Windows in force at some time of the span that reach its device by what that is today. */
async function windows(pool: Pool, { deviceId }: Subject, { from, until }: Span): Promise<WindowThen[]> {
  const traits = deviceId === null ? undefined : (await loadContext(pool, deviceId))?.traits
  return traits ? windowsBetween(pool, traits, from, until) : []
}
const boundsOf = (planned: readonly WindowThen[]) =>
  planned.flatMap(({ id, name, from, until }) => [
    item({ at: from, kind: 'began', text: name, id }),
    ...(until === null ? [] : [item({ at: until, kind: 'ended', text: name, id })]),
  ])
/** What was done within a window was planned. */
const markPlanned = (items: readonly TimelineItem[], planned: readonly WindowThen[]) =>
  items.map((done) => {
    const window = planned.find(({ from, until }) => from <= done.at && done.at < (until ?? Infinity))
    return window ? { ...done, by: window.name, id: window.id } : done
  })

/** What people changed about the device, its policy, windows and site. */
async function changes(pool: Pool, viewer: Viewer, { deviceId, siteId, clientId }: Subject, { from, until }: Span) {
  if (viewer.access === 'contact') return []
  const found = await rows<{ at: Millis; action: string; of: string; name: string | null; by: string | null }>(
    pool,
    `
    select u.at, u.action, u.object_kind as of, p.name as by, coalesce(u.detail->>'name', u.detail->>'service', w.name, t.name) as name
    from audit u left join person p on p.id = u.person_id
    left join maintenance_window w on u.object_kind = 'window' and w.id = u.object_id
    left join template t on u.object_kind = 'template' and t.id = u.object_id
    where u.at between $1 and $2 and (
      u.object_kind in ('device', 'service') and u.object_id = $3
      or u.object_kind = 'site' and u.object_id = $4
      or u.object_kind in ('template', 'assignment', 'exception', 'window')
        and (u.client_id is null or u.client_id = $5) and ${ofClients('coalesce(u.client_id, $5)', 6)})
    order by u.at desc limit ${most}`,
    [time(from), time(until), deviceId, siteId, clientId, viewer.clientIds],
  )
  return found.map(({ at, action, of, name, by }) =>
    item({ at, kind: 'changed', text: `${action} ${of}${name ? ` ${name}` : ''}`, by: by ?? '' }),
  )
}

async function installed(pool: Pool, { deviceId }: Subject, { from, until }: Span) {
  const found = await updatesBetween(pool, deviceId, from, until)
  return found.map(({ at, names }) => item({ at, kind: 'installed', text: names.join(', ') }))
}

async function restarts(pool: Pool, { deviceId }: Subject, { from, until }: Span) {
  if (deviceId === null) return []
  return (await restartsBetween(pool, deviceId, from, until)).map((at) => item({ at, kind: 'restarted' }))
}

/** What else happened around an alert, on its device and at its site. @throws ProblemError no-such-alert */
export async function timeline(pool: Pool, viewer: Viewer, id: number): Promise<AlertTimeline> {
  const [subject] = await rows<Subject>(
    pool,
    `
    select a.id, a.device_id as "deviceId", coalesce(a.site_id, d.site_id) as "siteId", a.client_id as "clientId", a.began,
      a.closed_at as "closedAt"
    from alert a left join device d on d.id = a.device_id where a.id = $1 and ${ofClients('a.client_id', 2)}`,
    [id, viewer.clientIds],
  )
  if (!subject) throw new ProblemError('no-such-alert')
  const now = Date.now()
  // Of what lasts for weeks only its beginning is told, and what was lately.
  const span = {
    from: subject.began - before,
    until: Math.min(now, (subject.closedAt ?? now) + after, subject.began + 24 * hour),
  }
  const [log, alerts, planned, changed, ...done] = await Promise.all([
    logEntries(pool, subject, span),
    otherAlerts(pool, viewer, subject, span),
    windows(pool, subject, span),
    changes(pool, viewer, subject, span),
    installed(pool, subject, span),
    restarts(pool, subject, span),
  ])
  const items = [
    ...log.items,
    ...alerts.items,
    ...boundsOf(planned),
    ...changed,
    ...markPlanned(done.flat(), planned),
  ].filter(({ at }) => at >= span.from && at <= span.until)
  return { ...span, items: items.toSorted((a, b) => a.at - b.at), left: log.left + alerts.left }
}
