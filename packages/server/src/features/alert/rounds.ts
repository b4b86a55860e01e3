import type { RoundsGroup, RoundsPart, RoundsQuery, RoundsRow, Rounds } from '#contract'
import { hour, longestReturn, minute, watchKinds, type Millis, type Subject } from '#core'
import { firstRow, rows, time, type Db } from '../../db'
import { ProblemError } from '../../http/problems'
import { ofClients, type Viewer } from '../access'
import { alertSelect, heldSelect, remediationViews, type AlertRow, type HeldRow } from './views'

interface GroupSpec {
  from: 'alert' | 'held' | 'remediation'
  /** Which rows `g` belong to it. $2: since when what settled by itself counts. */
  where: string
  /** The newest of them first, after the worst where those come first. */
  newest: string
  worstFirst: boolean
  /** When one of it was over, if it is. */
  end: string
}

/**
 * What carries it has to be open itself: nothing may be hidden behind what is over. Only a device that is reached
 * through what is back has minutes to come back, too.
 */
const isCarried = `exists (select from alert r where r.id = g.carried_by
  and (r.status <> 'closed' or g.rule->>'kind' = 'silence' and r.close_reason = 'cleared'
    and r.closed_at > now() - interval '${longestReturn / minute} minutes'))`

const groups: Record<RoundsGroup, GroupSpec> = {
  todo: {
    from: 'alert',
    // What carries an alert is worked on in its place; who looks for words finds it all the same.
    where: `g.status = 'open' and g.hidden_until is null and (not ${isCarried} or $6::text is not null)`,
    newest: 'g.began',
    worstFirst: true,
    end: 'g.closed_at',
  },
  working: {
    from: 'alert',
    where: `(g.status = 'taken' or g.status = 'open' and g.hidden_until is not null and not ${isCarried})`,
    newest: 'g.began',
    worstFirst: true,
    end: 'g.closed_at',
  },
  remediation: {
    from: 'remediation',
    where: 'g.ended_at is null',
    newest: 'g.started_at',
    worstFirst: false,
    end: 'g.ended_at',
  },
  held: { from: 'held', where: 'g.ended_at is null', newest: 'g.held_at', worstFirst: false, end: 'g.ended_at' },
  settled: {
    from: 'alert',
    where: `g.status = 'closed' and g.close_reason = 'cleared' and g.closed_at > $2 and g.carried_by is null`,
    newest: 'g.closed_at',
    worstFirst: false,
    end: 'g.closed_at',
  },
  remediated: {
    from: 'remediation',
    where: `g.outcome = 'cleared' and g.ended_at > $2`,
    newest: 'g.ended_at',
    worstFirst: false,
    end: 'g.ended_at',
  },
  dismissed: {
    from: 'alert',
    where: `g.status = 'closed' and g.close_reason = 'by-hand' and g.closed_at > $2 and g.carried_by is null`,
    newest: 'g.closed_at',
    worstFirst: false,
    end: 'g.closed_at',
  },
}

/**
 * The numbers of one part of a group, and how many there are in all. What is open stands in partial indexes; at 5,000
 * open alerts they are counted and sorted in some 20 ms.
 */
function statement({ from, where, newest, worstFirst, end }: GroupSpec): string {
  const rank = worstFirst ? `array_position(array['critical', 'warning', 'notice'], g.severity)` : '0'
  return `
  with mine as materialized (
    select g.id, ${rank} as rank, -floor(extract(epoch from ${newest}) * 1000)::float8 as at
      ${from === 'alert' ? ', g.raised_at' : ''}
    from ${from} g
    where ${where} and $2::timestamptz is not null and ${ofClients('g.client_id', 1)}
      and ($3::int is null or g.client_id = $3)
      and ($4::timestamptz is null or g.began <= $4) and ($5::timestamptz is null or coalesce(${end}, now()) >= $5)
      and ($6::text is null or g.instance ilike $6 or g.rule->>'name' ilike $6
        or exists (select from device d where d.id = g.device_id and d.name ilike $6)
        or exists (select from client c where c.id = g.client_id and c.name ilike $6)${
          from === 'alert'
            ? `
        or exists (select from site s where s.id = g.site_id and s.name ilike $6)`
            : ''
        })
      and ($11::text is null or g.severity = $11) and ($12::text[] is null or g.rule->>'kind' = any($12))
      and ($13::timestamptz is null or g.began <= $13)
      and ($14::int is null or ${from === 'alert' ? 'g.taken_by = $14 or g.offered_to = $14' : 'false'})
  )
  select (select count(*) from mine)::int as total,
    ${from === 'alert' ? '(select count(*) from mine where raised_at > $15)::int' : '0'} as fresh,
    (select jsonb_agg(jsonb_build_array(rank, at, -id) order by rank, at, -id)
     from (select * from mine where $7::int is null or (rank, at, -id) > ($7, $8::float8, $9::bigint)
       order by rank, at, -id limit $10) p) as page`
}

type Cursor = [rank: number, at: number, id: number]

/** @throws ProblemError invalid */
function readCursor(text: string): Cursor {
  const parts = text.split('_').map(Number)
  if (parts.length !== 3 || !parts.every((part) => Number.isSafeInteger(part)) || Math.abs(parts[0]!) > 9)
    throw new ProblemError('invalid', 'This is no place in the list. Begin again at its top, without “after”.', [
      { at: 'after', message: 'not from a part before' },
    ])
  return parts as Cursor
}

async function rowsOf(db: Db, viewer: Viewer, from: GroupSpec['from'], ids: number[]): Promise<RoundsRow[]> {
  if (!ids.length) return []
  switch (from) {
    case 'alert':
      return alertRows(db, viewer, ids)
    case 'held':
      return rows<HeldRow>(db, `${heldSelect} where h.id = any($2) and ${ofClients('h.client_id', 1)}`, [
        viewer.clientIds,
        ids,
      ])
    case 'remediation':
      return remediationViews(db, `where m.id = any($2) and ${ofClients('m.client_id', 1)}`, [viewer.clientIds, ids])
  }
}

/** Some alerts as they are now, in no order; those that the viewer may not see are missing. */
export function alertRows(db: Db, viewer: Viewer, ids: readonly number[]): Promise<AlertRow[]> {
  return rows<AlertRow>(db, `${alertSelect} where a.id = any($2) and ${ofClients('a.client_id', 1)}`, [
    viewer.clientIds,
    ids,
  ])
}

/** Kinds of watches that a family has. */
const kindsOf = (family: Subject): string[] => [
  ...[...watchKinds.values()].filter(({ subject }) => subject === family).map(({ name }) => name),
  ...(family === 'silence' ? ['site'] : []),
]

/** Since when what is over is told; at a time before somebody last looked, of the eight hours before it. */
const sinceOf = (viewer: Viewer, query: RoundsQuery, now: Millis): Millis =>
  query.since ?? (viewer.lookedAt < now ? viewer.lookedAt : now - 8 * hour)

/** @throws ProblemError invalid when `after` is from no part before */
export async function roundsPart(
  db: Db,
  viewer: Viewer,
  group: RoundsGroup,
  query: RoundsQuery,
  now: Millis,
  after?: string,
): Promise<RoundsPart<RoundsRow> & { fresh: number }> {
  const spec = groups[group]
  const cursor = after === undefined ? [null, null, null] : readCursor(after)
  const head = (await firstRow<{ total: number; fresh: number; page: Cursor[] | null }>(db, statement(spec), [
    viewer.clientIds,
    time(sinceOf(viewer, query, now)),
    query.client ?? null,
    time(query.until ?? null),
    time(query.from ?? null),
    query.words?.trim() ? `%${query.words.trim().replace(/[\\%_]/g, '\\$&')}%` : null,
    ...cursor,
    query.limit + 1,
    query.severity ?? null,
    query.family ? kindsOf(query.family) : null,
    time(query.age === undefined ? null : now - query.age),
    query.who ?? null,
    ...(spec.from === 'alert' ? [time(viewer.lookedAt)] : []),
  ]))!
  const found = head.page ?? []
  const shown = found.slice(0, query.limit)
  const ids = shown.map(([, , id]) => -id)
  const known = new Map((await rowsOf(db, viewer, spec.from, ids)).map((row) => [row.id, row]))
  const last = shown.at(-1)
  return {
    rows: ids.flatMap((id) => known.get(id) ?? []),
    total: head.total,
    fresh: head.fresh,
    next: last && found.length > shown.length ? last.join('_') : null,
  }
}

export async function rounds(db: Db, viewer: Viewer, query: RoundsQuery, now: Millis): Promise<Rounds> {
  const part = async <Row>(group: RoundsGroup) => {
    const { fresh, ...found } = await roundsPart(db, viewer, group, query, now)
    return { fresh, part: found as unknown as RoundsPart<Row> }
  }
  const [todo, working, remediation, held, settled, remediated, dismissed] = await Promise.all([
    part<Rounds['todo']['rows'][number]>('todo'),
    part<Rounds['working']['rows'][number]>('working'),
    part<Rounds['remediation']['rows'][number]>('remediation'),
    part<Rounds['held']['rows'][number]>('held'),
    part<Rounds['settled']['rows'][number]>('settled'),
    part<Rounds['remediated']['rows'][number]>('remediated'),
    part<Rounds['dismissed']['rows'][number]>('dismissed'),
  ])
  return {
    lookedAt: viewer.lookedAt,
    since: sinceOf(viewer, query, now),
    fresh: todo.fresh,
    todo: todo.part,
    working: working.part,
    remediation: remediation.part,
    held: held.part,
    settled: settled.part,
    remediated: remediated.part,
    dismissed: dismissed.part,
  }
}

/** How many alerts wait for somebody to take them. */
export async function countTodo(db: Db, viewer: Viewer, clientId: number | null): Promise<number> {
  const row = await firstRow<{ todo: number }>(
    db,
    `select count(*)::int as todo from alert g where g.status = 'open' and g.hidden_until is null and not ${isCarried}
     and ${ofClients('g.client_id', 1)}
     and ($2::int is null or g.client_id = $2)`,
    [viewer.clientIds, clientId],
  )
  return row!.todo
}
