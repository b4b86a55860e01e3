import type { Enrolment, EnrolmentRequest, RefusalCode } from '#contract'
import { ageText, placeByAddress, second, standingEffects, type DeviceKind, type Millis, type SiteId } from '#core'
import { firstRow, inTransaction, rows, type Db, type Pool } from '../../../db'
import { settingsOf } from '../../../engine'
import { ProblemError } from '../../../http/problems'
import { announce } from '../../../live'
import { audit, digest, makeSecret } from '../../access'
import { standingRules } from './standing'

interface Key {
  id: number
  site_id: number | null
  client_id: number | null
  kind: DeviceKind
  roles: string[]
  tags: string[]
}
interface Place {
  siteId: SiteId
  clientId: number
  siteName: string
  clientName: string
}

/** Thrown for whoever enrols; `reason` is the exact one, for the technician. */
class RefusalError extends Error {
  constructor(
    readonly problem: ProblemError,
    readonly code: RefusalCode,
    readonly reason: string,
    readonly deviceId: number | null = null,
  ) {
    super(reason)
  }
}

const reasons = {
  'used-up': 'This key has no uses left. Make a new one.',
  expired: 'This key has expired. Make a new one.',
  revoked: 'This key was revoked.',
} as const satisfies Partial<Record<RefusalCode, string>>

/**
 * Takes one use of a good key, at once and for itself: machines that enrol with the same key then do not wait for each
 * other. It need not be on disk before the enrolment is, which is written after it. A server killed in between loses a
 * use.
 */
async function takeUse(db: Db, secret: string): Promise<Key | null> {
  return firstRow<Key>(
    db,
    `
    with quickly as (select set_config('synchronous_commit', 'off', true))
    update enrolment_key set uses_left = uses_left - 1 from quickly
    where secret_digest = $1 and revoked_at is null and expires_at > now() and uses_left > 0
    returning id, site_id, client_id, kind, roles, tags`,
    [digest(secret)],
  )
}

/** Why a key has no use to take, for the technician. */
async function whyNot(db: Db, secret: string): Promise<{ id: number | null; code: RefusalCode; reason: string }> {
  const key = await firstRow<{ id: number; state: keyof typeof reasons }>(
    db,
    `
    select id, case when revoked_at is not null then 'revoked' when expires_at <= now() then 'expired'
    else 'used-up' end as state from enrolment_key where secret_digest = $1`,
    [digest(secret)],
  )
  return key
    ? { id: key.id, code: key.state, reason: reasons[key.state] }
    : { id: null, code: 'unknown-key', reason: 'There is no such key. Was it copied whole?' }
}

async function placeOf(tx: Db, key: Key, addresses: readonly string[]): Promise<Place> {
  let siteId = key.site_id
  if (siteId === null) {
    const sites = await rows<{ siteId: SiteId; networks: string[] }>(
      tx,
      `select id as "siteId", networks from site where networks <> '{}' and ($1::int is null or client_id = $1)
       limit 20000`,
      [key.client_id],
    )
    const placement = placeByAddress(addresses, sites)
    if (placement.siteId === null)
      throw new RefusalError(new ProblemError('no-place', placement.reason), 'no-place', placement.reason)
    siteId = placement.siteId
  }
  return (await firstRow<Place>(
    tx,
    `select s.id as "siteId", s.client_id as "clientId", s.name as "siteName", c.name as "clientName" from site s
     join client c on c.id = s.client_id where s.id = $1`,
    [siteId],
  ))!
}

interface Entered {
  id: number
  name: string
  firstSeq: number
}

/** A machine that was reinstalled comes back as the device it was: same history, new key. */
async function takeOver(tx: Db, place: Place, request: EnrolmentRequest, keyDigest: Buffer): Promise<Entered | null> {
  return firstRow<Entered>(
    tx,
    `
    update device set key_digest = $3, reinstall_until = null, os_family = $4, os_name = $5, addresses = $6,
    version = version + 1
    where client_id = $1 and lower(name) = lower($2) and retired_at is null and reinstall_until > now()
    returning id, name, last_seq + 1 as "firstSeq"`,
    [place.clientId, request.name, keyDigest, request.osFamily, request.osName, request.addresses ?? []],
  )
}

async function enrol(
  tx: Db,
  request: EnrolmentRequest,
  key: Key,
  interval: Millis,
  serverKey: string,
): Promise<{ enrolment: Enrolment; deviceId: number }> {
  const addresses = request.addresses ?? []
  const place = await placeOf(tx, key, addresses)
  const effects = standingEffects(await standingRules(tx), {
    name: request.name,
    clientId: place.clientId,
    siteId: place.siteId,
    kind: key.kind,
    osFamily: request.osFamily,
    addresses,
  })
  const secret = makeSecret()
  const back = await takeOver(tx, place, request, digest(secret))
  const entered =
    back ??
    (await firstRow<Entered>(
      tx,
      `
    insert into device (client_id, site_id, name, kind, os_family, os_name, roles, tags, key_digest, interval_ms,
    addresses, take_detected)
    values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12)
    on conflict (client_id, lower(name)) where retired_at is null do nothing returning id, name, 1 as "firstSeq"`,
      [
        place.clientId,
        place.siteId,
        request.name,
        key.kind,
        request.osFamily,
        request.osName,
        [...new Set([...key.roles, ...effects.roles])],
        [...new Set([...key.tags, ...effects.tags])],
        digest(secret),
        interval,
        addresses,
        effects.takeDetected,
      ],
    ))
  if (!entered) {
    const other = (await firstRow<{ id: number; name: string }>(
      tx,
      'select id, name from device where client_id = $1 and lower(name) = lower($2) and retired_at is null',
      [place.clientId, request.name],
    ))!
    throw new RefusalError(
      new ProblemError(
        'name-in-use',
        `${place.clientName} has a device named “${other.name}” already (upper and lower case count as the same). Give this one another name; or, if it is the same machine reinstalled, say so at that device first.`,
      ),
      'name-in-use',
      `The name is in use: ${other.name} of ${place.clientName}. If it is the same machine reinstalled, let it take that device over.`,
      other.id,
    )
  }
  const { id: deviceId, name, firstSeq } = entered
  for (const personId of effects.notify)
    await tx.query('insert into notice (person_id, device_id, text) values ($1, $2, $3)', [
      personId,
      deviceId,
      `${request.name} ${back ? 'came back' : 'appeared'} at ${place.clientName}, ${place.siteName}`,
    ])
  await audit(tx, {
    personId: null,
    action: back ? 'enrolled anew' : 'enrolled',
    kind: 'device',
    id: deviceId,
    clientId: place.clientId,
    detail: { name: request.name, enrolmentKey: key.id, standingRules: effects.rules },
  })
  announce(tx, { topic: 'estate', clientIds: [place.clientId], deviceIds: [deviceId] })
  return {
    deviceId,
    enrolment: {
      deviceId,
      deviceKey: `cdk.${deviceId}.${secret}`,
      firstSeq,
      serverKey,
      clockOffset: request.sentAt - Date.now(),
      // What else it is to collect it hears with its first report.
      settings: settingsOf({
        interval,
        name,
        clientName: place.clientName,
        siteName: place.siteName,
        collecting: { logs: [], collectors: [] },
        roster: [],
        state: new Map(),
        probes: [],
        facts: {},
      }),
    },
  }
}

interface EnrolmentOutcome {
  request: EnrolmentRequest
  address: string
  keyId: number | null
  outcome: 'enrolled' | 'refused'
  code: RefusalCode | ''
  reason: string
  deviceId: number | null
}

async function remember(
  db: Db,
  { request, address, keyId, outcome, code, reason, deviceId }: EnrolmentOutcome,
): Promise<void> {
  await db.query(
    `insert into enrolment_attempt (key_id, name, os_name, address, clock_offset_ms, outcome, code, reason, device_id)
     values ($1, $2, $3, $4, $5, $6, $7, $8, $9)`,
    [keyId, request.name, request.osName, address, request.sentAt - Date.now(), outcome, code, reason, deviceId],
  )
}

async function refuse(pool: Pool, enrolMachine: EnrolmentOutcome): Promise<void> {
  await remember(pool, enrolMachine)
  announce(pool, { topic: 'estate', clientIds: null, deviceIds: [] })
}

const attemptsOfStrangers = 30

/** Lets a machine in, or not; either way it is remembered who tried, with the exact reason. */
export async function enrolMachine(
  pool: Pool,
  request: EnrolmentRequest,
  address: string,
  interval: Millis,
  serverKey: string,
): Promise<Enrolment> {
  const { attempts } = (await firstRow<{ attempts: number }>(
    pool,
    `select count(*)::int as attempts from enrolment_attempt
     where address = $1 and key_id is null and at > now() - interval '15 minutes'`,
    [address],
  ))!
  if (attempts >= attemptsOfStrangers)
    throw new ProblemError(
      'too-many-attempts',
      'Too many enrolments with keys that do not exist came from this address. Wait 15 minutes and try again.',
    )
  const key = await takeUse(pool, request.key)
  if (!key) {
    const { id, code, reason } = await whyNot(pool, request.key)
    await refuse(pool, { request, address, keyId: id, outcome: 'refused', code, reason, deviceId: null })
    throw new ProblemError('enrolment-key-refused')
  }
  const keyId = key.id
  try {
    return await inTransaction(pool, async (tx) => {
      const { enrolment, deviceId } = await enrol(tx, request, key, interval, serverKey)
      const off = Math.abs(enrolment.clockOffset)
      await remember(tx, {
        request,
        address,
        keyId,
        outcome: 'enrolled',
        code: '',
        reason:
          off > 5 * second
            ? `Its clock is ${ageText(off)} ${enrolment.clockOffset > 0 ? 'ahead' : 'behind'}; times are corrected.`
            : '',
        deviceId,
      })
      return enrolment
    })
  } catch (error) {
    await pool.query('update enrolment_key set uses_left = uses_left + 1 where id = $1', [keyId])
    if (!(error instanceof RefusalError)) throw error
    const { code, reason, deviceId } = error
    await refuse(pool, { request, address, keyId, outcome: 'refused', code, reason, deviceId })
    throw error.problem
  }
}
