import type { LogEntry, LogGroup, LogGroups, LogMatches, LogPage, LogPageQuery, LogQuery } from '#contract'
import { matchedDays, mostCounted, mostMatches, mostNamed } from '#contract'
import { day, hour, logLevels, minute, withoutNumbers, type Millis } from '#core'
import { firstRow, rows, time, type Db } from '../../db'
import { ofClients, type Viewer } from '../access'
import { requireDevice } from '../estate'
import { cursorText, readCursor } from '../estate/cursor'
import { shapesOf, wantedBy, type Wanted } from './shapes'

/** What is searched: which entries, of which devices, between which times. */
interface Search {
  wanted: Wanted
  /** null: of any. */
  shapes: string[] | null
  /** null: of all that there are. */
  deviceIds: number[] | null
  /** Where it is of all: those that are not in use any more. */
  retired: number[]
  from: Millis
  until: Millis
  /** Looking back begins here; what is later is of clocks that are ahead. */
  now: Millis
}

export type LogScope = Pick<LogQuery, 'client' | 'site' | 'device'>

/** Devices in use of which the viewer may read, as asked; null: of all. */
export async function devicesOf(db: Db, viewer: Viewer, { client, site, device }: LogScope): Promise<number[] | null> {
  if (device !== undefined) await requireDevice(db, viewer, device)
  if (viewer.clientIds === null && client === undefined && site === undefined && device === undefined) return null
  const found = await rows<{ id: number }>(
    db,
    `select d.id from device d
     where ${ofClients('d.client_id', 1)} and ($2::int is null or d.client_id = $2) and ($3::int is null or d.site_id = $3)
       and ($4::int is null or d.id = $4) and d.retired_at is null`,
    [viewer.clientIds, client ?? null, site ?? null, device ?? null],
  )
  return found.map((row) => row.id)
}

const fewDevices = 5
const fewShapes = 500

/** @returns null: nothing can match */
async function searchOf(db: Db, viewer: Viewer, query: LogQuery, now: Millis): Promise<Search | null> {
  const wanted = wantedBy(query)
  const deviceIds = await devicesOf(db, viewer, query)
  const retired = deviceIds ? [] : await rows<{ id: number }>(db, 'select id from device where retired_at is not null')
  const [shapes, first] = [
    // The log of a few devices is read by itself, by the primary key.
    deviceIds && deviceIds.length <= fewDevices ? null : await shapesOf(db, wanted),
    await firstRow<{ at: Millis | null }>(db, 'select min(at) as at from log_event'),
  ]
  if (deviceIds?.length === 0 || shapes?.length === 0 || !first?.at) return null
  // Its numbers find an entry sooner than a long list of shapes that it may have.
  const isNumbered = wanted.numbers !== null && shapes !== null && shapes.length > fewShapes
  // A device's clock may be ahead of ours.
  const until = Math.min(query.until ?? Infinity, now + day)
  return {
    wanted,
    shapes: isNumbered ? null : shapes,
    deviceIds,
    retired: retired.map(({ id }) => id),
    from: Math.max(query.from ?? 0, first.at),
    until,
    now,
  }
}

/**
 * In SQL: entries that are searched, as `e`. What an index finds stands within, so that texts are compared of no more
 * than that. Its parameters are $1 to $11.
 */
const meant = `
  (select * from (
    select * from log_event e
    where e.at >= $1 and e.at < $2 and ($3::int[] is null or e.device_id = any($3)) and e.device_id <> all($11::int[])
      and ($4::bigint[] is null or e.shape = any($4)) and ($5::text is null or log_numbers(e.text) like $5) offset 0
  ) e where ($6::text is null or e.channel ilike $6) and ($7::text is null or e.source ilike $7)
    and ($8::bigint is null or e.event_id = $8) and ($9::int is null or e.level <= $9)
    and ($10::text is null or e.text ilike $10)) e`

/** What shapes tell is not asked of the entries once more. */
function parametersOf({ wanted, shapes, deviceIds, retired }: Search, from: Millis, until: Millis): unknown[] {
  const own = shapes ? [null, null, null, null] : [wanted.channel, wanted.source, wanted.id, wanted.level]
  return [
    ...[time(from), time(until), deviceIds, shapes, wanted.numbers],
    ...own,
    shapes ? wanted.text : (wanted.text ?? wanted.shapeText),
    retired,
  ]
}

/** The first look reaches so far back, the next each so many times farther than the one before. */
const firstSpan: Millis = hour

/**
 * Looks back from the newest in spans that grow until enough is found: what is frequent is found in the first, and what
 * is rare costs one look at all by the index that fits, of shape and time or of device and time. The *offset 0* of the
 * statements keeps the database from walking through all times in the hope of finding the rare soon.
 * @param growth how much farther each look reaches than the one before
 * @param read answers whether it is enough
 * @returns how far back it was looked
 */
async function lookBack(
  search: Search,
  growth: number,
  read: (from: Millis, until: Millis) => Promise<boolean>,
): Promise<Millis> {
  let [until, span] = [search.until, firstSpan]
  while (until > search.from) {
    const from = Math.max(search.from, Math.min(until, search.now) - span)
    const isEnough = await read(from, until)
    until = from
    if (isEnough) break
    span *= growth
  }
  return until
}

/** The newest of what matches. */
async function newestFirst<Row extends object>(
  search: Search,
  limit: number,
  read: (from: Millis, until: Millis, limit: number) => Promise<Row[]>,
): Promise<Row[]> {
  const found: Row[] = []
  await lookBack(search, 8, async (from, until) => {
    found.push(...(await read(from, until, limit - found.length)))
    return found.length >= limit
  })
  return found
}

type Row = Omit<LogEntry, 'level' | 'key'> & { level: number; seq: number; n: number }

/** Of devices that the viewer may read by now, whatever was so before. */
const page = `
  select e.at, e.device_id as "deviceId", d.name as "deviceName", c.name as "clientName", e.channel, e.source,
    e.event_id as id, e.level, e.text, e.fields, e.seq, e.n
  from (
    select * from ${meant}
    where $12::timestamptz is null or (e.at, e.device_id, e.seq, e.n) < ($12, $13::int, $14::bigint, $15::int)
    order by e.at desc, e.device_id desc, e.seq desc, e.n desc limit $16
  ) e
  join device d on d.id = e.device_id and ${ofClients('d.client_id', 17)}
  join client c on c.id = d.client_id
  order by e.at desc, e.device_id desc, e.seq desc, e.n desc`

export async function logPage(db: Db, viewer: Viewer, query: LogPageQuery, now: Millis): Promise<LogPage> {
  const after = query.after === undefined ? null : readCursor(query.after, ['time', 'id', 'whole', 'id'])
  const search = await searchOf(db, viewer, query, now)
  if (!search) return { entries: [], next: null }
  if (after) search.until = Math.min(search.until, after[0] + 1)
  const [at, device, seq, n] = after ?? [null, null, null, null]
  const found = await newestFirst(search, query.limit + 1, (from, until, limit) =>
    rows<Row>(db, page, [...parametersOf(search, from, until), ...[time(at), device, seq, n], limit, viewer.clientIds]),
  )
  const shown = found.slice(0, query.limit)
  const last = shown.at(-1)
  return {
    entries: shown.map(({ seq: ofReport, n: inReport, level, ...row }) => ({
      ...row,
      level: logLevels[level]!,
      key: cursorText([row.at, row.deviceId, ofReport, inReport]),
    })),
    next: last && found.length > shown.length ? cursorText([last.at, last.deviceId, last.seq, last.n]) : null,
  }
}

interface Counted {
  at: Millis
  device_id: number
  shape: string
}

const counted = `
  select at, device_id, shape::text from ${meant} order by at desc limit $12`

/** How many match, and what they say: of very many, the newest are counted, and it is told since when. */
export async function logGroups(db: Db, viewer: Viewer, query: LogQuery, now: Millis): Promise<LogGroups> {
  const search = await searchOf(db, viewer, query, now)
  if (!search) return { total: 0, isMore: false, since: null, groups: [], groupCount: 0 }
  const found = await newestFirst(search, mostCounted + 1, (from, until, limit) =>
    rows<Counted>(db, counted, [...parametersOf(search, from, until), limit]),
  )
  const isMore = found.length > mostCounted
  if (isMore) found.pop()
  const groups = await groupsOf(db, found)
  return {
    total: found.length,
    isMore,
    since: found.at(-1)?.at ?? null,
    groups: groups.sort((a, b) => b.entries - a.entries || b.lastAt - a.lastAt).slice(0, mostNamed),
    groupCount: groups.length,
  }
}

interface Shape {
  id: string
  channel: string
  source: string
  event_id: number | null
  level: number
  text: string
}

async function groupsOf(db: Db, found: readonly Counted[]): Promise<LogGroup[]> {
  const shapes = new Map(
    (
      await rows<Shape>(
        db,
        `select id::text, channel, source, event_id, level, text from log_shape where id = any($1::bigint[])`,
        [[...new Set(found.map((entry) => entry.shape))]],
      )
    ).map((shape) => [
      shape.id,
      {
        channel: shape.channel,
        source: shape.source,
        id: shape.event_id,
        level: logLevels[shape.level]!,
        text: withoutNumbers(shape.text),
      },
    ]),
  )
  const keys = new Map([...shapes].map(([id, said]) => [id, JSON.stringify(said)]))
  const groups = new Map<string, LogGroup & { ids: Set<number> }>()
  for (const { at, device_id: device, shape } of found) {
    const said = shapes.get(shape)
    // Forgotten at this moment.
    if (!said) continue
    const key = keys.get(shape)!
    const group = groups.get(key)
    if (group) {
      group.entries++
      group.firstAt = at
      group.ids.add(device)
    } else groups.set(key, { ...said, entries: 1, devices: 1, firstAt: at, lastAt: at, ids: new Set([device]) })
  }
  return [...groups.values()].map(({ ids, ...group }) => ({ ...group, devices: ids.size }))
}

interface Matched {
  /** null: of a day. */
  device_id: number | null
  day: Millis | null
  entries: number
  at: Millis
}

/** By device, and by day: of a slice of time. Times as numbers, which are read in no time. */
const matches = `
  select e.device_id, extract(epoch from e.day)::float8 * 1000 as day, count(*)::int as entries,
    round(extract(epoch from max(e.at)) * 1000)::float8 as at
  from (select device_id, at, date_trunc('day', at at time zone 'UTC') as day from ${meant}) e
  group by grouping sets ((e.device_id), (e.day))`

const named = `
  select d.id, d.name, c.name as "clientName" from device d join client c on c.id = d.client_id
  where d.id = any($1) and ${ofClients('d.client_id', 2)}`

/** How often a watch of these entries would have matched within the last fortnight, and on which devices. */
export async function logMatches(db: Db, viewer: Viewer, query: LogQuery, now: Millis): Promise<LogMatches> {
  const asked = { ...query, from: Math.max(query.from ?? 0, now - matchedDays * day), until: now + minute }
  const search = await searchOf(db, viewer, asked, now)
  const days = new Map<Millis, number>()
  const devices = new Map<number, { entries: number; lastAt: Millis }>()
  let total = 0
  let since = asked.from
  let isMore = false
  if (search) {
    const seen = await lookBack(search, 2.5, async (from, until) => {
      for (const { device_id: id, day: on, entries, at } of await rows<Matched>(
        db,
        matches,
        parametersOf(search, from, until),
      ))
        if (id === null) {
          total += entries
          days.set(on!, (days.get(on!) ?? 0) + entries)
        } else {
          const device = devices.get(id)
          devices.set(id, { entries: (device?.entries ?? 0) + entries, lastAt: Math.max(device?.lastAt ?? 0, at) })
        }
      return total > mostMatches
    })
    isMore = seen > search.from
    if (isMore) since = seen
  }
  const most = [...devices].sort(([, a], [, b]) => b.entries - a.entries || b.lastAt - a.lastAt).slice(0, mostNamed)
  const names = new Map(
    (
      await rows<{ id: number; name: string; clientName: string }>(db, named, [
        most.map(([id]) => id),
        viewer.clientIds,
      ])
    ).map((row) => [row.id, row]),
  )
  return {
    since,
    total,
    isMore,
    deviceCount: devices.size,
    days: [...days].sort(([a], [b]) => a - b).map(([on, entries]) => ({ day: on, entries })),
    devices: most.flatMap(([id, { entries, lastAt }]) => {
      const device = names.get(id)
      return device ? [{ deviceId: id, deviceName: device.name, clientName: device.clientName, entries, lastAt }] : []
    }),
  }
}
