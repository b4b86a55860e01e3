import type { Watchline, WatchlineSpan, WatchlineTick } from '#contract'
import { crowd, matcher, minute, type ClientId, type Millis, type Severity, type Target } from '#core'
import { firstRow, rows, time, type Pool } from '../../db'
import { ofClients, type Viewer } from '../access'
import { occurrenceEnd, windowOfOccurrence } from '../../store/windows'
import { allTraits } from '../estate'

/** More lanes than these are none that a person tells apart: they fold into one. */
const mostLanes = 6
/** So do more alerts than these, into columns. */
const mostTicks = 400
const mostSpans = 300
/** Length of a step of the columns. */
const width = 20 * minute

interface Span extends WatchlineSpan {
  clientId: ClientId | null
}

/**
 * What stands on the line, for one client or for all that somebody sees. Nothing is left out of the columns; of the
 * windows it says how many it does not tell.
 */
export async function watchline(
  pool: Pool,
  viewer: Viewer,
  clientId: ClientId | null,
  now: Millis,
  back: Millis,
  ahead: Millis,
): Promise<Watchline> {
  const from = now - back
  const until = now + ahead
  const [counted, standing] = await Promise.all([
    firstRow<{ clients: number }>(
      pool,
      `select count(*)::int as clients from client where ${ofClients('id', 1)} and ($2::int is null or id = $2)`,
      [viewer.clientIds, clientId],
    ),
    openMeanwhile(pool, viewer, clientId, from),
  ])
  const clients = counted!.clients
  const isFolded = clients > mostLanes || standing.reduce((sum, { count }) => sum + count, 0) > mostTicks
  const isLimited = viewer.clientIds !== null || clientId !== null || !isFolded
  const found = await windowsMeanwhile(pool, viewer, clientId, from, until, isLimited)
  const windows = [...new Set(found.map((span) => span.windowId))]
  const told = new Set(windows.slice(0, mostSpans))
  const spans = found.filter((span) => told.has(span.windowId))
  const line = { now, from, until, clients, moreSpans: windows.length - told.size }
  if (isFolded) {
    const distinct = new Map(spans.map(({ clientId: _, ...span }) => [span.occurrence, span]))
    return {
      ...line,
      lanes: [],
      crowd: { width, steps: crowd(standing, from, now, width), spans: [...distinct.values()] },
    }
  }
  const lanes = await rows<{ id: ClientId; name: string }>(
    pool,
    `select id, name from client where ${ofClients('id', 1)} and ($2::int is null or id = $2) order by name`,
    [viewer.clientIds, clientId],
  )
  const ticks = await rows<WatchlineTick & { clientId: ClientId }>(
    pool,
    `
    select a.client_id as "clientId", a.id as "alertId", a.began as at, a.closed_at as until, a.severity,
    coalesce(d.name, s.name) as "deviceName", coalesce(nullif(a.instance, ''), a.rule->>'name') as title
    from alert a left join device d on d.id = a.device_id left join site s on s.id = a.site_id
    where ${meanwhile} order by a.raised_at desc`,
    [viewer.clientIds, clientId, time(from)],
  )
  return {
    ...line,
    lanes: lanes.map(({ id, name }) => ({
      clientId: id,
      clientName: name,
      ticks: ticks.filter((tick) => tick.clientId === id).map(({ clientId: _, ...tick }) => tick),
      spans: spans.filter((span) => span.clientId === id).map(({ clientId: _, ...span }) => span),
    })),
    crowd: null,
  }
}

/** Alerts that stood open at some time since, but for what history says: of whom $1 sees, of client $2, since $3. */
const meanwhile = `(a.status <> 'closed' or a.closed_at > $3 and a.close_reason is distinct from 'history')
    and ${ofClients('a.client_id', 1)}
    and ($2::int is null or a.client_id = $2)`

/**
 * Counted by the step that they began and ended in: a few hundred rows however many alerts there are. `alert_unclosed`
 * and `alert_closed` serve it, joined by a bitmap.
 */
async function openMeanwhile(pool: Pool, viewer: Viewer, clientId: ClientId | null, from: Millis) {
  const found = await rows<{ first: number; last: number | null; severity: Severity; count: number }>(
    pool,
    `
    select greatest(floor(extract(epoch from a.began - $3) / $4), -1)::int as first,
      floor(extract(epoch from a.closed_at - $3) / $4)::int as last, a.severity, count(*)::int as count
    from alert a where ${meanwhile} group by 1, 2, 3`,
    [viewer.clientIds, clientId, time(from), width / 1000],
  )
  return found.map(({ first, last, severity, count }) => ({
    at: from + first * width,
    until: last === null ? null : from + last * width,
    severity,
    count,
  }))
}

/**
 * A window of several clients, or of all, has no client.
 * @param isLimited told where it reaches a device of those in view, and of no other; else once
 */
async function windowsMeanwhile(
  pool: Pool,
  viewer: Viewer,
  clientId: ClientId | null,
  from: Millis,
  until: Millis,
  isLimited: boolean,
): Promise<Span[]> {
  const found = await rows<Span & { target: Target }>(
    pool,
    `
    select w.client_id as "clientId", w.id as "windowId", o.id as occurrence, o.from_at as from,
      least(o.until_at, o.ended_at) as until, w.name, w.target
    from window_occurrence o ${windowOfOccurrence}
    where o.from_at < $4 and ${occurrenceEnd} > $3 and o.ended_at is distinct from o.from_at
      and (w.client_id is null or ${ofClients('w.client_id', 1)} and ($2::int is null or w.client_id = $2))
    order by o.from_at, w.id`,
    [viewer.clientIds, clientId, time(from), time(until)],
  )
  const shared = isLimited ? found.filter((span) => span.clientId === null) : []
  if (!shared.length) return found.map(({ target: _, ...span }) => span)
  const devices = (
    await allTraits(
      pool,
      shared.map((span) => span.target),
    )
  ).filter((device) => isSeen(viewer, device.clientId) && (clientId === null || device.clientId === clientId))
  return found.flatMap(({ target, ...span }) => {
    if (span.clientId !== null) return [span]
    const match = matcher(target)
    return [...new Set(devices.filter(match).map((device) => device.clientId))].map((id) => ({ ...span, clientId: id }))
  })
}

const isSeen = (viewer: Viewer, id: ClientId) => viewer.clientIds === null || viewer.clientIds.includes(id)
