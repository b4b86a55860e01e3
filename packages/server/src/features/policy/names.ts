import { conditionsOf, isGroup, matcher, type Condition, type DeviceTraits, type KnownEstate, type Target } from '#core'
import { rows, type Db } from '../../db'
import { allTraits } from '../../store/traits'

/** What there is in the estate, by its number: what it is called, and which client a site or a device belongs to. */
export interface Estate extends KnownEstate {
  roles: ReadonlyMap<string, string>
  sites: ReadonlyMap<number, SiteRow>
  clients: ReadonlyMap<number, string>
  devices: ReadonlyMap<number, DeviceTraits>
}
interface SiteRow {
  id: number
  name: string
  client_id: number
  client_name: string
}

/** @param clientIds those that the viewer may see; null: all. What is of others is called so, and not by its name. */
export async function readEstate(db: Db, clientIds: readonly number[] | null): Promise<Estate> {
  const mine = (clientId: number) => clientIds?.includes(clientId) ?? true
  const named = async <K>(sql: string) =>
    new Map((await rows<{ id: K; name: string }>(db, sql)).map((row) => [row.id, row.name]))
  const byId = <T extends { id: number }>(found: readonly T[]) => new Map(found.map((row) => [row.id, row]))
  const clients = await named<number>('select id, name from client limit 5000')
  const roles = await named<string>('select id, name from role limit 1000')
  const sites = byId(
    await rows<SiteRow>(
      db,
      `select s.id, s.name, s.client_id, c.name as client_name from site s join client c on c.id = s.client_id
       limit 20000`,
    ),
  )
  const devices = byId(await allTraits(db, []))
  return {
    clients,
    roles,
    sites,
    devices,
    client: (id) => (clients.has(id) && !mine(id) ? 'another client' : (clients.get(id) ?? null)),
    role: (id) => roles.get(id) ?? null,
    device: (id) => {
      const found = devices.get(id)
      return found && !mine(found.clientId) ? 'a device of another client' : (found?.name ?? null)
    },
    site: (id) => {
      const found = sites.get(id)
      if (!found) return null
      return mine(found.client_id) ? `${found.client_name} · ${found.name}` : 'a site of another client'
    },
    siteClient: (id) => sites.get(id)?.client_id ?? null,
  }
}

/** Whether all that a target can reach belongs to these clients, so that whoever speaks for them may speak for it. */
export function isWithin(target: Target, clientIds: readonly number[], estate: Estate): boolean {
  const condition = (condition: Condition): boolean => {
    if (condition.on === 'client') return clientIds.includes(condition.clientId)
    if (condition.on === 'site') return clientIds.includes(estate.siteClient(condition.siteId) ?? 0)
    return (
      condition.on === 'devices' &&
      condition.deviceIds.every((id) => clientIds.includes(estate.devices.get(id)?.clientId ?? 0))
    )
  }
  if (target.on === 'all') return target.of.some((candidate) => isWithin(candidate, clientIds, estate))
  if (target.on === 'any')
    return target.of.length > 0 && target.of.every((candidate) => isWithin(candidate, clientIds, estate))
  return !isGroup(target) && condition(target)
}

/** Whether a target names what is of other clients. */
export function isForeign(target: Target, clientIds: readonly number[], estate: Estate): boolean {
  return conditionsOf(target).some(
    (condition) =>
      (condition.on === 'client' && !clientIds.includes(condition.clientId)) ||
      (condition.on === 'site' && !clientIds.includes(estate.siteClient(condition.siteId) ?? 0)) ||
      (condition.on === 'devices' &&
        condition.deviceIds.some((id) => !clientIds.includes(estate.devices.get(id)?.clientId ?? 0))),
  )
}

export function matching(target: Target, devices: readonly DeviceTraits[]): number {
  const match = matcher(target)
  return devices.reduce((sum, device) => sum + Number(match(device)), 0)
}
