import type { Watchline, WatchlineSpan, WatchlineTick } from '#contract'
import type { Millis } from '#core'
import { rows, time, type Pool } from '../../db'
import type { Viewer } from '../access'

export async function watchline(pool: Pool, viewer: Viewer, now: Millis, back: Millis, ahead: Millis): Promise<Watchline> {
  const from = now - back
  const until = now + ahead
  const clients = await rows<{ id: number; name: string }>(pool, 'select id, name from client where $1::int[] is null or id = any($1) order by name limit 200', [viewer.clientIds])
  const ticks = await rows<WatchlineTick & { clientId: number }>(pool, `
    select a.client_id as "clientId", a.id as "alertId", a.began as at, a.closed_at as until, a.severity, d.name as "deviceName",
           coalesce(nullif(a.instance, ''), a.rule->>'name') as title
    from alert a join device d on d.id = a.device_id
    where (a.status <> 'closed' or a.closed_at > $2) and ($1::int[] is null or a.client_id = any($1)) order by a.raised_at desc limit 2000`, [viewer.clientIds, time(from)])
  const spans = await rows<WatchlineSpan & { clientId: number | null }>(pool, `
    select client_id as "clientId", id as "windowId", from_at as from, least(until_at, ended_at) as until, name from maintenance_window
    where from_at < $3 and coalesce(least(until_at, ended_at), 'infinity') > $2 and least(until_at, ended_at) is distinct from from_at
      and ($1::int[] is null or client_id is null or client_id = any($1)) order by from_at limit 1000`, [viewer.clientIds, time(from), time(until)])
  return {
    now, from, until,
    lanes: clients.map((client) => ({
      clientId: client.id, clientName: client.name,
      ticks: ticks.filter((one) => one.clientId === client.id).map(({ clientId: _, ...tick }) => tick),
      spans: spans.filter((one) => one.clientId === null || one.clientId === client.id).map(({ clientId: _, ...span }) => span),
    })),
  }
}
