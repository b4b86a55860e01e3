import type { ClientId, DeviceId, DeviceKind, DeviceTraits, OsFamily, SiteId } from '#core'
import { rows, type Db } from '../../db'

export interface TraitsRow { id: DeviceId; client_id: ClientId; site_id: SiteId; kind: DeviceKind; os_family: OsFamily; roles: string[]; tags: string[]; name: string }

export function traitsOf(row: TraitsRow): DeviceTraits {
  return { id: row.id, clientId: row.client_id, siteId: row.site_id, kind: row.kind, osFamily: row.os_family, roles: row.roles, tags: row.tags }
}

/** All devices in use, as far as policies and windows tell them apart. */
export async function allTraits(db: Db): Promise<(DeviceTraits & { name: string })[]> {
  const found = await rows<TraitsRow>(db, 'select id, client_id, site_id, kind, os_family, roles, tags, name from device where retired_at is null order by id limit 100000')
  return found.map((row) => ({ ...traitsOf(row), name: row.name }))
}
