import { requestStory, type AlertStory, type ClientId, type MailAbout, type Millis, type RequestPast } from '#core'
import { rows, type Db } from '../../db'

/** A request with all that decides who is told of it. */
export interface ToldRequest {
  of: 'request'
  id: number
  about: MailAbout
  story: AlertStory
}

interface Row {
  id: number
  client_id: ClientId | null
  came_at: Millis
  zone: string | null
}

/** Clocks are those of the client’s first site; of nobody’s they are UTC. */
export async function readRequestStories(db: Db, ids: readonly number[]): Promise<ToldRequest[]> {
  if (!ids.length) return []
  const requests = await rows<Row>(
    db,
    `select r.id, r.client_id, r.came_at,
       (select zone from site s where s.client_id = r.client_id order by s.id limit 1) as zone
     from request r where r.id = any($1) order by r.id`,
    [ids],
  )
  const past = await rows<RequestPast & { request_id: number }>(
    db,
    `select request_id, at, event, person_id as person, (detail->>'until')::float8 as until
     from request_entry where request_id = any($1) order by id`,
    [ids],
  )
  const pastOf = new Map<number, RequestPast[]>()
  for (const entry of past) pastOf.set(entry.request_id, [...(pastOf.get(entry.request_id) ?? []), entry])
  return requests.map(({ id, client_id, came_at, zone }) => ({
    of: 'request',
    id,
    about: { of: 'mail', clientId: client_id },
    story: requestStory(came_at, pastOf.get(id) ?? [], zone ?? 'UTC'),
  }))
}
