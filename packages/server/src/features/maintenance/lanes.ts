import type { Lane, Lanes, LanesQuery, LaneSpan } from '#contract'
import { day, matcher, type ClientId, type DeviceTraits, type Millis, type SiteId, type Target } from '#core'
import { rows, time, type Db } from '../../db'
import { ProblemError } from '../../http/problems'
import { occurrenceEnd, windowOfOccurrence } from '../../store/windows'
import { ofClients, type Viewer } from '../access'
import { allTraits } from '../estate'

/** Longer than anybody looks at at once. */
const longest = 100 * day
/** More spans than these are drawn as nothing that a person could read. */
const mostSpans = 2000

type Found = LaneSpan & { clientId: ClientId | null; target: Target; total: number }

/**
 * What is planned within a time: a lane for each client; of one client a lane for each of its sites. A window is in the
 * lane of the one place that it reaches, and else among the shared ones.
 * @throws ProblemError *invalid*
 */
export async function lanes(db: Db, viewer: Viewer, query: LanesQuery, now: Millis, most = mostSpans): Promise<Lanes> {
  const { from, until, client = null } = query
  if (until <= from || until - from > longest)
    throw new ProblemError('invalid', 'Look at no more than a hundred days at once.', [
      { at: 'until', message: 'too late, or before the beginning' },
    ])
  const found = await rows<Found>(
    db,
    `
    select w.id as "windowId", o.id as occurrence, o.start, w.name, o.from_at as "from",
      least(o.until_at, o.ended_at) as until, w.rule is not null as repeats, w.revision,
      not o.over and o.ended_at is null and o.from_at > now() as movable, w.client_id as "clientId", w.target,
      (count(*) over ())::int as total
    from window_occurrence o ${windowOfOccurrence}
    where o.from_at < $2 and ${occurrenceEnd} > $1 and o.ended_at is distinct from o.from_at
      and (w.client_id is null or ${ofClients('w.client_id', 3)})
      and ($4::int is null or w.client_id is null or w.client_id = $4)
    order by o.from_at, o.id limit ${most}`,
    [time(from), time(until), viewer.clientIds, client],
  )
  const clients = await rows<{ id: ClientId; name: string; zone: string }>(
    db,
    `select c.id, c.name,
       coalesce((select s.zone from site s where s.client_id = c.id order by s.id limit 1), 'UTC') as zone
     from client c where ${ofClients('c.id', 1)} and ($2::int is null or c.id = $2) order by c.name limit 5000`,
    [viewer.clientIds, client],
  )
  const sites =
    client === null
      ? []
      : await rows<{ id: SiteId; name: string; zone: string; clientId: ClientId }>(
          db,
          `select s.id, s.name, s.zone, s.client_id as "clientId" from site s
           where s.client_id = $1 and ${ofClients('s.client_id', 2)} order by s.name limit 2000`,
          [client, viewer.clientIds],
        )
  const seen = new Set(clients.map(({ id }) => id))
  const places = await placesOf(db, found, seen)
  const spansOf = (isIn: (place: Place) => boolean): LaneSpan[] =>
    found
      .filter((span) => isIn(places.get(span.windowId)!))
      .map(({ clientId: _c, target: _t, total: _n, ...span }) => span)
  const lane = (id: ClientId, siteId: SiteId | null, name: string, zone: string, spans: LaneSpan[]): Lane => ({
    clientId: id,
    siteId,
    name,
    zone,
    spans,
  })
  return {
    now,
    more: (found[0]?.total ?? 0) - found.length,
    shared: client === null ? spansOf(({ clients }) => clients.size > 1) : [],
    lanes: [
      ...clients.map(({ id, name, zone }) =>
        lane(
          id,
          null,
          name,
          zone,
          spansOf(
            (place) => place.clients.has(id) && (client === null ? place.clients.size === 1 : place.sites.size !== 1),
          ),
        ),
      ),
      ...sites.map(({ id, name, zone, clientId }) =>
        lane(
          clientId,
          id,
          name,
          zone,
          spansOf(({ sites }) => sites.size === 1 && sites.has(id)),
        ),
      ),
    ],
  }
}

/** Which of the clients and sites in sight a window reaches. */
interface Place {
  clients: ReadonlySet<ClientId>
  sites: ReadonlySet<SiteId>
}

async function placesOf(
  db: Db,
  found: readonly Found[],
  seen: ReadonlySet<ClientId>,
): Promise<ReadonlyMap<number, Place>> {
  const windows = new Map(found.map((span) => [span.windowId, span]))
  const devices = await allTraits(
    db,
    [...windows.values()].map(({ target }) => target),
  )
  const byClient = new Map<ClientId, DeviceTraits[]>()
  for (const device of devices) {
    if (!seen.has(device.clientId)) continue
    const others = byClient.get(device.clientId)
    if (others) others.push(device)
    else byClient.set(device.clientId, [device])
  }
  const mine = [...byClient.values()].flat()
  return new Map(
    [...windows].map(([id, { clientId, target }]): [number, Place] => {
      if (target.on === 'site') {
        return [id, { clients: new Set(clientId === null ? [] : [clientId]), sites: new Set([target.siteId]) }]
      }
      const reached = (clientId === null ? mine : (byClient.get(clientId) ?? [])).filter(matcher(target))
      const clients = new Set(clientId === null ? reached.map((device) => device.clientId) : [clientId])
      return [id, { clients, sites: new Set(reached.map((device) => device.siteId)) }]
    }),
  )
}
