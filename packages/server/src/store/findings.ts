import { suggestRoles, type DeviceId, type Facts, type RoleId } from '#core'
import { firstRow, rows, type Db } from '../db'

export function speaksForRoles(facts: Facts): boolean {
  return (
    facts.system !== undefined ||
    facts.services !== undefined ||
    facts.packages !== undefined ||
    facts.ports !== undefined
  )
}

interface Finding {
  role: RoleId
  evidence: string[]
  decision: string | null
}

/**
 * Keeps what the facts of a device speak for. What nobody has decided about goes when it no longer shows; what was
 * decided stays, so that a role once declined is not suggested again.
 * @returns `given` when the device was given a role because a standing rule takes them without asking, `noted` when
 * anything else is told of it now
 */
export async function noteFindings(tx: Db, deviceId: DeviceId, facts: Facts): Promise<'given' | 'noted' | 'same'> {
  const suggested = suggestRoles(facts)
  const known = new Map(
    (await rows<Finding>(tx, 'select role, evidence, decision from role_finding where device_id = $1', [deviceId])).map(
      (row) => [row.role, row],
    ),
  )
  const gone = [...known.values()]
    .filter((finding) => finding.evidence.length && !suggested.some(({ role }) => role === finding.role))
    .map((finding) => finding.role)
  if (gone.length) {
    await tx.query('delete from role_finding where device_id = $1 and role = any($2) and decision is null', [
      deviceId,
      gone,
    ])
    await tx.query(
      `update role_finding set evidence = '[]', found_at = now() where device_id = $1 and role = any($2)`,
      [deviceId, gone],
    )
  }
  const written = suggested.filter(
    ({ role, evidence }) => JSON.stringify(known.get(role)?.evidence) !== JSON.stringify(evidence),
  )
  if (!written.length) return gone.length ? 'noted' : 'same'
  await tx.query(
    `
    insert into role_finding (device_id, role, evidence) select $1, f.role, f.evidence
    from unnest($2::text[], $3::jsonb[]) f (role, evidence)
    on conflict (device_id, role) do update set evidence = excluded.evidence, found_at = now()`,
    [deviceId, written.map((role) => role.role), written.map((role) => JSON.stringify(role.evidence))],
  )
  const taken = await firstRow(
    tx,
    `
    with taken as (
      update role_finding f set decision = 'accepted', decided_at = now() from device d
      where f.device_id = $1 and d.id = $1 and d.take_detected and f.decision is null and not f.role = any(d.roles)
      returning f.role
    )
    update device set roles = roles || array(select role from taken order by role)
    where id = $1 and exists (select from taken) returning id`,
    [deviceId],
  )
  return taken ? 'given' : 'noted'
}
