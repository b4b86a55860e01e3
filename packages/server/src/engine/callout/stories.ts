import {
  isNamed,
  reaches,
  watchKinds,
  windowEnd,
  type AlertAbout,
  type AlertEventDetail,
  type AlertStory,
  type ClientId,
  type DeviceId,
  type DeviceTraits,
  type MaintenanceWindow,
  type Millis,
  type Quiet,
  type Severity,
  type StoryEvent,
  type Target,
} from '#core'
import { rows, type Db } from '../../db'
import { allTraits } from '../../store/traits'
import { windowsSince } from '../../store/windows'

/** An alert with all that decides who is told of it. */
export interface ToldAlert {
  of: 'alert'
  id: number
  about: AlertAbout
  story: AlertStory
}

interface AlertRow {
  id: number
  device_id: DeviceId | null
  client_id: ClientId
  watch: string
  instance: string
  kind: string
  severity: Severity
  raised_at: Millis
  committed_at: Millis
  closed_at: Millis | null
  zone: string
  carried_by: number | null
}
interface EntryRow {
  alert_id: number
  at: Millis
  event: string
  detail: AlertEventDetail
  person_id: number | null
}
interface CarriedRow {
  alert_id: number
  since: Millis
  carried_by: number | null
}

const byAlert = <Row extends { alert_id: number }>(list: readonly Row[]): Map<number, Row[]> => {
  const map = new Map<number, Row[]>()
  for (const row of list) map.set(row.alert_id, [...(map.get(row.alert_id) ?? []), row])
  return map
}

/** @param asKnown an alert begins when the server knew of it, else when it was raised: reports may come in late */
export async function readStories(
  db: Db,
  ids: readonly number[],
  targets: readonly Target[],
  asKnown: boolean,
): Promise<ToldAlert[]> {
  if (!ids.length) return []
  const alerts = await rows<AlertRow>(
    db,
    `
    select a.id, a.device_id, a.client_id, a.watch, a.instance, a.rule->>'kind' as kind, a.severity, a.raised_at,
      a.committed_at, a.closed_at, a.carried_by, s.zone
    from alert a left join device d on d.id = a.device_id join site s on s.id = coalesce(a.site_id, d.site_id)
    where a.id = any($1) order by a.id`,
    [ids],
  )
  const entries = byAlert(
    await rows<EntryRow>(
      db,
      `select alert_id, case when $2 then greatest(at, known_at) else at end as at, event, detail, person_id
       from alert_entry where alert_id = any($1) order by id`,
      [ids, asKnown],
    ),
  )
  const carried = byAlert(
    await rows<CarriedRow>(
      db,
      'select alert_id, since, carried_by from carried_past where alert_id = any($1) order by since',
      [ids],
    ),
  )
  const members = byAlert(
    await rows<{ alert_id: number; device_id: DeviceId }>(
      db,
      `select carried_by as alert_id, device_id from alert where carried_by = any($1) and device_id is not null`,
      [alerts.filter(({ device_id }) => device_id === null).map(({ id }) => id)],
    ),
  )
  const deviceIds = new Set(alerts.flatMap(({ device_id }) => (device_id === null ? [] : [device_id])))
  for (const list of members.values()) for (const { device_id } of list) deviceIds.add(device_id)
  const windows = alerts.length ? await windowsSince(db, Math.min(...alerts.map(({ raised_at }) => raised_at))) : []
  const traits = new Map(
    (await allTraits(db, [...targets, ...windows.map(({ target }) => target)], [...deviceIds])).map((device) => [
      device.id,
      device,
    ]),
  )
  return alerts.map((alert) => {
    const own = alert.device_id === null ? null : (traits.get(alert.device_id) ?? null)
    const devices =
      alert.device_id === null
        ? (members.get(alert.id) ?? []).flatMap(({ device_id }) => traits.get(device_id) ?? [])
        : own
          ? [own]
          : []
    const about: AlertAbout = {
      of: 'alerts',
      clientId: alert.client_id,
      devices,
      family: watchKinds.get(alert.kind)?.subject ?? 'silence',
      cause: alert.device_id === null ? 'site' : alert.kind === 'silence' ? 'silence' : 'watch',
    }
    const story = storyOf(alert, entries.get(alert.id) ?? [], asKnown)
    const quiet = [
      ...story.quiet,
      ...carriedTimes(alert, carried.get(alert.id) ?? []),
      ...(own ? coverTimes(alert, about, own, windows) : []),
    ]
    return { of: 'alert', id: alert.id, about, story: { ...story, quiet } }
  })
}

function storyOf(alert: AlertRow, entries: readonly EntryRow[], asKnown: boolean): AlertStory {
  const raisedAt = asKnown ? Math.max(alert.raised_at, alert.committed_at) : alert.raised_at
  const events: StoryEvent[] = []
  const quiet: Quiet[] = []
  let severity: Severity | null = null
  let hidden: Quiet | null = null
  const shown = (at: Millis) => {
    if (hidden && (hidden.until === null || hidden.until > at)) hidden.until = at
    hidden = null
  }
  for (const { at, event, detail, person_id: person } of entries) {
    if (event === 'severity-changed') {
      severity ??= detail.from ?? null
      events.push({ at, is: 'severity', severity: detail.to ?? alert.severity })
      // Somebody put off something less than this.
      shown(at)
    } else if (event === 'taken' && person !== null) events.push({ at, is: 'taken', by: person })
    else if (event === 'given-back') events.push({ at, is: 'given-back' })
    else if (event === 'promised' && person !== null) {
      events.push({ at, is: 'taken', by: person }, { at, is: 'promised', until: detail.until ?? at })
    } else if (event === 'well') events.push({ at, is: 'well' })
    else if (event === 'failed-again') events.push({ at, is: 'failing' })
    else if (event === 'closed') events.push({ at, is: 'closed', isWell: detail.reason === 'cleared' })
    else if (event === 'reopened') {
      if (detail.to) events.push({ at, is: 'severity', severity: detail.to })
      events.push({ at, is: 'reopened', keepsHolder: detail.isFlip === true })
    } else if (event === 'hidden') {
      shown(at)
      quiet.push((hidden = { because: 'hidden', from: at, until: detail.until ?? at }))
    } else if (person !== null) events.push({ at, is: 'touched' })
    if (['taken', 'promised', 'shown', 'handed-over', 'closed', 'reopened'].includes(event)) shown(at)
  }
  return {
    zone: alert.zone,
    raisedAt,
    severity: severity ?? raisedWith(entries) ?? alert.severity,
    events: events.toSorted((a, b) => a.at - b.at),
    quiet,
  }
}

/** Where it says with which severity it was raised. */
function raisedWith(entries: readonly EntryRow[]): Severity | null {
  const first = entries.find(({ event }) => event === 'raised' || event === 'raised-after-maintenance')
  return first?.detail.to ?? null
}

/** When it was a part of another; what is over is a part of nothing. */
function carriedTimes(alert: AlertRow, past: readonly CarriedRow[]): Quiet[] {
  return past.flatMap(({ since, carried_by }, i): Quiet[] => {
    if (carried_by === null) return []
    // What was carried as it was raised was so from its first moment on.
    const from = since <= alert.committed_at ? Math.min(since, alert.raised_at) : since
    return [{ because: 'carried', from, until: past[i + 1]?.since ?? alert.closed_at }]
  })
}

function coverTimes(
  alert: AlertRow,
  about: AlertAbout,
  device: DeviceTraits,
  windows: readonly MaintenanceWindow[],
): Quiet[] {
  const post = { device, watch: alert.watch, instance: alert.instance, family: about.family }
  return windows.flatMap((window): Quiet[] => {
    const end = windowEnd(window)
    return (end === null || end > window.from) && reaches(window, device) && isNamed(window.subject, post)
      ? [{ because: 'window', from: window.from, until: end }]
      : []
  })
}
