import type { CollectorFailure } from '#contract'
import { collectingFor, postKey, reaches, type DeviceState, type PostState } from '#core'
import { firstRow, rows, type Db } from '../db'
import { readFacts } from '../store/currentFacts'
import { traitsOf, type TraitsRow } from '../store/traits'
import { windowsSince } from '../store/windows'
import { policyInForce } from '../store/policy'
import { collectRules } from '../store/collecting'
import type { DeviceContext } from './types'

interface DeviceRow extends TraitsRow {
  client_name: string
  site_name: string
  zone: string
  key_digest: Buffer
  interval_ms: number
  last_seq: number
  last_at: number | null
  heard_at: number | null
  reported_interval_ms: number | null
  clock_offset_ms: number
  first_at: number | null
  instance: string | null
  instance_since: number | null
  past_instances: string[]
  barred_instances: string[]
  count_above: number | null
  machine: string | null
  shared_at: number | null
  failed: CollectorFailure[]
  version: number
  roster_sent: string | null
  roster_confirmed: string | null
}

export async function readState(db: Db, deviceId: number): Promise<DeviceState> {
  const found = await rows<{ watch: string; instance: string; state: PostState }>(
    db,
    'select watch, instance, state from post_state where device_id = $1',
    [deviceId],
  )
  return new Map(found.map((row) => [postKey(row.watch, row.instance), row.state]))
}

/** All that is needed to evaluate a device, read from the database; null when there is no such device in use. */
export async function loadContext(db: Db, deviceId: number, lock = false): Promise<DeviceContext | null> {
  const row = await firstRow<DeviceRow>(
    db,
    `
    select d.*, c.name as client_name, s.name as site_name, s.zone
    from device d join client c on c.id = d.client_id join site s on s.id = d.site_id
    where d.id = $1 and d.retired_at is null${lock ? ' for update of d' : ''}`,
    [deviceId],
  )
  if (!row) return null
  const policy = await policyInForce(db)
  // One that never reported has told nothing: of many that come in at once this saves a third of the looks.
  const facts = row.last_seq === 0 ? {} : (await readFacts(db, deviceId)).facts
  const traits = traitsOf(row, facts)
  const windows = await windowsSince(db, row.last_at)
  const roster = policy.compiled.roster(traits)
  return {
    traits,
    name: row.name,
    clientName: row.client_name,
    siteName: row.site_name,
    zone: row.zone,
    keyDigest: row.key_digest,
    interval: row.interval_ms,
    lastSeq: row.last_seq,
    lastAt: row.last_at,
    heardAt: row.heard_at,
    firstAt: row.first_at,
    identity: {
      instance: row.instance,
      instanceSince: row.instance_since,
      past: row.past_instances,
      barred: row.barred_instances,
      countAbove: row.count_above,
      machine: row.machine,
      sharedAt: row.shared_at,
    },
    reportedInterval: row.reported_interval_ms,
    clockOffset: row.clock_offset_ms,
    failed: row.failed,
    version: row.version,
    rosterSent: row.roster_sent,
    rosterConfirmed: row.roster_confirmed,
    policyVersion: policy.version,
    facts,
    state: row.last_seq === 0 ? new Map() : await readState(db, deviceId),
    roster,
    windows: windows.filter((window) => reaches(window, traits)),
    collecting: collectingFor(traits, await collectRules(db, policy.version), roster),
  }
}
