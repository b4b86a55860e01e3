import type { DependsOn, DevicePage, NamedDevice } from '#contract'
import type { DeviceId } from '#core'
import { firstRow, rows, type Db } from '../db'

/**
 * The number of the device that the device `d` is reached through: the one that a person chose, or none where they said
 * so; else the only one of its site that has an address to which its default routes lead. Where several have it, as
 * hosts of containers do, nobody can tell.
 */
export const upstreamOf = `
  case when d.depends_chosen then (select u.id from device u
    where u.id = d.depends_on and u.client_id = d.client_id and u.retired_at is null)
  else (select case when count(*) = 1 then min(u.id) end from device u
    where u.site_id = d.site_id and u.id <> d.id and u.retired_at is null and u.addresses && d.gateways) end`

/** What a device is reached through. */
export async function dependsOn(db: Db, id: DeviceId): Promise<DependsOn> {
  const found = await firstRow<{ chosen: boolean; id: DeviceId | null; name: string | null }>(
    db,
    `select d.depends_chosen as chosen, u.id, u.name from device d left join device u on u.id = (${upstreamOf})
     where d.id = $1`,
    [id],
  )
  const device = found?.id == null ? null : { id: found.id, name: found.name! }
  return { device, by: found?.chosen ? 'person' : 'routes' }
}

/** Those on the way up from a device, itself first, to one that is reached through nothing, or to one of them again. */
export async function wayUp(db: Db, id: DeviceId): Promise<NamedDevice[]> {
  const way: NamedDevice[] = []
  for (let next: DeviceId | null = id; next !== null && way.every((device) => device.id !== next);) {
    const found: (NamedDevice & { upstream: DeviceId | null }) | null = await firstRow(
      db,
      `select d.id, d.name, ${upstreamOf} as upstream from device d where d.id = $1`,
      [next],
    )
    if (!found) break
    way.push({ id: found.id, name: found.name })
    next = found.upstream
  }
  return way
}

/**
 * What is reached through a device without another between. The devices of its client are read once, under the name of
 * their table: as of a time that is over each look at that costs as much as working out how a device was then.
 */
export async function behindOf(db: Db, id: DeviceId): Promise<DevicePage['behind']> {
  const found = await rows<NamedDevice & { total: number }>(
    db,
    `
    with device as materialized (
      select id, name, client_id, site_id, retired_at, depends_chosen, depends_on, addresses, gateways
      from device where client_id = (select client_id from device where id = $1)
    )
    select d.id, d.name, (count(*) over ())::int as total from device d join device r on r.id = $1
    where d.retired_at is null and d.id <> $1
      and (d.depends_chosen and d.depends_on = $1
        or not d.depends_chosen and d.site_id = r.site_id and d.gateways && r.addresses)
      and ${upstreamOf} = $1
    order by lower(d.name), d.id limit 50`,
    [id],
  )
  return { total: found[0]?.total ?? 0, devices: found.map(({ id: of, name }) => ({ id: of, name })) }
}
