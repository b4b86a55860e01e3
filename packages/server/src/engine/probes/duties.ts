import {
  boundsOf,
  inNetwork,
  isLookedAt,
  matchesAny,
  readNetwork,
  reachOf,
  sameData,
  watchKind,
  type ClientId,
  type DeviceId,
  type DeviceTraits,
  type LookPlan,
  type Looks,
  type ProbeAsk,
  type ReachBounds,
  type SiteId,
  type Target,
} from '#core'
import { inTransaction, rows, type Db, type Pool } from '../../db'
import { policyInForce, type PolicyInForce } from '../../store/policy'
import { allTraits } from '../../store/traits'
import { bumpVersions } from '../reevaluate'

/** One device is asked to look at so much at most. */
export const mostAsks = 200
/** Devices that are looked into in one round. */
const atOnce = 500

/** Who is to look at what; `prober` null: nobody, and `gap` says why. */
interface Duty {
  target: DeviceId
  watch: string
  prober: DeviceId | null
  gap: NonNullable<Looks['none']> | null
  host: string
  ask: Omit<ProbeAsk, 'id' | 'host'> | null
}

interface Prober {
  id: DeviceId
  name: string
  clientId: ClientId
  siteId: SiteId
  isServer: boolean
}
interface SiteReach {
  networks: string[]
  bounds: ReachBounds
}

interface Around {
  sites: ReadonlyMap<SiteId, SiteReach>
  /** In the order in which they were added. */
  probers: readonly Prober[]
  /** How much each is asked already, by watches of other devices. */
  asked: Map<DeviceId, number>
}

/** Where a device is looked at that says no other place: an address of its own, one within its site first. */
function ownHost({ addresses }: DeviceTraits, networks: readonly string[]): string {
  const within = networks.flatMap((text) => readNetwork(text) ?? [])
  return addresses.find((address) => within.some((network) => inNetwork(address, network))) ?? addresses[0] ?? ''
}

/** Who may look, in order: those that are named, or servers of the site, or what else has an agent there. */
function candidates(target: DeviceTraits, plan: LookPlan, probers: readonly Prober[]): Prober[] {
  const others = probers.filter(({ id, clientId }) => clientId === target.clientId && id !== target.id)
  if (plan.from.length) return others.filter(({ name }) => matchesAny(plan.from, name))
  const ofSite = others.filter(({ siteId }) => siteId === target.siteId)
  const servers = ofSite.filter(({ isServer }) => isServer)
  return servers.length ? servers : ofSite
}

function dutiesOf(target: DeviceTraits, watch: string, plan: LookPlan, around: Around): Duty[] {
  const site = around.sites.get(target.siteId) ?? { networks: [], bounds: { networks: [], names: [] } }
  const host = plan.host || ownHost(target, site.networks)
  const none = (gap: NonNullable<Looks['none']>): Duty[] => [
    { target: target.id, watch, prober: null, gap, host, ask: null },
  ]
  if (!host) return none('no-address')
  if (reachOf(host, site.bounds) === 'no') return none('not-allowed')
  const able = candidates(target, plan, around.probers)
  if (!able.length) return none('nobody')
  const free = able.filter(({ id }) => (around.asked.get(id) ?? 0) < mostAsks).slice(0, plan.most)
  if (!free.length) return none('too-many')
  return free.map(({ id }): Duty => {
    around.asked.set(id, (around.asked.get(id) ?? 0) + 1)
    const { check, pace } = plan
    return { target: target.id, watch, prober: id, gap: null, host, ask: { check, pace, bounds: site.bounds } }
  })
}

interface KnownDuty extends Duty {
  id: number
}

const keyOf = ({ target, watch, prober }: Duty) => `${target}|${watch}|${prober ?? ''}`

interface Difference {
  gone: KnownDuty[]
  fresh: Duty[]
}

/** What has to change so that what is kept is what is wanted. What stays keeps its number, and what was told of it. */
function differenceOf(wanted: readonly Duty[], known: readonly KnownDuty[]): Difference {
  const before = new Map(known.map((duty) => [keyOf(duty), duty]))
  const isKept = (duty: Duty) => {
    const old = before.get(keyOf(duty))
    return old !== undefined && old.host === duty.host && old.gap === duty.gap && sameData(old.ask, duty.ask)
  }
  const kept = new Set(wanted.filter(isKept).map(keyOf))
  return {
    gone: known.filter((duty) => !kept.has(keyOf(duty))),
    fresh: wanted.filter((duty) => !kept.has(keyOf(duty))),
  }
}

/** Devices before their looks, and both in order of their numbers, as whoever judges and whoever tells does it. */
async function write(tx: Db, { gone, fresh }: Difference): Promise<void> {
  const devices = [...gone, ...fresh].flatMap(({ target, prober }) => (prober === null ? [target] : [target, prober]))
  await tx.query('select from device where id = any($1) order by id for update', [[...new Set(devices)]])
  if (gone.length) {
    const ids = gone.map(({ id }) => id)
    await tx.query('select from probe where id = any($1) order by id for update', [ids])
    await tx.query('delete from probe where id = any($1)', [ids])
  }
  if (fresh.length)
    await tx.query(
      `insert into probe (target_id, watch, prober_id, gap, host, ask)
       select target, watch, prober, gap, host, ask
       from jsonb_to_recordset($1) p (target int, watch text, prober int, gap text, host text, ask jsonb)`,
      [JSON.stringify(fresh)],
    )
  // Whoever looks is told of it, and whoever does not any more.
  const probers = [...gone, ...fresh].flatMap(({ prober }) => prober ?? [])
  if (probers.length) await bumpVersions(tx, [...new Set(probers)])
}

const targetsOf = ({ assignments, exceptions }: PolicyInForce): Target[] =>
  [...assignments, ...exceptions].map(({ target }) => target)

/** Whether any watch is about what other devices see; nearly all work is spared where none is. */
const looksAnywhere = ({ templates }: PolicyInForce): boolean =>
  templates.some(({ watches }) => watches.some(({ kind }) => isLookedAt(kind)))

async function aroundOf(tx: Db, clientIds: readonly ClientId[], ids: readonly DeviceId[]): Promise<Around> {
  const sites = await rows<{ id: SiteId; networks: string[]; named: string[] }>(
    tx,
    'select id, networks, named_addresses as named from site where client_id = any($1)',
    [clientIds],
  )
  const probers = await rows<Prober>(
    tx,
    `select id, name, client_id as "clientId", site_id as "siteId", kind = 'server' as "isServer" from device
     where client_id = any($1) and retired_at is null and os_family is not null order by id`,
    [clientIds],
  )
  const asked = await rows<{ id: DeviceId; count: number }>(
    tx,
    `select prober_id as id, count(*)::int as count from probe
     where prober_id is not null and not target_id = any($1) group by 1`,
    [ids],
  )
  return {
    sites: new Map(sites.map(({ id, networks, named }) => [id, { networks, bounds: boundsOf(networks, named) }])),
    probers,
    asked: new Map(asked.map(({ id, count }) => [id, count])),
  }
}

interface Moved {
  id: DeviceId
  clientId: ClientId
  version: number
}

/** The part of a round that stands in one transaction. @returns what of policy could not be followed */
async function follow(tx: Db, moved: readonly Moved[]): Promise<string[]> {
  const policy = await policyInForce(tx)
  // Whatever moved may be one of those that look; one that went to another client still does at the one before.
  const looked = await rows<Pick<Moved, 'id' | 'clientId'>>(
    tx,
    `select distinct p.target_id as id, d.client_id as "clientId" from probe p join device d on d.id = p.target_id
     where d.client_id = any($1) or p.prober_id = any($2)`,
    [moved.map(({ clientId }) => clientId), moved.map(({ id }) => id)],
  )
  const clientIds = [...new Set([...moved, ...looked].map(({ clientId }) => clientId))]
  const ids = [...new Set([...moved, ...looked].map(({ id }) => id))]
  const known = await rows<KnownDuty>(
    tx,
    `select id, target_id as target, watch, prober_id as prober, gap, host, ask from probe
     where target_id = any($1) order by id`,
    [ids],
  )
  if (!looksAnywhere(policy) && !known.length) return []
  const around = await aroundOf(tx, clientIds, ids)
  const faults: string[] = []
  const wanted = (await allTraits(tx, targetsOf(policy), ids)).flatMap((traits) =>
    policy.compiled
      .roster(traits)
      .filter(({ standing, kind }) => standing === 'active' && isLookedAt(kind))
      .flatMap(({ key, kind, values }) => {
        try {
          const plan = watchKind(kind).looks!(values)
          return plan ? dutiesOf(traits, key, plan, around) : []
        } catch (error) {
          // It costs itself alone, and is logged.
          faults.push(`${key} of ${traits.name}: ${(error as Error).message}`)
          return []
        }
      }),
  )
  const difference = differenceOf(wanted, known)
  if (difference.gone.length || difference.fresh.length) await write(tx, difference)
  return faults
}

/**
 * Works out who looks at what, for devices that changed since that was done: their policy, their place, their name, or
 * the networks of their site. One server process does it at a time.
 * @returns how many devices were looked into
 */
export async function workOutDuties(pool: Pool): Promise<number> {
  const { looked, faults } = await inTransaction(pool, async (tx) => {
    const moved = await rows<Moved>(
      tx,
      // Scans all devices, some 3 ms at 10,000: what changes at every report is no version.
      `select d.id, d.client_id as "clientId", d.version from device d left join probe_follow f on f.device_id = d.id
       where d.version is distinct from f.version order by d.id limit $1`,
      [atOnce],
    )
    if (!moved.length) return { looked: 0, faults: [] }
    const [lock] = await rows<{ is: boolean }>(tx, `select pg_try_advisory_xact_lock(hashtext('custode looks')) as is`)
    if (!lock!.is) return { looked: 0, faults: [] }
    const faults = await follow(tx, moved)
    await tx.query(
      `insert into probe_follow (device_id, version)
       select m.id, m.version from unnest($1::int[], $2::bigint[]) m (id, version) order by m.id
       on conflict (device_id) do update set version = excluded.version`,
      [moved.map(({ id }) => id), moved.map(({ version }) => version)],
    )
    return { looked: moved.length, faults }
  })
  if (faults.length) throw new Error(faults.slice(0, 5).join('; '))
  return looked
}
