import type { CoveragePage, CoverageQuery, GapDevice, GapGroupView, GapsWithin, GapView } from '#contract'
import {
  collectingFor,
  coverageGaps,
  factsAsked,
  gapGroups,
  gapKey,
  matchesAny,
  roleNeed,
  roleNeeds,
  type ClientId,
  type Collecting,
  type CoverageGap,
  type DeviceGaps,
  type DeviceId,
  type Facts,
  type SharedGap,
} from '#core'
import { rows, type Db } from '../../../db'
import { collectRules } from '../../../store/collecting'
import { policyInForce, targetsOf } from '../../../store/policy'
import { ofClients, type Viewer } from '../../access'
import { traitColumns, traitsOf, type TraitsRow } from '../../estate'

interface Marked {
  id: DeviceId
  client_id: ClientId
  /** Another one when the device, or any of its facts that are asked for, was told anew. */
  mark: string
}
interface Within {
  clientId?: ClientId | null
  deviceId?: DeviceId | null
}

/** Devices whose roles have needs. At 10,000 devices one hash join with the times of their facts; no value is read. */
async function marked(
  db: Db,
  viewer: Viewer,
  { clientId = null, deviceId = null }: Within,
  asked: readonly (keyof Facts)[],
): Promise<Marked[]> {
  return rows<Marked>(
    db,
    `
    select d.id, d.client_id, d.version || ' ' || coalesce(f.told, 0) as mark
    from device d left join (
      select device_id, sum(extract(epoch from at))::float8 as told from current_fact
      where subject = any($4) and ($3::int is null or device_id = $3) group by device_id
    ) f on f.device_id = d.id
    where d.retired_at is null and d.roles && $2 and ${ofClients('d.client_id', 1)} and ($3::int is null or d.id = $3)
      and ($5::int is null or d.client_id = $5)
    order by d.id limit 20000`,
    [viewer.clientIds, [...new Set(roleNeeds.map((need) => need.role))], deviceId, asked, clientId],
  )
}

async function factsOf(
  db: Db,
  ids: readonly DeviceId[],
  asked: readonly (keyof Facts)[],
): Promise<ReadonlyMap<DeviceId, Facts>> {
  const found = new Map<DeviceId, Facts>(ids.map((id) => [id, {}]))
  // By the primary key (device, subject).
  for (const { device_id, subject, value } of await rows<{ device_id: number; subject: keyof Facts; value: never }>(
    db,
    'select device_id, subject, value from current_fact where device_id = any($1) and subject = any($2) limit 200000',
    [ids, asked],
  ))
    found.get(device_id)![subject] = value
  return found
}

/**
 * What was found of each device, for as long as policy, rules and the device stay as they were: a copy that carries the
 * numbers it was read at. Most devices are as they were a minute ago, and their facts need not be read again.
 */
let known = { of: '', gaps: new Map<DeviceId, { mark: string; gaps: readonly CoverageGap[] }>() }

/** Devices whose facts are read and looked at in one go: more would keep everybody else waiting. */
const readAtOnce = 200

/** What is asked for already and not there yet wants no second rule: its agent has to be heard first, or cannot. */
function asAsked(gap: CoverageGap, { logs, collectors }: Collecting): CoverageGap {
  const asked =
    gap.uncollected &&
    (roleNeed(gap.need).of.on === 'log'
      ? matchesAny(logs, gap.instance)
      : collectors.some((collector) => collector === gap.instance))
  return asked
    ? {
        ...gap,
        uncollected: false,
        trouble: gap.trouble ? `cannot be read there: ${gap.trouble}` : 'asked for, and not begun yet',
      }
    : gap
}

/** What the devices of the viewer miss, less what was said not to be needed; devices without a gap are left out. */
export async function readGaps(
  db: Db,
  viewer: Viewer,
  within: Within = {},
  /** Not within a transaction that writes: what it reads may never come true. */
  remember = true,
): Promise<DeviceGaps[]> {
  const policy = await policyInForce(db)
  const asked = [...new Set<keyof Facts>(['services', 'logs', 'system', ...factsAsked(targetsOf(policy))])]
  const devices = await marked(db, viewer, within, asked)
  const rules = await collectRules(db, policy.version)
  const of = `${policy.version} ${JSON.stringify(rules)}`
  if (known.of !== of) known = { of, gaps: new Map() }
  const found = remember ? known.gaps : new Map(known.gaps)
  const markOf = new Map(devices.map(({ id, mark }) => [id, mark]))
  const moved = devices.filter(({ id, mark }) => found.get(id)?.mark !== mark).map(({ id }) => id)
  for (let i = 0; i < moved.length; i += readAtOnce) {
    const ids = moved.slice(i, i + readAtOnce)
    const facts = await factsOf(db, ids, asked)
    for (const row of await rows<TraitsRow>(db, `select ${traitColumns} from device d where d.id = any($1)`, [ids])) {
      const traits = traitsOf(row, facts.get(row.id)!)
      const roster = policy.compiled.roster(traits)
      const collecting = collectingFor(traits, rules, roster)
      const gaps = coverageGaps(traits, traits.facts, roster).map((gap) => asAsked(gap, collecting))
      found.set(row.id, { mark: markOf.get(row.id)!, gaps })
    }
  }
  // Those that went out of use, or lost their role.
  if (viewer.clientIds === null && !within.clientId && !within.deviceId)
    for (const id of found.keys()) if (!markOf.has(id)) found.delete(id)
  const waived = new Set(
    (
      await rows<{ key: string }>(
        db,
        `select device_id || ' ' || need || ' ' || instance as key from coverage_waiver limit 500000`,
      )
    ).map((row) => row.key),
  )
  return devices.flatMap(({ id, client_id }) => {
    const gaps = found.get(id)?.gaps ?? []
    const open = waived.size ? gaps.filter((gap) => !waived.has(`${id} ${gap.need} ${gap.instance}`)) : gaps
    return open.length ? [{ id, clientId: client_id, gaps: open }] : []
  })
}

export async function roleNames(db: Db): Promise<Map<string, string>> {
  return new Map(
    (await rows<{ id: string; name: string }>(db, 'select id, name from role limit 1000')).map((row) => [
      row.id,
      row.name,
    ]),
  )
}

/** By client and name. */
async function named(db: Db, viewer: Viewer, ids: readonly DeviceId[]): Promise<GapDevice[]> {
  return rows<GapDevice>(
    db,
    `
    select d.id, d.name, d.client_id as "clientId", c.name as "clientName", s.name as "siteName"
    from device d join client c on c.id = d.client_id join site s on s.id = d.site_id
    where d.id = any($1) and ${ofClients('d.client_id', 2)} order by c.name, d.name limit 20000`,
    [ids, viewer.clientIds],
  )
}

/** Devices that are named with a gap; how many more there are is its total. */
const namedFirst = 3

const collator = new Intl.Collator('en')
function viewOf({ gap, deviceIds }: SharedGap, roles: ReadonlyMap<string, string>, devices: GapDevice[]): GapView {
  const need = roleNeed(gap.need)
  return {
    ...gap,
    on: need.of.on,
    role: need.role,
    roleName: roles.get(need.role) ?? need.role,
    why: need.why,
    total: deviceIds.length,
    devices: devices.toSorted((a, b) => collator.compare(`${a.clientName} ${a.name}`, `${b.clientName} ${b.name}`)),
  }
}

const groupsAtOnce = 50

/** One part of what is missing, by the key (missing, of) that its groups are sorted by. */
export async function coveragePage(
  db: Db,
  viewer: Viewer,
  { by, client, after }: CoverageQuery,
): Promise<CoveragePage> {
  const found = await readGaps(db, viewer, { clientId: client ?? null })
  const all = gapGroups(found, by)
  const [missing = '', of = ''] = after?.split(' ') ?? []
  const from = after
    ? all.findIndex(
        (group) =>
          group.missing < Number(missing) ||
          (group.missing === Number(missing) && String(group.of).padStart(12) > of.padStart(12)),
      )
    : 0
  const groups = from < 0 ? [] : all.slice(from, from + groupsAtOnce)
  const rest = from < 0 ? 0 : all.length - from - groups.length
  const last = groups.at(-1)
  const roles = await roleNames(db)
  const ids = new Set(groups.flatMap(({ gaps }) => gaps.flatMap(({ deviceIds }) => deviceIds.slice(0, namedFirst))))
  const devices = new Map((await named(db, viewer, [...ids])).map((device) => [device.id, device]))
  const views = groups.flatMap((group): GapGroupView[] => {
    const gaps = group.gaps.map((gap) =>
      viewOf(
        gap,
        roles,
        gap.deviceIds.slice(0, namedFirst).flatMap((id) => devices.get(id) ?? []),
      ),
    )
    const first = gaps[0]?.devices[0]
    // Moved to another client, or out of use, while this was read.
    if (!first) return []
    if (by === 'need') return [{ title: gaps[0]!.roleName, clientId: null, deviceId: null, gaps }]
    return by === 'client'
      ? [{ title: first.clientName, clientId: first.clientId, deviceId: null, gaps }]
      : [{ title: first.name, clientId: first.clientId, deviceId: first.id, gaps }]
  })
  return {
    total: new Set(all.flatMap((group) => group.gaps.map(({ gap }) => gapKey(gap)))).size,
    groups: views,
    rest,
    next: rest > 0 && last ? `${last.missing} ${last.of}` : null,
  }
}

/** What one device misses. */
export async function gapsOfDevice(db: Db, viewer: Viewer, deviceId: DeviceId): Promise<GapView[]> {
  const roles = await roleNames(db)
  const devices = await named(db, viewer, [deviceId])
  return gapGroups(await readGaps(db, viewer, { deviceId }), 'device').flatMap((group) =>
    group.gaps.map((gap) => viewOf(gap, roles, devices)),
  )
}

/** Every device that has one of the gaps, just as it was shown. */
export async function devicesWith(
  db: Db,
  viewer: Viewer,
  { gaps, clientId, deviceId }: GapsWithin,
): Promise<GapDevice[]> {
  const wanted = new Set(gaps.map((gap) => gapKey({ ...gap })))
  const found = await readGaps(db, viewer, { clientId, deviceId })
  return named(
    db,
    viewer,
    found.filter((device) => device.gaps.some((gap) => wanted.has(gapKey(gap)))).map(({ id }) => id),
  )
}
