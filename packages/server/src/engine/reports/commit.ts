import {
  isKept,
  sameData,
  silentIntervals,
  targets,
  windowEnd,
  type DeviceTraits,
  type Facts,
  type Millis,
} from '#core'
import { inTransaction, time, type Db, type Pool } from '../../db'
import { announce } from '../../live'
import { keepFacts, notJudged, readFacts, type ToldFact } from '../../store/currentFacts'
import { windowsSince } from '../../store/windows'
import { policyInForce } from '../../store/policy'
import { collectRules } from '../../store/collecting'
import { noteFindings, speaksForRoles } from '../../store/findings'
import type { CheckedReport } from './checkBatch'
import { PlainReports } from './plainReports'
import { entriesOf } from './settings'
import { writeEvents } from './writeEvents'
import type { Plan } from './plan'
import { advanceOf, layoutsOf, storeReports } from './storeReports'
import { reevaluate } from '../reevaluate'
import { readAlerting } from '../alerting'
import { settlePosts } from '../settleDevice'
import { settleLater } from '../settleLater'
import type { DeviceContext } from '../types'
import { stateMoved, writeChanges, writeState } from '../writeState'

/** The newest so many refusals of a device are kept, and no more than so many characters of them. */
const refusalsKept = 50
const refusedCharacters = 8_000_000

/** What was refused is kept whole, so that whoever mends the cause can see it. */
async function writeRefused(tx: Db, deviceId: number, refused: Plan['refused'], now: number): Promise<void> {
  if (!refused.length) return
  await tx.query(
    `
    insert into refused_report (device_id, received_at, seq, pointer, code, detail, body)
    select $1, $2, r.seq, r.pointer, r.code, r.detail, r.body
    from unnest($3::bigint[], $4::text[], $5::text[], $6::text[], $7::text[]) r (seq, pointer, code, detail, body)`,
    [
      deviceId,
      time(now),
      refused.map((refusal) => refusal.seq),
      refused.map((refusal) => refusal.pointer),
      refused.map((refusal) => refusal.code),
      refused.map((refusal) => refusal.detail.slice(0, 1000)),
      refused.map((refusal) => JSON.stringify(refusal.body) ?? 'null'),
    ],
  )
  await tx.query(
    `
    delete from refused_report where device_id = $1 and id in (
      select id from (select id, row_number() over w as n, sum(length(body)) over w as characters from refused_report
      where device_id = $1 window w as (order by id desc)) kept
      where n > $2 or (characters > $3 and n > 1))`,
    [deviceId, refusalsKept, refusedCharacters],
  )
}

/** @param known as they stood before these reports: what is told again and is the same is not written again */
async function writeFacts(tx: Db, deviceId: number, known: Facts, reports: readonly CheckedReport[]): Promise<void> {
  const told = new Map(Object.entries(known).map(([subject, value]) => [subject, value as unknown]))
  const isToldOf = (subject: keyof Facts) => reports.some((report) => subject in report.facts)
  const unknown = notJudged.filter(isToldOf)
  if (unknown.length) {
    const { facts } = await readFacts(tx, deviceId)
    for (const subject of unknown) told.set(subject, facts[subject])
  }
  const facts = reports.flatMap((report) =>
    Object.entries(report.facts).flatMap(([subject, value]): ToldFact[] => {
      if (sameData(told.get(subject), value)) return []
      told.set(subject, value)
      return [{ subject: subject as keyof Facts, at: report.at, value }]
    }),
  )
  await keepFacts(tx, deviceId, facts)
  const system = reports
    .map((report) => report.facts.system)
    .filter((system) => system !== undefined)
    .at(-1)
  if (system) {
    // Whoever looks at it looks elsewhere from now on.
    await tx.query(
      `delete from probe_follow f using device d
       where d.id = $1 and f.device_id = d.id and d.addresses is distinct from coalesce($2, d.addresses)`,
      [deviceId, system.addresses ?? null],
    )
    await tx.query(
      `update device set os_name = $2, agent_version = $3, addresses = coalesce($4, addresses),
       starts_at_boot = coalesce($5, starts_at_boot), takes_tasks = $6, updatable = $7 where id = $1`,
      [
        deviceId,
        system.osName,
        system.agentVersion,
        system.addresses ?? null,
        system.startsAtBoot ?? null,
        system.takesTasks ?? false,
        system.updatable ?? false,
      ],
    )
  }
}

/** What the device's traits are with the facts of a plan. */
export function traitsAfter({ traits }: DeviceContext, { facts }: Plan): DeviceTraits {
  return {
    ...traits,
    facts,
    osName: facts.system?.osName ?? traits.osName,
    addresses: facts.system?.addresses ?? traits.addresses,
  }
}

/** Whether what it told about itself changes what of policy, windows and collecting reaches it. */
async function reachMoved(tx: Db, context: DeviceContext, plan: Plan): Promise<boolean> {
  if (plan.stored.every((report) => Object.keys(report.facts).length === 0)) return false
  const traits = traitsAfter(context, plan)
  const policy = await policyInForce(tx)
  // Rosters are shared: another one is another object.
  if (policy.compiled.roster(traits) !== policy.compiled.roster(context.traits)) return true
  const others = [...(await windowsSince(tx, context.lastAt)), ...(await collectRules(tx, policy.version))]
  return others.some(({ target }) => targets(target, traits) !== targets(target, context.traits))
}

/** Older agents send all, and others what was kept before. What watches look for is always kept. */
function withKept({ roster }: DeviceContext, reports: readonly CheckedReport[]): readonly CheckedReport[] {
  const keeping = entriesOf(roster)
  if (!keeping) return reports
  return reports.map((report) => ({ ...report, events: report.events.filter((event) => isKept(keeping, event)) }))
}

/** Whether a plan has nothing to write but reports. */
function isPlain(context: DeviceContext, plan: Plan): boolean {
  return (
    plan.moments.length === 0 &&
    plan.refused.length === 0 &&
    !stateMoved(context.state, plan.state) &&
    plan.stored.every((report) => report.events.length === 0 && Object.keys(report.facts).length === 0)
  )
}

/** Writes a plan, all or nothing. False: the device or the policy has moved on meanwhile, and nothing was written. */
export async function commitPlan(pool: Pool, context: DeviceContext, plan: Plan, now: number): Promise<boolean> {
  const advance = advanceOf(context, plan, await layoutsOf(pool, context.traits.id, plan.stored), now)
  if (isPlain(context, plan)) return PlainReports.of(pool).store(advance)
  const moved = new Error('the device moved on')
  try {
    await inTransaction(pool, async (tx) => {
      // A change of policy looks at what devices have told; what they tell meanwhile waits for it, or it for this.
      if (plan.stored.some((report) => Object.keys(report.facts).length > 0))
        await tx.query('select from policy_mark for share')
      if (!(await storeReports(tx, [advance])).has(context.traits.id)) throw moved
      const { id, clientId } = context.traits
      await writeRefused(tx, id, plan.refused, now)
      await writeFacts(tx, id, context.facts, plan.stored)
      await writeEvents(tx, id, withKept(context, plan.stored))
      await writeState(tx, id, context.state, plan.state)
      await writeChanges(
        tx,
        context,
        plan.moments.flatMap((moment) => moment.transitions),
      )
      if (plan.moments.length) await settleMoments(tx, { ...context, facts: plan.facts, heardAt: now }, plan, now)
      // By the clock, not by when it came: it may have waited for what was done at that end.
      const ended = endedMeanwhile(context, plan, Date.now())
      if (ended !== null) await settleLater(tx, [id], ended)
      const findings = plan.stored.some((report) => speaksForRoles(report.facts))
        ? await noteFindings(tx, id, plan.facts)
        : 'same'
      if (findings === 'given') {
        await reevaluate(tx, id, now)
        announce(tx, { topic: 'policy', clientIds: [clientId], deviceIds: [id] })
      } else if (await reachMoved(tx, context, plan)) {
        await reevaluate(tx, id, now)
        announce(tx, { topic: 'policy', clientIds: [clientId], deviceIds: [id] })
      }
      // What the agent is and collects is shown in places that would not look again at every report.
      if (
        findings === 'noted' ||
        plan.refused.length ||
        plan.stored.some((report) => report.facts.system ?? report.facts.logs)
      )
        announce(tx, { topic: 'estate', clientIds: [clientId], deviceIds: [id] })
    })
    return true
  } catch (error) {
    if (error === moved) return false
    throw error
  }
}

/**
 * When a window ended between a report and its being taken in: what was done at its end could not know of what this
 * report had it hold. Of kept reports others follow, which say how it is since.
 */
function endedMeanwhile(context: DeviceContext, { moments, lastAt, state }: Plan, now: Millis): Millis | null {
  const interval = context.reportedInterval ?? context.interval
  if (!moments.length || lastAt === null || now - lastAt > silentIntervals * interval) return null
  if (![...state.values()].some((post) => post.level !== null)) return null
  const ends = context.windows.flatMap((window) => windowEnd(window) ?? []).filter((end) => end > lastAt && end <= now)
  return ends.length ? Math.max(...ends) : null
}

async function settleMoments(tx: Db, context: DeviceContext, plan: Plan, now: number): Promise<void> {
  const { id, clientId } = context.traits
  const alerting = await readAlerting(tx, id)
  let changed = false
  for (const moment of plan.moments)
    changed = (await settlePosts(tx, context, alerting, moment.state, moment.at, now)) || changed
  if (changed) announce(tx, { topic: 'alerts', clientIds: [clientId], deviceIds: [id] })
}
