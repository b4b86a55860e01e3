import type { FeedView, MadeFeed, NewFeed } from '#contract'
import { matcher, targetSentence, type Target } from '#core'
import { firstRow, rows, type Db } from '../../../db'
import { ProblemError } from '../../../http/problems'
import { digest, makeSecret } from '../../../secrets/secret'
import { audit, ofClients, requireClient, type Viewer } from '../../access'
import { turnsCalendar } from '../../callout'
import { allTraits } from '../../estate'
import { readEstate } from '../../policy'
import { calendarText, type CalendarWindow } from './write'

/** What is planned, and what was within the last thirty days, of those that somebody sees. */
export async function plannedCalendar(
  db: Db,
  clientIds: readonly number[] | null,
  clientId: number | null,
  isOwn: boolean,
): Promise<string> {
  const found = await rows<Omit<CalendarWindow, 'targetText'>>(
    db,
    `
    select w.*, w.rule is null and exists (select from window_occurrence o where o.window_id = w.id
      and o.ended_at = o.from_at) as cancelled
    from maintenance_window w
    where (w.client_id is null and $3 or ${ofClients('w.client_id', 1)} and ($2::int is null or w.client_id = $2))
      and exists (select from window_occurrence o where o.window_id = w.id
        and coalesce(least(o.until_at, o.ended_at), 'infinity') > now() - interval '30 days')
    order by w.id limit 5000`,
    // In a file what a shared window reaches stands by numbers, those of other clients among them.
    [clientIds, clientId, !isOwn || clientIds === null],
  )
  const reaching = await reachingOnly(db, found, clientIds, clientId)
  const estate = await readEstate(db, clientIds)
  const name = clientId === null ? 'Maintenance' : `Maintenance, ${estate.clients.get(clientId) ?? ''}`
  return calendarText(
    reaching.map((row) => ({ ...row, targetText: targetSentence(row.target, estate) })),
    name,
    isOwn,
  )
}

/** Of windows of several clients, those that reach a device of the ones in view. */
async function reachingOnly<Row extends { client_id: number | null; target: Target }>(
  db: Db,
  found: Row[],
  clientIds: readonly number[] | null,
  clientId: number | null,
): Promise<Row[]> {
  if (clientIds === null && clientId === null) return found
  const shared = found.filter((row) => row.client_id === null).map(({ target }) => target)
  const devices = shared.length
    ? (await allTraits(db, shared)).filter(
        (device) =>
          (clientIds?.includes(device.clientId) ?? true) && (clientId === null || device.clientId === clientId),
      )
    : []
  return found.filter(({ client_id, target }) => client_id !== null || devices.some(matcher(target)))
}

export async function makeFeed(tx: Db, viewer: Viewer, { clientId, label, teamId }: NewFeed): Promise<MadeFeed> {
  if (clientId !== null) requireClient(viewer, clientId, 'no-such-client')
  if (teamId !== undefined && viewer.access === 'contact') throw new ProblemError('not-allowed')
  if (teamId !== undefined && !(await firstRow(tx, 'select from team where id = $1 and removed_at is null', [teamId])))
    throw new ProblemError('no-such-team')
  const secret = makeSecret()
  const row = await firstRow<{ id: number }>(
    tx,
    'insert into calendar_feed (person_id, client_id, label, digest, team_id) values ($1, $2, $3, $4, $5) returning id',
    [viewer.id, clientId, label, digest(secret), teamId ?? null],
  )
  await audit(tx, { personId: viewer.id, action: 'made', kind: 'calendar feed', id: row!.id, clientId })
  return { id: row!.id, path: `/calendar/${secret}.ics` }
}

/** Those of somebody; for a lead of all also everybody else's. */
export function feeds(db: Db, viewer: Viewer): Promise<FeedView[]> {
  return rows<FeedView>(
    db,
    `
    select f.id, f.client_id as "clientId", c.name as "clientName", t.name as "teamName", f.label, p.name as person,
      f.created_at as "createdAt", f.read_at as "readAt"
    from calendar_feed f join person p on p.id = f.person_id left join client c on c.id = f.client_id
    left join team t on t.id = f.team_id
    where f.revoked_at is null and (f.person_id = $1 or $2) order by f.id limit 1000`,
    [viewer.id, seesAll(viewer)],
  )
}

const seesAll = (viewer: Viewer) => viewer.access === 'lead' && viewer.clientIds === null

export async function revokeFeed(tx: Db, viewer: Viewer, id: number): Promise<{ id: number }> {
  const row = await firstRow<{ client_id: number | null }>(
    tx,
    `update calendar_feed set revoked_at = now() where id = $1 and revoked_at is null and (person_id = $2 or $3)
     returning client_id`,
    [id, viewer.id, seesAll(viewer)],
  )
  if (!row) throw new ProblemError('no-such-feed')
  await audit(tx, { personId: viewer.id, action: 'revoked', kind: 'calendar feed', id, clientId: row.client_id })
  return { id }
}

/**
 * What the address of a feed shows: no more than its person may see today.
 * @throws ProblemError no-such-address
 */
export async function readFeed(db: Db, secret: string): Promise<string> {
  const feed = await firstRow<{ client_id: number | null; client_ids: number[] | null; team_id: number | null }>(
    db,
    `
    update calendar_feed f set read_at = now() from person p
    where p.id = f.person_id and p.deactivated_at is null and f.digest = $1 and f.revoked_at is null
    returning f.client_id, f.team_id, p.client_ids`,
    [digest(secret)],
  )
  if (!feed) throw new ProblemError('no-such-address')
  if (feed.team_id !== null) return turnsCalendar(db, feed.team_id, feed.client_ids, Date.now())
  return plannedCalendar(db, feed.client_ids, feed.client_id, false)
}
