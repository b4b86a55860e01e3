import type { BoardCounts, BoardOrder, BoardPage, BoardQuery, BoardState, FacetCount } from '#contract'
import { hour, severities, type DeviceId, type Millis } from '#core'
import { firstRow, type Db } from '../../db'
import { ofClients, type Viewer } from '../access'
import { boardDevice, boardRows } from './board'
import { cursorText, readCursor } from './cursor'
import { serviceKinds, silent } from './services'

/** By a number, the smallest first, or by a text; equal ones by name. */
const orders: Record<BoardOrder, { number: string } | { text: string }> = {
  needs: {
    number: '-(100 * d.worst + case when d.silent then 50 else 0 end + case when d.held then 10 else 0 end)',
  },
  name: { text: `''` },
  client: { text: `lower(d.client || ' ' || d.site)` },
  role: { text: `array_to_string(d.roles, ',')` },
  system: { text: 'd.os_name' },
  disks: { number: '-d.fullest' },
  services: { number: '-d.services' },
  updates: { number: '-coalesce(d.security_updates, -1)' },
  oldest: { number: `coalesce(extract(epoch from d.oldest_security_at), 'infinity')` },
  log: { number: '-coalesce(d.entries, 0)' },
  heard: { number: 'coalesce(extract(epoch from d.heard_at), 0)' },
}

/** Services that fail, of `alert` or `held`, by their instances; counted only where devices are sorted by them. */
const failing = `count(distinct instance) filter (where rule->>'kind' = any($10))`

/** How many match, and how many would with each other value of one choice. */
const counts = `jsonb_build_object(
      'of', (select jsonb_build_object(
        'total', count(*) filter (where of_kind and of_role and of_state),
        'clients', count(distinct client_id) filter (where of_kind and of_role and of_state),
        'needs', count(*) filter (where of_kind and of_role and (open or silent)),
        'held', count(*) filter (where of_kind and of_role and held),
        'silent', count(*) filter (where of_kind and of_role and silent)) from base),
      'kinds', (select jsonb_object_agg(kind, count) from (
        select kind, count(*) from base where of_role and of_state group by kind) k),
      'roles', (select jsonb_object_agg(role, count) from (
        select role, count(*) from base, unnest(roles) role where of_kind and of_state group by role) r))`

/** Log entries of a day by device; gathered only where they are sorted by. */
const log = `left join (
    select device_id, sum(entries) as entries from log_hour where hour > $8::int - 24 group by device_id
  ) l on l.device_id = d.id`
/** Every statement takes the same parameters. */
const noLog = 'join (select $8::int as entries) l on true'

/**
 * Reads all devices of the viewer once, with what is open and held on each, and from that the counts and one part of
 * the list. At 10,000 devices with 5,000 alerts: two hash joins and one sort, no index. Texts are made of constants
 * only.
 * @param counting with counts; later parts of a list do without
 */
function statement(order: BoardOrder, reversed: boolean, counting: boolean): string {
  const by = orders[order]
  const [number, text] = 'number' in by ? [by.number, `''`] : ['0', by.text]
  const [compare, way] = reversed ? ['<', 'desc'] : ['>', 'asc']
  const services = order === 'services' ? failing : 'count($10::text[])'
  const sorted = `number ${way}, text ${way}, name ${way}, id ${way}`
  // The fence (offset 0) keeps what is used twice from being worked out twice.
  return `
  with opened as materialized (
    select device_id, max(array_position($9::text[], severity)) as worst, ${services} as services
    from alert where status <> 'closed' group by device_id
  ), holding as materialized (
    select device_id, count(*) as count, ${services} as services
    from held where ended_at is null group by device_id
  ), base as materialized (
    select d.id, d.client_id, d.kind, d.roles, d.name, (${number})::float8 as number, ${text}::text as text,
      d.open, d.held, d.silent,
      $5::text is null or d.kind = $5 as of_kind, $6::text is null or $6 = any(d.roles) as of_role,
      case $7::text when 'needs' then d.open or d.silent when 'held' then d.held when 'silent' then d.silent
        else true end as of_state
    from (
      select d.id, d.client_id, d.kind, d.roles, lower(d.name) as name, c.name as client, s.name as site, d.os_name,
        d.fullest, d.security_updates, d.oldest_security_at, d.heard_at,
        coalesce(o.worst, 0) as worst, coalesce(o.services, 0) + coalesce(h.services, 0) as services,
        o.worst is not null as open, h.count is not null as held, l.entries,
        ${silent} as silent
      from device d
      join client c on c.id = d.client_id
      join site s on s.id = d.site_id
      left join opened o on o.device_id = d.id
      left join holding h on h.device_id = d.id
      ${order === 'log' ? log : noLog}
      where d.retired_at is null and ${ofClients('d.client_id', 1)} and ($2::int is null or d.client_id = $2)
        and ($3::int is null or d.site_id = $3) and ($11::boolean is null or d.takes_tasks = $11)
        and ($4::text is null or concat_ws(' ', d.name, c.name, s.name, d.os_name, array_to_string(d.roles, ' '),
          array_to_string(d.tags, ' ')) ilike $4)
      offset 0
    ) d
  )
  select ${counting ? counts : 'null::jsonb'} as counts,
    (select jsonb_agg(jsonb_build_array(number, text, name, id) order by ${sorted})
     from (select number, text, name, id from base where of_kind and of_role and of_state
       and ($12::float8 is null or (number, text, name, id) ${compare} ($12, $13::text, $14::text, $15::int))
       order by ${sorted} limit $16) p) as page`
}

type Cursor = [number: number | string, text: string, name: string, id: DeviceId]

interface HeadRow {
  counts: {
    of: { total: number; clients: number } & Record<BoardState, number>
    kinds: Record<string, number> | null
    roles: Record<string, number> | null
  } | null
  page: Cursor[] | null
}

const facet = (counts: Record<string, number> | null): FacetCount[] =>
  Object.entries(counts ?? {})
    .filter(([, count]) => count > 0)
    .map(([value, count]) => ({ value, count }))
    .sort((a, b) => b.count - a.count || (a.value < b.value ? -1 : 1))

function countsOf(found: HeadRow['counts']): BoardCounts | null {
  if (!found) return null
  const { total, clients, ...states } = found.of
  return { total, clients, kinds: facet(found.kinds), roles: facet(found.roles), states: facet(states) }
}

export async function boardPage(db: Db, viewer: Viewer, query: BoardQuery, now: Millis): Promise<BoardPage> {
  const after = query.after === undefined ? null : readCursor(query.after, ['number', 'text', 'text', 'id'])
  const head = (await firstRow<HeadRow>(db, statement(query.order, query.reversed, after === null), [
    viewer.clientIds,
    query.client ?? null,
    query.site ?? null,
    query.words?.trim() ? `%${query.words.trim().replace(/[\\%_]/g, '\\$&')}%` : null,
    query.kind ?? null,
    query.role ?? null,
    query.state ?? null,
    Math.floor(now / hour),
    [...severities],
    serviceKinds,
    query.tasks ?? null,
    ...(after ?? [null, null, null, null]),
    query.limit + 1,
  ]))!
  const found = head.page ?? []
  const shown = found.slice(0, query.limit)
  const ids = shown.map(([, , , id]) => id)
  const devices = new Map(
    (ids.length ? await boardRows(db, viewer.clientIds, ids, now) : []).map((row) => [row.id, boardDevice(row, now)]),
  )
  const last = shown.at(-1)
  return {
    // One that was taken out of use between the two looks is left out.
    devices: ids.flatMap((id) => devices.get(id) ?? []),
    next: last && found.length > shown.length ? cursorText(last) : null,
    counts: countsOf(head.counts),
  }
}
