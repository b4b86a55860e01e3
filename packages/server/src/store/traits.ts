import {
  factsAsked,
  type ClientId,
  type DeviceId,
  type DeviceKind,
  type DeviceTraits,
  type Facts,
  type OsFamily,
  type SiteId,
  type Target,
} from '#core'
import { rows, type Db } from '../db'

/** What traits are read from, but for the facts. */
export interface TraitsRow {
  id: DeviceId
  client_id: ClientId
  site_id: SiteId
  kind: DeviceKind
  os_family: OsFamily
  os_name: string
  roles: string[]
  tags: string[]
  addresses: string[]
  name: string
}
export const traitColumns =
  'd.id, d.client_id, d.site_id, d.kind, d.os_family, d.os_name, d.roles, d.tags, d.addresses, d.name'

export function traitsOf(row: TraitsRow, facts: Facts): DeviceTraits {
  return {
    id: row.id,
    name: row.name,
    clientId: row.client_id,
    siteId: row.site_id,
    kind: row.kind,
    osFamily: row.os_family,
    osName: row.os_name,
    roles: row.roles,
    tags: row.tags,
    addresses: row.addresses,
    facts,
  }
}

/** The newest facts of these subjects, by device. */
async function factsOf(
  db: Db,
  subjects: readonly string[],
  ids: readonly DeviceId[] | null,
): Promise<ReadonlyMap<DeviceId, Facts>> {
  const found = new Map<DeviceId, Facts>()
  if (!subjects.length) return found
  // By the primary key (device, subject), once a device and subject.
  for (const row of await rows<{ device_id: DeviceId; subject: keyof Facts; value: never }>(
    db,
    `
    select d.id as device_id, f.subject, f.value from device d
    join current_fact f on f.device_id = d.id and f.subject = any($1)
    where d.retired_at is null and ($2::int[] is null or d.id = any($2)) limit 500000`,
    [subjects, ids],
  )) {
    const facts = found.get(row.device_id) ?? {}
    facts[row.subject] = row.value
    found.set(row.device_id, facts)
  }
  return found
}

/**
 * All devices in use, as far as policies and windows tell them apart.
 * @param tried the targets that will be tried on them: only the facts that those ask for are read
 * @param ids only these of them
 */
export async function allTraits(
  db: Db,
  tried: readonly Target[],
  ids: readonly DeviceId[] | null = null,
): Promise<DeviceTraits[]> {
  const facts = await factsOf(db, factsAsked(tried), ids)
  const found = await rows<TraitsRow>(
    db,
    `select ${traitColumns} from device d where d.retired_at is null and ($1::int[] is null or d.id = any($1))
     order by d.id limit 100000`,
    [ids],
  )
  return found.map((row) => traitsOf(row, facts.get(row.id) ?? {}))
}
