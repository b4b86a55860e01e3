import {
  returnsWithin,
  silenceCause,
  type ClientId,
  type DeviceId,
  type Millis,
  type SilentDevice,
  type SiteId,
} from '#core'
import { inTransaction, rows, type Db, type Pool } from '../db'
import { announce } from '../live'
import { upstreamOf } from '../store/upstream'
import { eachAlone } from './alone'

/** A device with an open alert about its silence. */
interface Silent extends SilentDevice {
  alertId: number
  siteId: SiteId
  clientId: ClientId
  interval: Millis
  /** What carries that alert; `carrierSite`: of an alert about a site; `clearedAt`: when it was over by itself. */
  carriedBy: number | null
  carrierSite: SiteId | null
  clearedAt: Millis | null
  /** Somebody chose what it is reached through. */
  isChosen: boolean
  gateways: string[]
  addresses: string[]
}

/** All that are silent and told of, with what each is reached through. */
export async function silentDevices(db: Db): Promise<Map<DeviceId, Silent>> {
  const found = await rows<Silent>(
    db,
    `
    select a.id as "alertId", d.id, d.site_id as "siteId", d.client_id as "clientId", d.heard_at as "heardAt",
      coalesce(d.reported_interval_ms, d.interval_ms) as interval, a.carried_by as "carriedBy",
      r.site_id as "carrierSite", case when r.close_reason = 'cleared' then r.closed_at end as "clearedAt",
      d.depends_chosen as "isChosen", d.depends_on as upstream, d.gateways, d.addresses
    from alert a join device d on d.id = a.device_id left join alert r on r.id = a.carried_by
    where a.status <> 'closed' and a.rule->>'kind' = 'silence' and a.well_since is null and d.retired_at is null
      and d.heard_at is not null`,
  )
  // Most networks end at routers without an agent: only where one of these is silent it is asked who is behind it.
  const routers = new Set(found.flatMap(({ siteId, addresses }) => addresses.map((address) => `${siteId} ${address}`)))
  const asked = found.filter(
    ({ isChosen, upstream, siteId, gateways }) =>
      (isChosen && upstream !== null) || (!isChosen && gateways.some((address) => routers.has(`${siteId} ${address}`))),
  )
  const upstream = new Map(
    asked.length
      ? (
          await rows<{ id: DeviceId; upstream: DeviceId | null }>(
            db,
            `select d.id, ${upstreamOf} as upstream from device d where d.id = any($1)`,
            [asked.map(({ id }) => id)],
          )
        ).map((row): [DeviceId, DeviceId | null] => [row.id, row.upstream])
      : [],
  )
  return new Map(found.map((device) => [device.id, { ...device, upstream: upstream.get(device.id) ?? null }]))
}

/** Those whose silence is accounted for by a device of another site: it says nothing about their own. */
export function explainedElsewhere(silent: ReadonlyMap<DeviceId, Silent>): ReadonlySet<DeviceId> {
  return new Set(
    [...silent.values()].flatMap(({ id, siteId }) => {
      const cause = silenceCause(id, silent)
      return cause !== null && silent.get(cause)!.siteId !== siteId ? [id] : []
    }),
  )
}

/** What is to carry the alert about a silence; undefined: that of its own site does, as it decided itself. */
function carrierOf(device: Silent, silent: ReadonlyMap<DeviceId, Silent>, now: Millis): number | null | undefined {
  if (device.carrierSite === device.siteId && device.clearedAt === null) return undefined
  const id = silenceCause(device.id, silent)
  const cause = id === null ? undefined : silent.get(id)
  if (cause?.carriedBy != null && cause.carrierSite !== null)
    // Its own site has decided that it is no part of it.
    return cause.carrierSite === device.siteId ? null : cause.carriedBy
  if (cause) return cause.alertId
  // What it is reached through is back: it may be on its way, too.
  const isComing = device.clearedAt !== null && now - device.clearedAt <= returnsWithin(device.interval)
  return isComing ? device.carriedBy : null
}

/** Has the silence of what others are reached through carry theirs. */
export async function settleBehind(pool: Pool, now: Millis): Promise<void> {
  const silent = await silentDevices(pool)
  const due = [...silent.values()].flatMap((device) => {
    const by = carrierOf(device, silent, now)
    return by === undefined || by === device.carriedBy ? [] : [{ device, by }]
  })
  const parts = Array.from({ length: Math.ceil(due.length / atOnce) }, (_, i) =>
    due.slice(i * atOnce, (i + 1) * atOnce),
  )
  await eachAlone(parts, (part) =>
    inTransaction(pool, async (tx) => {
      const ids = part.map(({ device }) => device.id)
      // The devices first, as everything that changes what is open on them.
      await tx.query('select from device where id = any($1) order by id for update', [ids])
      await tx.query(
        `update alert a set carried_by = v.by from unnest($1::bigint[], $2::bigint[], $3::bigint[]) v (id, was, by)
         where a.id = v.id and a.status <> 'closed' and a.carried_by is not distinct from v.was`,
        [
          part.map(({ device }) => device.alertId),
          part.map(({ device }) => device.carriedBy),
          part.map(({ by }) => by),
        ],
      )
      announce(tx, {
        topic: 'alerts',
        clientIds: [...new Set(part.map(({ device }) => device.clientId))],
        deviceIds: ids,
      })
    }),
  )
}

const atOnce = 100
