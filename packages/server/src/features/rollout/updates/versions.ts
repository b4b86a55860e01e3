import type { VersionCount, VersionDevice, VersionDevicesQuery, VersionPage } from '#contract'
import { byVersion, groupsBy, type ClientId } from '#core'
import { rows, type Pool } from '../../../db'
import { ofClients, type Viewer } from '../../access'
import type { Releases } from './releases'

/** Devices of one version at one client. */
export interface VersionsOfClient {
  version: string
  client: string
  devices: number
  /** Of them, those that cannot be updated from here. */
  fixed: number
}
/** Clients that are named with a version. */
const mostNamed = 8

/** How many devices run each version, the newest first, with the clients that have most of them first. */
export function versionCounts(found: readonly VersionsOfClient[]): VersionCount[] {
  return [...groupsBy(found, ({ version }) => version)]
    .sort(([a], [b]) => byVersion(b, a))
    .map(([version, clients]) => ({
      version,
      total: clients.reduce((sum, { devices }) => sum + devices, 0),
      clientCount: clients.length,
      clients: clients
        .toSorted((a, b) => b.devices - a.devices || (a.client < b.client ? -1 : 1))
        .slice(0, mostNamed)
        .map(({ client, devices }) => ({ name: client, devices })),
    }))
}

export async function versionPage(
  pool: Pool,
  viewer: Viewer,
  releases: Releases,
  client: ClientId | null,
): Promise<VersionPage> {
  const found = await rows<VersionsOfClient>(
    pool,
    `
    select coalesce(d.agent_version, '') as version, c.name as client, count(*)::int as devices,
    count(*) filter (where not d.updatable)::int as fixed
    from device d join client c on c.id = d.client_id
    where d.retired_at is null and d.os_family is not null and ${ofClients('d.client_id', 1)}
      and ($2::int is null or d.client_id = $2)
    group by 1, c.id limit 20000`,
    [viewer.clientIds, client],
  )
  const sum = (of: 'devices' | 'fixed') => found.reduce((total, row) => total + row[of], 0)
  return { releases: releases.list(), total: sum('devices'), counts: versionCounts(found), fixed: sum('fixed') }
}

export function versionDevices(pool: Pool, viewer: Viewer, query: VersionDevicesQuery): Promise<VersionDevice[]> {
  return rows<VersionDevice>(
    pool,
    `
    select d.id, d.name, c.name as "clientName", coalesce(d.agent_version, '') as version
    from device d join client c on c.id = d.client_id
    where d.retired_at is null and d.os_family is not null and ${ofClients('d.client_id', 1)}
      and ($2::int is null or d.client_id = $2)
      and case when $3::text is null then not d.updatable
        else d.updatable and coalesce(d.agent_version, '') <> $3 end
    order by c.name, d.name limit 20000`,
    [viewer.clientIds, query.client ?? null, query.behind ?? null],
  )
}
