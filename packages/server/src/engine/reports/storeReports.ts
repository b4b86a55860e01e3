import { createHash } from 'node:crypto'
import type { DeviceId, Millis, Reading } from '#core'
import { firstRow, time, type Db, type Pool } from '../../db'
import { storedTop } from '../../store/processes'
import type { DeviceContext } from '../types'
import type { CheckedReport } from './checkBatch'
import type { Plan } from './plan'

/** Which values a report has, in their order, and the number under which that is known. */
interface Layout {
  id: number
  names: readonly (readonly [metric: string, instance: string])[]
}
interface KnownLayouts {
  /** By the names as JSON. */
  byNames: Map<string, Layout>
  /** What each device sent last: mostly it sends the same names again, and comparing is cheaper than spelling them. */
  lastOf: Map<DeviceId, Layout>
}
/** Of each database: another has other numbers. */
const known = new WeakMap<Pool, KnownLayouts>()
const mostLayouts = 50_000

function knownTo(pool: Pool): KnownLayouts {
  let found = known.get(pool)
  if (!found) known.set(pool, (found = { byNames: new Map(), lastOf: new Map() }))
  return found
}

function fits({ names }: Layout, readings: readonly Reading[]): boolean {
  if (names.length !== readings.length) return false
  for (let i = 0; i < names.length; i++)
    if (names[i]![0] !== readings[i]![0] || names[i]![1] !== readings[i]![1]) return false
  return true
}

/**
 * The numbers under which these names of values are known; the same on every server process. They are made outside of
 * the report's transaction: a number that was rolled back must not be remembered, and agents do not wait for each
 * other.
 */
export async function layoutsOf(pool: Pool, deviceId: DeviceId, reports: readonly CheckedReport[]): Promise<number[]> {
  const ids: number[] = []
  const { lastOf } = knownTo(pool)
  for (const { readings } of reports) {
    let last = lastOf.get(deviceId)
    if (!last || !fits(last, readings)) {
      last = await layoutOf(pool, readings)
      if (lastOf.size >= mostLayouts) lastOf.clear()
      lastOf.set(deviceId, last)
    }
    ids.push(last.id)
  }
  return ids
}

async function layoutOf(pool: Pool, readings: readonly Reading[]): Promise<Layout> {
  const names = readings.map(([metric, instance]) => [metric, instance] as const)
  const series = JSON.stringify(names)
  const { byNames } = knownTo(pool)
  const found = byNames.get(series)
  if (found) return found
  const digest = createHash('sha256').update(series).digest()
  // The update that changes nothing makes the row come back when it was there already.
  const row = await firstRow<{ id: number }>(
    pool,
    `insert into layout (digest, series) values ($1, $2)
     on conflict (digest) do update set digest = excluded.digest returning id`,
    [digest, series],
  )
  const layout = { id: row!.id, names }
  if (byNames.size >= mostLayouts) byNames.clear()
  byNames.set(series, layout)
  return layout
}

/** What a plan makes of a device's row, and the reports that it adds, provided that the row is as the plan assumed. */
export interface Advance {
  deviceId: DeviceId
  assumed: { keyDigest: Buffer; version: number; lastSeq: number; policyVersion: number }
  lastSeq: number
  lastAt: Millis | null
  heardAt: Millis
  firstAt: Millis | null
  interval: Millis | null
  clockOffset: Millis
  startedAt: Millis | null
  /** As JSON; null: as before. */
  failed: string | null
  disks: { at: Millis; fullest: number } | null
  lost: number
  leftOut: number
  tooOld: number
  refused: number
  reports: { at: Millis; seq: number; late: boolean; layoutId: number; value: string }[]
  tops: { at: Millis; seq: number; took: number; processes: string }[]
}

const sum = (numbers: readonly number[]) => numbers.reduce((a, b) => a + b, 0)

/** Of the newest report that read disks: when it was made, and how full the fullest is; null: none did. */
function disksOf(reports: readonly CheckedReport[]): Advance['disks'] {
  for (const { at, readings } of [...reports].reverse()) {
    const sizes = new Map<string, number>()
    for (const [metric, mount, value] of readings) if (metric === 'disk.size') sizes.set(mount, value)
    let fullest: number | null = null
    for (const [metric, mount, free] of readings)
      if (metric === 'disk.free') {
        const size = sizes.get(mount) ?? 0
        fullest = Math.max(fullest ?? 0, size > 0 ? 1 - free / size : 0)
      }
    if (fullest !== null) return { at, fullest }
  }
  return null
}

export function advanceOf(context: DeviceContext, plan: Plan, layoutIds: readonly number[], now: Millis): Advance {
  const last = plan.stored.at(-1)
  return {
    deviceId: context.traits.id,
    assumed: {
      keyDigest: context.keyDigest,
      version: context.version,
      lastSeq: context.lastSeq,
      policyVersion: context.policyVersion,
    },
    lastSeq: plan.lastSeq,
    lastAt: plan.lastAt,
    heardAt: now,
    firstAt: plan.firstAt,
    interval: last?.interval ?? null,
    clockOffset: plan.clockOffset,
    startedAt: plan.startedAt,
    failed: last && JSON.stringify(last.failed) !== JSON.stringify(context.failed) ? JSON.stringify(last.failed) : null,
    disks: disksOf(plan.stored),
    lost: plan.lost,
    leftOut: sum(plan.stored.map((report) => report.leftOut)),
    tooOld: sum(plan.stored.map((report) => report.tooOld)),
    refused: plan.refused.length,
    reports: plan.stored.map((report, i) => ({
      at: report.at,
      seq: report.seq,
      late: report.late,
      layoutId: layoutIds[i]!,
      value: `{${report.readings.map((reading) => reading[2]).join(',')}}`,
    })),
    tops: plan.stored.flatMap(({ at, seq, top }) =>
      top ? [{ at, seq, took: top.took, processes: storedTop(top) }] : [],
    ),
  }
}

/**
 * Stores reports and moves their devices on, in one statement, each provided that the device still is as its plan
 * assumed: same key, same version, same last report, and the policy that it was evaluated by is in force. One round
 * trip and one flush to disk for the usual reports, which change nothing, of as many devices as there are. The update
 * goes by primary key, the insert into one weekly partition.
 */
const statement = (name: string, unlocked: string) => ({
  name,
  text: `
    with given as (
      select * from unnest($1::int[], $2::bytea[], $3::bigint[], $4::bigint[], $5::bigint[], $6::bigint[],
        $7::timestamptz[], $8::timestamptz[], $9::timestamptz[], $10::int[], $11::bigint[], $12::text[], $13::timestamptz[],
        $14::real[], $15::int[], $16::int[], $17::int[], $18::int[], $19::timestamptz[])
      g (id, key_digest, version, before_seq, policy_version, last_seq, last_at, heard_at, first_at, interval, clock_offset,
        failed, disks_at, fullest, lost, left_out, too_old, refused, started_at)
    )${unlocked && `, free as (${unlocked})`}, guard as (
      update device d set
        last_seq = g.last_seq, last_at = coalesce(g.last_at, d.last_at), heard_at = g.heard_at,
        lost_reports = d.lost_reports + g.lost, clock_offset_ms = g.clock_offset,
        reported_interval_ms = coalesce(g.interval, d.reported_interval_ms),
        failed = coalesce(g.failed::jsonb, d.failed), first_at = coalesce(d.first_at, g.first_at),
        disks_at = coalesce(g.disks_at, d.disks_at), fullest = coalesce(g.fullest, d.fullest),
        left_out_entries = d.left_out_entries + g.left_out, old_entries = d.old_entries + g.too_old,
        refused_count = d.refused_count + g.refused, started_at = coalesce(g.started_at, d.started_at)
      from given g
      where d.id = g.id and d.key_digest = g.key_digest and d.version = g.version and d.last_seq = g.before_seq
        and d.retired_at is null and (select version from policy_mark) = g.policy_version
        ${unlocked && 'and d.id in (select id from free)'}
      returning d.id, g.heard_at
    ), stored as (
      insert into report (device_id, at, seq, received_at, late, layout_id, value)
      select guard.id, r.at, r.seq, guard.heard_at, r.late, r.layout, r.value::float8[]
      from unnest($20::int[], $21::timestamptz[], $22::bigint[], $23::boolean[], $24::int[], $25::text[])
        r (device, at, seq, late, layout, value)
      join guard on guard.id = r.device
    ), due as (
      -- What is packed by now, or may be soon: its day is packed again.
      insert into pack_due (device_id, day)
      select distinct r.device, (r.at at time zone 'UTC')::date
      from unnest($20::int[], $21::timestamptz[]) r (device, at) join guard on guard.id = r.device
      where r.at < now() - interval '5 minutes'
    ), tops as (
      insert into process_top (device_id, at, seq, took_ms, processes)
      select guard.id, t.at, t.seq, t.took, t.processes::json
      from unnest($26::int[], $27::timestamptz[], $28::bigint[], $29::real[], $30::text[])
        t (device, at, seq, took, processes)
      join guard on guard.id = t.device
    )
    select id from guard`,
})
const waiting = statement('store-reports', '')
/** Passes over devices that another transaction holds, however long that takes: the others do not wait for them. */
const passing = statement(
  'store-free-reports',
  'select d.id from device d join given g on g.id = d.id order by d.id for update of d skip locked',
)

/**
 * @param advances at most one of each device
 * @param passes over devices that are locked, instead of waiting for them
 * @returns the devices that were moved on; of the others nothing was written
 */
export async function storeReports(db: Db, advances: readonly Advance[], passes = false): Promise<Set<DeviceId>> {
  const of = <T>(value: (advance: Advance) => T) => advances.map(value)
  const reports = advances.flatMap((advance) => advance.reports.map((report) => ({ ...report, of: advance.deviceId })))
  const tops = advances.flatMap((advance) => advance.tops.map((top) => ({ ...top, of: advance.deviceId })))
  const result = await db.query<{ id: DeviceId }>({
    ...(passes ? passing : waiting),
    values: [
      of(({ deviceId }) => deviceId),
      of(({ assumed }) => assumed.keyDigest),
      of(({ assumed }) => assumed.version),
      of(({ assumed }) => assumed.lastSeq),
      of(({ assumed }) => assumed.policyVersion),
      of(({ lastSeq }) => lastSeq),
      of(({ lastAt }) => time(lastAt)),
      of(({ heardAt }) => time(heardAt)),
      of(({ firstAt }) => time(firstAt)),
      of(({ interval }) => interval),
      of(({ clockOffset }) => clockOffset),
      of(({ failed }) => failed),
      of(({ disks }) => time(disks?.at ?? null)),
      of(({ disks }) => disks?.fullest ?? null),
      of(({ lost }) => lost),
      of(({ leftOut }) => leftOut),
      of(({ tooOld }) => tooOld),
      of(({ refused }) => refused),
      of(({ startedAt }) => time(startedAt)),
      reports.map((report) => report.of),
      reports.map((report) => time(report.at)),
      reports.map((report) => report.seq),
      reports.map((report) => report.late),
      reports.map((report) => report.layoutId),
      reports.map((report) => report.value),
      tops.map((top) => top.of),
      tops.map((top) => time(top.at)),
      tops.map((top) => top.seq),
      tops.map((top) => top.took),
      tops.map((top) => top.processes),
    ],
  })
  return new Set(result.rows.map((row) => row.id))
}
