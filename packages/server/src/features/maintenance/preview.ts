import type {
  FamilyPosts,
  NewWindow,
  OverlapView,
  PostView,
  WindowPosts,
  WindowPostsBody,
  WatchPosts,
  WindowPreview,
} from '#contract'
import {
  isNamed,
  day,
  factsAsked,
  matcher,
  minute,
  postsOf,
  splitPostKey,
  subjects,
  watchKind,
  type DeviceId,
  type DeviceTraits,
  type Facts,
  type Millis,
  type Subject,
  type Target,
  type WindowSubject,
} from '#core'
import { clockEffects, instantOf, nextOccurrences } from '#core/schedule'
import { rows, time, type Db } from '../../db'
import { policyInForce, targetsOf } from '../../store/policy'
import { factsOf } from '../../store/traits'
import { occurrenceEnd, windowOfOccurrence } from '../../store/windows'
import { ofClients, type Viewer } from '../access'
import { devicesIn, readDraft } from './draft'
import { requireReach } from '../policy'

const shownNext = 5
const shownOverlaps = 8

/** What a window would do, worked out as it would be saved. @throws ProblemError as saving it would */
export async function previewWindow(
  db: Db,
  viewer: Viewer,
  body: NewWindow,
  id: number | null,
  now: Millis,
): Promise<WindowPreview> {
  await requireReach(db, viewer, body.target)
  const { schedule, zones, devices } = await readDraft(db, body, now)
  const first = instantOf(schedule.starts, schedule.zone)
  const since = schedule.rule === null ? first : Math.max(now - minute, first)
  const next = nextOccurrences(schedule, since, shownNext)
  const found = await overlaps(db, devices, next, id)
  const deviceIds = devices.map((device) => device.id)
  const holds = await holdsNow(db, deviceIds, body.subject)
  return {
    devices: devices.length,
    clients: new Set(devices.map((device) => device.clientId)).size,
    zone: schedule.zone,
    zones,
    next,
    clock:
      schedule.rule === null
        ? clockEffects(schedule, first - day, first + 2 * day)
        : clockEffects(schedule, now, now + 366 * day),
    overlaps: found.slice(0, shownOverlaps),
    moreOverlaps: Math.max(0, found.length - shownOverlaps),
    ...holds,
  }
}

/** Times of other windows that meet one of these, on the same devices. */
async function overlaps(
  db: Db,
  devices: readonly DeviceTraits[],
  next: readonly { from: Millis; until: Millis | null }[],
  id: number | null,
): Promise<OverlapView[]> {
  if (!next.length) return []
  const found = await rows<OverlapView & { target: Target; client_id: number | null }>(
    db,
    `
    select distinct on (w.id) w.id, w.name, o.from_at as "from", least(o.until_at, o.ended_at) as until, w.target,
      w.client_id, 0 as devices
    from unnest($1::timestamptz[], $2::timestamptz[]) n (f, u)
    join window_occurrence o on o.from_at < coalesce(n.u, 'infinity') and ${occurrenceEnd} > n.f
    ${windowOfOccurrence}
    where ($3::int is null or o.window_id <> $3) and o.ended_at is distinct from o.from_at
    order by w.id, o.from_at`,
    [next.map(({ from }) => time(from)), next.map(({ until }) => time(until)), id],
  )
  // Targets that ask for facts are tried on devices that know them.
  const views: OverlapView[] = []
  const mine = new Set(devices.map((device) => device.id))
  for (const { target, client_id, ...view } of found) {
    const known = factsAsked([target]).length ? await devicesIn(db, target) : devices.filter(matcher(target))
    const both = known.filter((device) => mine.has(device.id) && (client_id === null || device.clientId === client_id))
    if (both.length) views.push({ ...view, devices: both.length })
  }
  return views.sort((a, b) => a.from - b.from)
}

/** What fails on some devices now, of what a subject names: without an alert, and with one. */
async function holdsNow(
  db: Db,
  deviceIds: readonly DeviceId[],
  subject: WindowSubject,
): Promise<{ failing: number; open: number }> {
  // By the primary keys of state and of open alerts, both of which begin with the device.
  const found = await rows<{ device_id: DeviceId; watch: string; instance: string; kind: string; open: boolean }>(
    db,
    `
    select device_id, watch, instance, rule->>'kind' as kind, true as open from alert
    where device_id = any($1) and status <> 'closed'
    union all
    select device_id, watch, instance, rule->>'kind', false from held where device_id = any($1) and ended_at is null
    union all
    select device_id, watch, instance, rule->>'kind', false from remediation
    where device_id = any($1) and ended_at is null`,
    [deviceIds],
  )
  const named = found.filter(({ device_id, watch, instance, kind }) =>
    isNamed(subject, {
      device: { id: device_id } as DeviceTraits,
      watch,
      instance,
      family: watchKind(kind).subject,
    }),
  )
  const open = named.filter((row) => row.open).length
  return { failing: named.length - open, open }
}

interface KnownPost {
  watch: string
  watchName: string
  instance: string
  family: Subject
}

/** Posts of a device, for as long as policy, device and what it told of itself stay as they were. */
let known = { of: -1, posts: new Map<DeviceId, { mark: string; posts: readonly KnownPost[] }>() }
const readAtOnce = 200

/**
 * The posts of some devices: read in parts, so that nobody else waits. Most devices are as they were when somebody last
 * asked.
 */
async function postsOfDevices(
  db: Db,
  devices: readonly DeviceTraits[],
): Promise<ReadonlyMap<DeviceId, readonly KnownPost[]>> {
  const policy = await policyInForce(db)
  if (known.of !== policy.version) known = { of: policy.version, posts: new Map() }
  const { posts } = known
  const asked = [...new Set<keyof Facts>(['services', 'disks', ...factsAsked(targetsOf(policy))])]
  // At 10,000 devices one hash join with the times of their facts; no value is read.
  const marks = await rows<{ id: DeviceId; mark: string }>(
    db,
    `
    select d.id, d.version || ' ' || coalesce(f.told, 0) as mark
    from device d left join (
      select device_id, sum(extract(epoch from at))::float8 as told from current_fact
      where subject = any($2) and device_id = any($1) group by device_id
    ) f on f.device_id = d.id
    where d.id = any($1)`,
    [devices.map((device) => device.id), asked],
  )
  const markOf = new Map(marks.map(({ id, mark }) => [id, mark]))
  const moved = devices.filter(({ id }) => posts.get(id)?.mark !== markOf.get(id))
  for (let i = 0; i < moved.length; i += readAtOnce) {
    const part = moved.slice(i, i + readAtOnce)
    const ids = part.map((device) => device.id)
    const told = await factsOf(db, asked, ids)
    const states = await rows<{ device_id: DeviceId; key: string }>(
      db,
      `select device_id, watch || '|' || instance as key from post_state where device_id = any($1)`,
      [ids],
    )
    const keys = new Map<DeviceId, string[]>()
    for (const { device_id, key } of states) keys.set(device_id, [...(keys.get(device_id) ?? []), key])
    for (const device of part) {
      const facts = told.get(device.id) ?? {}
      const roster = policy.compiled.roster({ ...device, facts })
      const named = new Map(roster.map((watch) => [watch.key, watch]))
      posts.set(device.id, {
        mark: markOf.get(device.id) ?? '',
        posts: postsOf(roster, facts, keys.get(device.id)).map((key) => {
          const { watch, instance } = splitPostKey(key)
          const { name, kind } = named.get(watch)!
          return { watch, watchName: name, instance, family: watchKind(kind).subject }
        }),
      })
    }
  }
  return new Map(devices.map(({ id }) => [id, posts.get(id)?.posts ?? []]))
}

const postsAtOnce = 100

/** How many posts of each family a target has, and those that a subject names, device by device. */
export async function windowPosts(
  db: Db,
  viewer: Viewer,
  { target, subject, after }: WindowPostsBody,
): Promise<WindowPosts> {
  await requireReach(db, viewer, target)
  const devices = (await devicesIn(db, target)).toSorted((a, b) => a.id - b.id)
  const found = await postsOfDevices(db, devices)
  const counts = new Map<Subject, number>()
  const watches = new Map<string, WatchPosts>()
  const views: PostView[] = []
  let total = 0
  let next: DeviceId | null = null
  for (const device of devices) {
    const posts = found.get(device.id)!
    for (const { family, watch, watchName } of posts) {
      counts.set(family, (counts.get(family) ?? 0) + 1)
      const named = watches.get(watch)
      if (named) named.posts++
      else watches.set(watch, { watch, watchName, posts: 1 })
    }
    const mine = posts.filter((post) => isNamed(subject, { device, ...post }))
    total += mine.length
    if (!mine.length || next !== null || (after !== null && device.id <= after)) continue
    // All of a device stand in one part.
    if (views.length >= postsAtOnce) next = views.at(-1)!.deviceId
    else for (const post of mine) views.push({ deviceId: device.id, deviceName: device.name, clientName: '', ...post })
  }
  const clients = new Map(
    (
      await rows<{ id: DeviceId; name: string }>(
        db,
        `select d.id, c.name from device d join client c on c.id = d.client_id
         where d.id = any($1) and ${ofClients('d.client_id', 2)}`,
        [[...new Set(views.map((view) => view.deviceId))], viewer.clientIds],
      )
    ).map((row) => [row.id, row.name]),
  )
  return {
    families: subjects.map((family): FamilyPosts => ({ family, posts: counts.get(family) ?? 0 })),
    watches: [...watches.values()].sort((a, b) => (a.watchName < b.watchName ? -1 : 1)),
    total,
    posts: views.map((view) => ({ ...view, clientName: clients.get(view.deviceId) ?? '' })),
    next,
  }
}
