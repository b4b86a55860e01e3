import {
  evaluate,
  isLookedAt,
  minute,
  second,
  splitPostKey,
  type DeviceId,
  type DeviceState,
  type Look,
  type Looks,
  type Millis,
  type PostTransition,
  type ProbeAsk,
  type ProbeTold,
} from '#core'
import { inTransaction, rows, time, type Db, type Pool } from '../../db'
import { announce } from '../../live'
import { readAlerting } from '../alerting'
import { eachAlone } from '../alone'
import { loadContext } from '../context'
import { settlePosts } from '../settleDevice'
import type { DeviceContext } from '../types'
import { stateMoved, writeChanges, writeState } from '../writeState'

/** What fails, and what has hours, is judged so often without a word: hours turn, and times in sentences grow. */
const judgedEvery: Millis = 5 * minute
/** Devices that are judged in one round. */
const atOnce = 200

/** How long somebody who looks may say nothing: some looks of its own, and time to tell. */
const quietAfter = (every: Millis): Millis => Math.max(2 * minute, 2.5 * every + minute)

/** The same of a probe `p`, as an interval. */
export const quietInterval = `make_interval(secs =>
  greatest(${(2 * minute) / second}, 2.5 * coalesce((p.ask#>>'{pace,every}')::float8, 0) / 1000 + ${minute / second}))`
/** Whether it says nothing any more. */
export const quietProbe = `(p.prober_id is not null and now() - coalesce(p.told_at, p.made_at) > ${quietInterval})`

interface ProbeRow {
  watch: string
  prober: string | null
  gap: NonNullable<Looks['none']> | null
  ask: Omit<ProbeAsk, 'id'> | null
  made_at: Millis
  told_at: Millis | null
  told: ProbeTold | null
}

/** What is known of one look at a moment. */
function lookOf({ prober, ask, made_at, told_at, told }: ProbeRow, now: Millis): Look {
  const heard = told_at ?? made_at
  return {
    from: prober ?? '',
    told,
    ...(now - heard > quietAfter(ask?.pace.every ?? 0) ? { quietSince: heard } : {}),
  }
}

const kindOf = (roster: DeviceContext['roster'], key: string) =>
  roster.find((watch) => watch.key === splitPostKey(key).watch)?.kind ?? ''

const probesOf = (db: Db, deviceId: DeviceId) =>
  rows<ProbeRow>(
    db,
    `select p.watch, d.name as prober, p.gap, p.ask, p.made_at, p.told_at, p.told
     from probe p left join device d on d.id = p.prober_id where p.target_id = $1 order by p.prober_id`,
    [deviceId],
  )

/** Judges a device by what others see of it now. @returns what of its watches could not be evaluated */
async function judge(tx: Db, deviceId: DeviceId, now: Millis): Promise<string[]> {
  const context = await loadContext(tx, deviceId, true)
  await tx.query('select from probe where target_id = $1 order by id for update', [deviceId])
  await tx.query('update probe set due_at = $2 where target_id = $1', [deviceId, time(now + judgedEvery)])
  if (!context) return []
  const probes = await probesOf(tx, deviceId)
  let state: DeviceState = context.state
  const transitions: PostTransition[] = []
  let hasHours = false
  const broken: string[] = []
  for (const watch of context.roster) {
    if (watch.standing !== 'active' || !isLookedAt(watch.kind)) continue
    const own = probes.filter((probe) => probe.watch === watch.key)
    // Who looks is not worked out yet.
    if (!own.length) continue
    const gap = own.find((probe) => probe.gap !== null)?.gap
    const by = own.filter((probe) => probe.gap === null).map((probe) => lookOf(probe, now))
    hasHours ||= typeof watch.values.hours === 'string' && watch.values.hours !== ''
    const every = Math.max(judgedEvery, ...own.map(({ ask }) => ask?.pace.every ?? 0))
    const looks: Looks = { by, ...(gap ? { none: gap } : {}) }
    const seen = evaluate(
      state,
      context.roster,
      {
        at: now,
        interval: every,
        heardAt: now,
        readings: [],
        facts: {},
        events: [],
        failed: [],
        zone: context.zone,
        looks,
      },
      every,
      ({ key }) => key === watch.key,
    )
    state = seen.state
    transitions.push(...seen.transitions)
    // It costs itself alone, and is logged.
    broken.push(...seen.broken.map(({ reason }) => `${watch.key} of ${context.name}: ${reason}`))
  }
  const own = [...state].filter(([key]) => isLookedAt(kindOf(context.roster, key)))
  // What is counted over a time goes on without a word.
  const counts = own.some(([, { memo }]) => memo !== undefined)
  const again = counts ? minute : hasHours || own.length ? judgedEvery : null
  // Where all is well, only that somebody says nothing any more can change it.
  await tx.query(
    `update probe p set due_at = least($2::timestamptz,
       case when coalesce(told_at, made_at) + ${quietInterval} > $3::timestamptz
         then coalesce(told_at, made_at) + ${quietInterval} + interval '1 s' else $4::timestamptz end)
     where target_id = $1`,
    [deviceId, again === null ? null : time(now + again), time(now), time(now + judgedEvery)],
  )
  if (!stateMoved(context.state, state)) return broken
  await writeState(tx, deviceId, context.state, state)
  await writeChanges(tx, context, transitions)
  if (transitions.length) await settlePosts(tx, context, await readAlerting(tx, deviceId), state, now, now)
  await tx.query('update device set version = version + 1 where id = $1', [deviceId])
  // That is no change of who looks.
  await tx.query('update probe_follow set version = version + 1 where device_id = $1', [deviceId])
  if (transitions.length) announce(tx, { topic: 'alerts', clientIds: [context.traits.clientId], deviceIds: [deviceId] })
  return broken
}

/**
 * Judges the devices of which others have said something new, or have said nothing for too long.
 * @returns how many
 */
export async function judgeLooks(pool: Pool, now: Millis): Promise<number> {
  const due = await rows<{ id: DeviceId }>(
    pool,
    'select distinct target_id as id from probe where due_at <= $1 order by 1 limit $2',
    [time(now), atOnce],
  )
  await eachAlone(due, async ({ id }) => {
    const broken = await inTransaction(pool, async (tx) => {
      // Another process may have judged it meanwhile.
      const still = await rows(tx, 'select from probe where target_id = $1 and due_at <= $2 limit 1', [id, time(now)])
      return still.length ? judge(tx, id, now) : []
    })
    if (broken.length) throw new Error(broken.join('; '))
  })
  return due.length
}
