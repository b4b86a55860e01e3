import type { Watchline, WatchlineSpan, WatchlineTick } from '#contract'
import { matcher, type Millis, type Target } from '#core'
import { rows, time, type Pool } from '../../db'
import { ofClients, type Viewer } from '../access'
import { allTraits } from '../estate'

export async function watchline(
  pool: Pool,
  viewer: Viewer,
  now: Millis,
  back: Millis,
  ahead: Millis,
): Promise<Watchline> {
  const from = now - back
  const until = now + ahead
  const clients = await rows<{ id: number; name: string }>(
    pool,
    `select id, name from client where ${ofClients('id', 1)} order by name limit 200`,
    [viewer.clientIds],
  )
  const ticks = await rows<WatchlineTick & { clientId: number }>(
    pool,
    `
    select a.client_id as "clientId", a.id as "alertId", a.began as at, a.closed_at as until, a.severity,
    d.name as "deviceName",
           coalesce(nullif(a.instance, ''), a.rule->>'name') as title
    from alert a join device d on d.id = a.device_id
    where (a.status <> 'closed' or a.closed_at > $2) and ${ofClients('a.client_id', 1)} order by a.raised_at desc
    limit 2000`,
    [viewer.clientIds, time(from)],
  )
  const found = await rows<WatchlineSpan & { clientId: number | null; target: Target }>(
    pool,
    `
    select client_id as "clientId", id as "windowId", from_at as from, least(until_at, ended_at) as until, name, target
    from maintenance_window
    where from_at < $3 and coalesce(least(until_at, ended_at), 'infinity') > $2
    and least(until_at, ended_at) is distinct from from_at
      and ($1::int[] is null or client_id is null or client_id = any($1)) order by from_at limit 1000`,
    [viewer.clientIds, time(from), time(until)],
  )
  // Of several clients, or of all. Whoever sees some clients only is told where it reaches a device of theirs, and of
  // no other.
  const shared = viewer.clientIds === null ? [] : found.filter((row) => row.clientId === null)
  const devices = shared.length
    ? await allTraits(
        pool,
        shared.map((row) => row.target),
      )
    : []
  const reached = new Map(
    shared.map(({ windowId, target }) => {
      const match = matcher(target)
      return [windowId, new Set(devices.filter(match).map((device) => device.clientId))]
    }),
  )
  const isIn = (clientId: number) => (cover: { clientId: number | null; windowId: number }) =>
    cover.clientId === null ? (reached.get(cover.windowId)?.has(clientId) ?? true) : cover.clientId === clientId
  return {
    now,
    from,
    until,
    lanes: clients.map((client) => ({
      clientId: client.id,
      clientName: client.name,
      ticks: ticks.filter((tick) => tick.clientId === client.id).map(({ clientId: _, ...tick }) => tick),
      spans: found.filter(isIn(client.id)).map(({ clientId: _, target: _target, ...span }) => span),
    })),
  }
}
