import type { CollectorFailure } from '#contract'
import {
  collectingFor,
  isLookedAt,
  postKey,
  reaches,
  windowEnd,
  asksDays,
  usualMetrics,
  type DeviceId,
  type DeviceState,
  type Millis,
  type PostState,
  type ProbeAsk,
} from '#core'
import { rows, type Db } from '../db'
import { readFactsOf, type Told } from '../store/currentFacts'
import { readDiskDays, readUsual, type DaysOfDisks, type UsualOfSeries } from '../store/series'
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

async function readStates(db: Db, deviceIds: readonly DeviceId[]): Promise<Map<DeviceId, DeviceState>> {
  // By the primary key (device, watch, instance).
  const found = await rows<{ device_id: DeviceId; watch: string; instance: string; state: PostState }>(
    db,
    'select device_id, watch, instance, state from post_state where device_id = any($1)',
    [deviceIds],
  )
  const states = new Map(deviceIds.map((id) => [id, new Map<string, PostState>()]))
  for (const row of found) states.get(row.device_id)!.set(postKey(row.watch, row.instance), row.state)
  return states
}

async function readProbes(db: Db, deviceIds: readonly DeviceId[]): Promise<Map<DeviceId, ProbeAsk[]>> {
  // By the index of those that look.
  const found = await rows<{ id: number; prober: DeviceId; host: string; ask: Omit<ProbeAsk, 'id' | 'host'> }>(
    db,
    'select id, prober_id as prober, host, ask from probe where prober_id = any($1) order by id',
    [deviceIds],
  )
  const asks = new Map<DeviceId, ProbeAsk[]>()
  for (const { id, prober, host, ask } of found) asks.set(prober, [...(asks.get(prober) ?? []), { id, host, ...ask }])
  return asks
}

/** As long ago as the one that was heard longest ago; null where one was never heard. */
const earliest = (found: readonly DeviceRow[]): Millis | null =>
  found.some((row) => row.last_at === null) ? null : Math.min(...found.map((row) => row.last_at!))

/**
 * All that is needed to evaluate devices, read from the database in as many statements for many of them as for one.
 * Devices that are not there, or out of use, are not in it.
 */
export async function loadContexts(
  db: Db,
  deviceIds: readonly DeviceId[],
  lock = false,
): Promise<Map<DeviceId, DeviceContext>> {
  const found = await rows<DeviceRow>(
    db,
    `
    select d.*, c.name as client_name, s.name as site_name, s.zone
    from device d join client c on c.id = d.client_id join site s on s.id = d.site_id
    where d.id = any($1) and d.retired_at is null${lock ? ' order by d.id for update of d' : ''}`,
    [deviceIds],
  )
  if (!found.length) return new Map()
  const policy = await policyInForce(db)
  const rules = await collectRules(db, policy.version)
  // One that never reported has told nothing: of many that come in at once this saves a third of the looks.
  const told = found.filter((row) => row.last_seq !== 0).map((row) => row.id)
  const facts = told.length ? await readFactsOf(db, told) : new Map<DeviceId, Told>()
  const probes = await readProbes(db, deviceIds)
  const windows = await windowsSince(db, earliest(found))
  const rosters = new Map(
    found.map((row) => {
      const known = facts.get(row.id)?.facts ?? {}
      const traits = traitsOf(row, known)
      return [row.id, { known, traits, roster: policy.compiled.roster(traits) }]
    }),
  )
  // Also one that never reported has a state where others look at it.
  const judged = found.filter(
    ({ id, last_seq }) => last_seq !== 0 || rosters.get(id)!.roster.some(({ kind }) => isLookedAt(kind)),
  )
  const states = judged.length
    ? await readStates(
        db,
        judged.map(({ id }) => id),
      )
    : new Map<DeviceId, DeviceState>()
  const readAt = Date.now()
  const asking = told.filter((id) => asksDays(rosters.get(id)!.roster))
  const days = asking.length ? await readDiskDays(db, asking, readAt) : new Map<DeviceId, DaysOfDisks>()
  const judging = told.filter((id) => usualMetrics(rosters.get(id)!.roster).length)
  const usual = judging.length ? await readUsual(db, judging) : new Map<DeviceId, UsualOfSeries>()
  return new Map(
    found.map((row): [DeviceId, DeviceContext] => {
      const { known, traits, roster } = rosters.get(row.id)!
      const since = row.last_at ?? 0
      return [
        row.id,
        {
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
          facts: known,
          state: states.get(row.id) ?? new Map(),
          roster,
          windows: windows.filter((window) => (windowEnd(window) ?? Infinity) >= since && reaches(window, traits)),
          collecting: collectingFor(traits, rules, roster),
          probes: probes.get(row.id) ?? [],
          days: asksDays(roster) ? { readAt, of: days.get(row.id) ?? new Map() } : null,
          usual: usualMetrics(roster).length ? { readAt, of: usual.get(row.id) ?? new Map() } : null,
        },
      ]
    }),
  )
}

/** All that is needed to evaluate a device; null when there is no such device in use. */
export async function loadContext(db: Db, deviceId: DeviceId, lock = false): Promise<DeviceContext | null> {
  return (await loadContexts(db, [deviceId], lock)).get(deviceId) ?? null
}
