import {
  behindAfterDays,
  farBehindAfterDays,
  updatesKnownForDays,
  type Backlog,
  type BacklogDay,
  type BacklogQuery,
  type ClientUpdates,
  type UpdateByName,
  type UpdateOnDevice,
  type UpdateOnDevices,
  type UpdateOnDevicesQuery,
  type UpdatesByClient,
  type UpdatesByClientQuery,
  type UpdatesPage,
  type UpdatesQuery,
  type UpdatesScope,
} from '#contract'
import { updateRatings } from '#core'
import { firstRow, rows, type Db } from '../../db'
import { ofClients, type Viewer } from '../access'
import { partOf, readCursor } from './cursor'
import { likeText, silent, theirs } from './services'

const scopeOf = (viewer: Viewer, { client, site }: UpdatesScope) => [viewer.clientIds, client ?? null, site ?? null]

const clientOrders: Record<UpdatesByClientQuery['order'], [first: string, second: string]> = {
  behind: ['-(1e6 * "farBehind" + behind)', '-security'],
  security: ['-security', '-behind'],
  oldest: ['coalesce("oldestSecurityAt", \'infinity\')', '-security'],
  name: ['0', '0'],
}

/** The waiting time of the oldest security update; null: none waits. */
const waited = (days: number) => `(oldest is not null and now() - oldest > interval '${days} days')`

/**
 * One pass over the facts of updates: a row a device, by the primary key (device, subject). Texts are made of constants
 * only.
 */
const byClient = ([first, second]: [string, string]) => `
  with told as materialized (
    select d.client_id, coalesce(f.value->'listsAt', '0') <> 'null'
        and to_timestamp((f.value->>'checkedAt')::float8 / 1000) > now() - interval '${updatesKnownForDays} days' as known,
      (f.value->>'security')::int as security, (f.value->>'other')::int as other,
      coalesce((f.value->>'held')::int, 0) as held, (f.value->>'restartPending')::boolean as restart,
      jsonb_path_exists(f.value, '$.outdated[*] ? (@.service == true)') as outdated,
      coalesce(f.value->'refresh', 'null') <> 'null' as failing,
      to_timestamp((f.value->>'oldestSecurityAt')::float8 / 1000) as oldest
    from device d left join current_fact f on f.device_id = d.id and f.subject = 'updates'
    where ${theirs} and d.kind in ('server', 'workstation')
  ), counted as materialized (
    select c.id as "clientId", c.name as "clientName", lower(c.name) as sorted, count(*)::int as devices,
      (count(*) filter (where known is not true))::int as unknown,
      (count(*) filter (where known and oldest is null))::int as none,
      (count(*) filter (where known and oldest is not null and not ${waited(behindAfterDays)}))::int as fresh,
      (count(*) filter (where known and ${waited(behindAfterDays)} and not ${waited(farBehindAfterDays)}))::int as behind,
      (count(*) filter (where known and ${waited(farBehindAfterDays)}))::int as "farBehind",
      (coalesce(sum(security) filter (where known), 0))::int as security,
      (coalesce(sum(other) filter (where known), 0))::int as other,
      (coalesce(sum(held) filter (where known), 0))::int as held,
      (count(*) filter (where known and restart))::int as restart,
      (count(*) filter (where known and outdated))::int as outdated,
      (count(*) filter (where known and failing))::int as failing,
      round(extract(epoch from min(oldest) filter (where known)) * 1000)::float8 as "oldestSecurityAt"
    from told t join client c on c.id = t.client_id group by c.id
  ), ordered as (
    select *, (${first})::float8 as first, (${second})::float8 as second from counted
  )
  select (select count(*)::int from counted) as total,
    (select jsonb_agg(to_jsonb(p) order by first, second, sorted, "clientId") from (
      select * from ordered
      where $4::float8 is null or (first, second, sorted, "clientId") > ($4, $5::float8, $6::text, $7::int)
      order by first, second, sorted, "clientId" limit $8
    ) p) as page`

/** What a page of a sorted list has beside its rows. JSON knows no infinity: the database writes it as a text. */
interface Sorted {
  first: number | 'Infinity'
  second: number
  sorted: string
}

export async function updatesByClient(db: Db, viewer: Viewer, query: UpdatesByClientQuery): Promise<UpdatesByClient> {
  const after = query.after === undefined ? null : readCursor(query.after, ['number', 'number', 'text', 'id'])
  type Row = ClientUpdates & Sorted
  const found = (await firstRow<{ total: number; page: Row[] | null }>(db, byClient(clientOrders[query.order]), [
    ...scopeOf(viewer, query),
    ...(after ?? [null, null, null, null]),
    query.limit + 1,
  ]))!
  const { shown, next } = partOf(found.page, query.limit, (last) => [
    last.first,
    last.second,
    last.sorted,
    last.clientId,
  ])
  return {
    clients: shown.map(({ first: _first, second: _second, sorted: _sorted, ...client }) => client),
    total: found.total,
    next,
  }
}

const nameOrders: Record<UpdatesQuery['order'], [first: string, second: string]> = {
  devices: ['-devices', '"oldestAt"'],
  oldest: ['"oldestAt"', '-devices'],
  name: ['0', '0'],
}

/** Reads the updates of all devices of the viewer once. Texts are made of constants only. */
const byName = ([first, second]: [string, string]) => `
  with named as materialized (
    select u.name, bool_or(u.security) as security, min(array_position($8::text[], u.rating)) as worst,
      count(*)::int as devices, (count(u.held))::int as held, mode() within group (order by u.to_version) as "to",
      count(distinct u.to_version)::int as versions, round(extract(epoch from min(u.since)) * 1000)::float8 as "oldestAt"
    from device_update u join device d on d.id = u.device_id
    where ${theirs} and ($4::text is null or u.name ilike $4)
    group by u.name
    having ($5::boolean is not true or bool_or(u.security)) and ($6::boolean is not true or count(u.held) > 0)
  ), ordered as (
    select *, (${first})::float8 as first, (${second})::float8 as second, ($8::text[])[worst] as rating from named
  )
  select (select count(*)::int from named) as total,
    (select count(*)::int from device d where ${theirs}
      and exists (select from current_fact f where f.device_id = d.id and f.subject = 'waiting')) as devices,
    (select jsonb_agg(to_jsonb(p) order by first, second, name) from (
      select * from ordered
      where $7::float8 is null or (first, second, name) > ($7, $9::float8, $10::text)
      order by first, second, name limit $11
    ) p) as page`

export async function updatesPage(db: Db, viewer: Viewer, query: UpdatesQuery): Promise<UpdatesPage> {
  const after = query.after === undefined ? null : readCursor(query.after, ['number', 'number', 'text'])
  const [first, second, name] = after ?? [null, null, null]
  type Row = UpdateByName & { first: number; second: number; worst: number }
  const found = (await firstRow<{ total: number; devices: number; page: Row[] | null }>(
    db,
    byName(nameOrders[query.order]),
    [
      ...scopeOf(viewer, query),
      likeText(query.words),
      query.security ?? null,
      query.held ?? null,
      first,
      [...updateRatings],
      second,
      name,
      query.limit + 1,
    ],
  ))!
  const { shown, next } = partOf(found.page, query.limit, (last) => [last.first, last.second, last.name])
  return {
    updates: shown.map(({ first: _first, second: _second, worst: _worst, ...update }) => update),
    total: found.total,
    devices: found.devices,
    next,
  }
}

/** By the index (name, device): a row a device on which it waits, the longest waiting first. */
const onDevices = `
  with found as materialized (
    select d.id as "deviceId", d.name as "deviceName", c.name as "clientName", t.name as "siteName", ${silent} as silent,
      u.from_version as "from", u.to_version as "to", u.origin, u.security, u.rating, u.held,
      round(extract(epoch from u.since) * 1000)::float8 as since, lower(d.name) as sorted
    from device_update u
    join device d on d.id = u.device_id
    join client c on c.id = d.client_id
    join site t on t.id = d.site_id
    where u.name = $4 and ${theirs}
  )
  select (select count(*)::int from found) as total,
    (select jsonb_agg(to_jsonb(p) order by since, sorted, "deviceId") from (
      select * from found where $5::float8 is null or (since, sorted, "deviceId") > ($5, $6::text, $7::int)
      order by since, sorted, "deviceId" limit $8) p) as page`

export async function updateOnDevices(db: Db, viewer: Viewer, query: UpdateOnDevicesQuery): Promise<UpdateOnDevices> {
  const after = query.after === undefined ? null : readCursor(query.after, ['number', 'text', 'id'])
  type Row = UpdateOnDevice & { sorted: string }
  const found = (await firstRow<{ total: number; page: Row[] | null }>(db, onDevices, [
    ...scopeOf(viewer, query),
    query.name,
    ...(after ?? [null, null, null]),
    query.limit + 1,
  ]))!
  const { shown, next } = partOf(found.page, query.limit, (last) => [last.since, last.sorted, last.deviceId])
  return {
    total: found.total,
    rows: shown.map(({ sorted: _sorted, ...row }) => row),
    next,
  }
}

/** Days that are over as they were summed up by site; today by each device's last word, which holds for a week. */
const backlogByDay = `
  with today as (select (now() at time zone 'UTC')::date as today), counted as (
    select b.day, b.devices, b.security, b.other, b.held, b.behind
    from site_backlog b join site s on s.id = b.site_id cross join today
    where ${ofClients('s.client_id', 1)} and ($2::int is null or s.client_id = $2) and ($3::int is null or s.id = $3)
      and b.day > today - $4::int and b.day < today
    union all
    select today, 1, b.security, b.other, b.held,
      (b.oldest_security_at < now() - interval '${behindAfterDays} days')::int
    from today cross join device d
    cross join lateral (
      select * from backlog_day b where b.device_id = d.id and b.day > today - ${updatesKnownForDays}
      order by b.day desc limit 1
    ) b
    where ${theirs} and d.kind in ('server', 'workstation')
  )
  select (extract(epoch from day) * 1000)::float8 as day, sum(devices)::int as devices, sum(security)::int as security,
    sum(other)::int as other, sum(held)::int as held, coalesce(sum(behind), 0)::int as behind
  from counted group by day order by day`

export async function backlog(db: Db, viewer: Viewer, query: BacklogQuery): Promise<Backlog> {
  return { days: await rows<BacklogDay>(db, backlogByDay, [...scopeOf(viewer, query), query.days]) }
}
