import { targets, type DeviceTraits, type Target } from '#core'
import { rows, type Db } from '../../db'

export interface Names { clients: Map<number, string>; sites: Map<number, string>; roles: Map<string, string>; devices: Map<number, string> }

export async function readNames(db: Db): Promise<Names> {
  const map = async <K>(sql: string) => new Map((await rows<{ id: K; name: string }>(db, sql)).map((row) => [row.id, row.name]))
  return {
    clients: await map<number>('select id, name from client limit 5000'),
    sites: await map<number>(`select s.id, c.name || ' · ' || s.name as name from site s join client c on c.id = s.client_id limit 20000`),
    roles: await map<string>('select id, name from role limit 1000'),
    devices: await map<number>('select id, name from device where retired_at is null limit 100000'),
  }
}

/** A target as it reads in a sentence. */
export function targetText(target: Target, names: Names): string {
  switch (target.on) {
    case 'everyone': return 'every device'
    case 'kind': return target.kind === 'server' || target.kind === 'workstation' ? `every ${target.kind}` : `every ${target.kind} device`
    case 'os': return `every device running ${target.osFamily === 'linux' ? 'Linux' : 'Windows'}`
    case 'role': return `every ${names.roles.get(target.role) ?? target.role}`
    case 'client': return `every device at ${names.clients.get(target.clientId) ?? 'a client that is gone'}`
    case 'site': return `every device at ${names.sites.get(target.siteId) ?? 'a site that is gone'}`
    case 'tag': return `every device tagged ${target.tag}`
    case 'devices': {
      const listed = target.deviceIds.slice(0, 3).map((id) => names.devices.get(id) ?? 'a device that is gone').join(', ')
      return target.deviceIds.length > 3 ? `${listed} and ${target.deviceIds.length - 3} more` : listed
    }
  }
}

export function matching(target: Target, devices: readonly DeviceTraits[]): number {
  return devices.filter((device) => targets(target, device)).length
}
