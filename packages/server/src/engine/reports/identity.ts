import { second, sharedFor, type DeviceTraits, type Millis } from '#core'
import { time, type Pool } from '../../db'
import { ProblemError } from '../../http/problems'

/** Which runs of agents report as a device. */
export interface DeviceIdentity {
  instance: string | null
  instanceSince: Millis | null
  past: readonly string[]
  barred: readonly string[]
  /** Numbers up to here were used by another machine. */
  countAbove: number | null
  machine: string | null
  sharedAt: Millis | null
}

export type Claim = 'same' | 'new' | 'back' | 'barred'

/** Delivery that was late on the way must not look like a second machine. */
const late = 5 * second

/**
 * Who reports: the run that did before, a new one, or one that another had taken over from and that goes on reporting
 * all the same. That there are two machines shows only then: a restart, a moved disk and a restored snapshot have one
 * run after the other. The one that was there first stays; the other is not listened to any more.
 * @param madeAt when its newest report was made
 */
export function claimOf(identity: DeviceIdentity, instance: string | undefined, madeAt: Millis): Claim {
  if (instance === undefined || instance === identity.instance) return 'same'
  if (identity.barred.includes(instance)) return 'barred'
  if (!identity.past.includes(instance)) return 'new'
  return madeAt > (identity.instanceSince ?? 0) + late ? 'back' : 'same'
}

/** Whether two machines have reported as the device of late. */
export function isShared({ sharedAt }: DeviceIdentity, now: Millis): boolean {
  return sharedAt !== null && now - sharedAt < sharedFor
}

/** Whether a run sends numbers that another machine has used meanwhile; it may not have heard that it was told so. */
export function mustCountAnew(
  { instance: known, countAbove }: DeviceIdentity,
  instance: string | undefined,
  firstSeq: number,
): boolean {
  return countAbove !== null && instance !== undefined && instance === known && firstSeq <= countAbove
}

const remembered = 20

/** Who says that they are the device, and what they send: the least number, and when the newest of it was made. */
export interface Claimant {
  instance?: string | undefined
  machine?: string | undefined
  firstSeq: number
  madeAt: Millis
}

/**
 * Notes who reports. The device's version rises with it, so that no server process goes on with an old copy.
 * @param context just read: what is cached may be of before another machine took over
 * @returns whether something was noted, and the context is to be read again
 * @throws ProblemError identity-shared for the machine that came second; counted-by-another for the first, until it
 * counts on above
 *   the numbers that the second has used: its reports are to come again under others
 */
export async function noteClaim(
  pool: Pool,
  { traits: { id }, identity }: { traits: Pick<DeviceTraits, 'id'>; identity: DeviceIdentity },
  { instance, machine, firstSeq, madeAt }: Claimant,
  now: Millis,
): Promise<boolean> {
  const claim = claimOf(identity, instance, madeAt)
  if (claim === 'same') {
    if (mustCountAnew(identity, instance, firstSeq)) throw new ProblemError('counted-by-another')
    return false
  }
  if (claim === 'barred') {
    // Once a minute is enough to know that it still goes on.
    if (identity.sharedAt === null || now - identity.sharedAt > 60 * second)
      await pool.query('update device set shared_at = $2, version = version + 1 where id = $1', [id, time(now)])
    throw new ProblemError('identity-shared')
  }
  const keep = (list: readonly string[], more: string | null) =>
    [...list, ...(more ? [more] : [])].filter((known) => known !== instance).slice(-remembered)
  const past = keep(identity.past, claim === 'new' ? identity.instance : null)
  const barred = keep(identity.barred, claim === 'back' ? identity.instance : null)
  await pool.query(
    `
    update device set instance = $2, instance_since = $3, past_instances = $4, barred_instances = $5,
    machine = coalesce($6, machine),
      shared_at = case when $7 then $3 else shared_at end, count_above = case when $7
      then last_seq end, version = version + 1
    where id = $1 and instance is not distinct from $8`,
    [id, instance, time(now), past, barred, machine ?? null, claim === 'back', identity.instance],
  )
  if (claim === 'back') throw new ProblemError('counted-by-another')
  return true
}
