import type { DeviceReach, ReachPage, ReachQuery, ReachRow } from '#contract'
import { severities, watchKinds, type DeviceId } from '#core'
import { firstRow, type Db } from '../../db'
import { quietProbe } from '../../engine'
import { ofClients, type Viewer } from '../access'
import { partOf, readCursor } from '../estate/cursor'

const reachKinds = [...watchKinds.values()].filter(({ subject }) => subject === 'reach').map(({ name }) => name)

/**
 * A row a device and watch. $1: clients; $2 and $3: of one of them, of a site; $4: kinds; $5: severities. Reads the
 * looks of the devices in view once, and what is open of those kinds.
 */
const rowsOf = (which: string) => `
  failing as materialized (
    select device_id, watch, max(worst) as worst, bool_or(held) as held, max(alert) as alert from (
      select device_id, watch, array_position($5::text[], severity) as worst, false as held, id as alert
      from alert where status <> 'closed' and rule->>'kind' = any($4)
      union all
      select device_id, watch, null, true, null from held where ended_at is null and rule->>'kind' = any($4)
    ) f group by 1, 2
  ), found as materialized (
    select d.id, d.name as device, lower(d.name) as sorted, c.name as client, t.name as site, p.watch,
      max(p.host) as host, max(p.gap) as gap, (array_agg(p.ask->'check' order by p.id))[1] as "check",
      bool_or(p.gap is not null or ${quietProbe} or p.told->>'outcome' <> 'good') as bad,
      jsonb_agg(jsonb_build_object('deviceId', b.id, 'deviceName', b.name, 'told', p.told,
        'toldAt', round(extract(epoch from p.told_at) * 1000), 'isQuiet', ${quietProbe}) order by b.id)
        filter (where b.id is not null) as by,
      string_agg(coalesce(p.ask->>'check', '') || ' ' || p.host, ' ') as words
    from probe p
    join device d on d.id = p.target_id
    join client c on c.id = d.client_id
    join site t on t.id = d.site_id
    left join device b on b.id = p.prober_id and b.client_id = d.client_id
    where d.retired_at is null and ${ofClients('d.client_id', 1)}
      and ($2::int is null or d.client_id = $2) and ($3::int is null or d.site_id = $3) and ${which}
    group by d.id, c.name, t.name, p.watch
  ), judged as materialized (
    select found.*, f.worst, f.alert, coalesce(f.held, false) as held,
      case when f.worst is not null then -f.worst when f.held then 0 when bad then 1 else 2 end as rank
    from found left join failing f on f.device_id = found.id and f.watch = found.watch
  )`
const asRow = `jsonb_build_object('deviceId', id, 'deviceName', device, 'clientName', client, 'siteName', site,
  'watch', watch, 'host', host, 'gap', gap, 'check', "check", 'severity', ($5::text[])[worst], 'alertId', alert,
  'held', held, 'by', coalesce("by", '[]'), 'rank', rank, 'sorted', sorted)`

type Sorted = ReachRow & { rank: number; sorted: string }
const scope = (viewer: Viewer, { client, site }: Pick<ReachQuery, 'client' | 'site'>) => [
  viewer.clientIds,
  client ?? null,
  site ?? null,
  reachKinds,
  [...severities],
]

const page = `
  with ${rowsOf('true')}, narrowed as materialized (
    select * from judged where ($6::text is null or device ilike $6 or words ilike $6)
      and ($7::boolean is not true or rank < 2)
  )
  select (select count(*)::int from narrowed) as total, (select count(*)::int from judged where rank < 2) as wrong,
    (select jsonb_agg(${asRow} order by rank, sorted, id, watch) from (
      select * from narrowed where $8::float8 is null or (rank, sorted, id, watch) > ($8, $9::text, $10::int, $11::text)
      order by rank, sorted, id, watch limit $12) p) as page`

export async function reachPage(db: Db, viewer: Viewer, query: ReachQuery): Promise<ReachPage> {
  const after = query.after === undefined ? null : readCursor(query.after, ['number', 'text', 'id', 'text'])
  const found = (await firstRow<{ total: number; wrong: number; page: Sorted[] | null }>(db, page, [
    ...scope(viewer, query),
    query.words ? `%${query.words.replace(/[\\%_]/g, '\\$&')}%` : null,
    query.wrong ?? null,
    ...(after ?? [null, null, null, null]),
    query.limit + 1,
  ]))!
  const { shown, next } = partOf(found.page, query.limit, (last) => [last.rank, last.sorted, last.deviceId, last.watch])
  return { rows: shown.map(plain), total: found.total, wrong: found.wrong, next }
}

const plain = ({ rank: _rank, sorted: _sorted, ...row }: Sorted): ReachRow => row

/** What others see of a device, and it of others; of those, with what it said alone. */
export async function deviceReach(db: Db, viewer: Viewer, deviceId: DeviceId): Promise<DeviceReach> {
  const read = async (which: string) =>
    (
      (await firstRow<{ all: Sorted[] | null }>(
        db,
        `with ${rowsOf(which)} select (select jsonb_agg(${asRow} order by rank, sorted, id, watch) from judged) as all`,
        [...scope(viewer, {}), deviceId],
      ))!.all ?? []
    ).map(plain)
  return { of: await read('p.target_id = $6'), by: await read('p.prober_id = $6') }
}
