import {
  coverOf,
  flipsJudged,
  flipsKept,
  minute,
  responseOf,
  settle,
  splitPostKey,
  urgency,
  watchKind,
  type AlertAction,
  type DeviceState,
  type Evidence,
  type Millis,
  type OpenAlert,
  type Attempt,
  type RemediationOutcome,
  type ServiceAction,
  type Severity,
} from '#core'
import { firstRow, rows, time, type Db } from '../db'
import { addEntry, type NewEntry } from '../store/alertEntries'
import { carryPosts } from '../store/causes'
import { ruleOf } from './alertRule'
import type { Alerting } from './alerting'
import { callOff, readAttempts, remediationUnderWay, triedText } from './remediation/attempts'
import type { DeviceContext } from './types'

const whyCalledOff: Record<RemediationOutcome, string> = {
  cleared: 'it was well by itself',
  raised: 'a person was told',
  held: 'maintenance began',
  unwatched: 'it is not watched any more',
  retired: 'the device was taken out of use',
  merged: 'the device was merged with another',
}

/** The three tables that keep what is open on a post; nearly all of their columns are the same. */
type PostTable = 'alert' | 'held' | 'remediation'

/** @param row its columns, whose names are constants of this program. @returns its number */
async function insert(tx: Db, table: PostTable, row: Record<string, unknown>): Promise<number> {
  const columns = Object.keys(row)
  const inserted = await firstRow<{ id: number }>(
    tx,
    `insert into ${table} (${columns.join(', ')}) values (${columns.map((_, i) => `$${i + 1}`).join(', ')}) returning id`,
    Object.values(row),
  )
  return inserted!.id
}

interface Open {
  id: number
  severity: Severity
}
async function changeSeverity(
  tx: Db,
  table: PostTable,
  open: Open,
  { severity, evidence }: { severity: Severity; evidence: Evidence | null },
): Promise<void> {
  await tx.query(`update ${table} set severity = $2, evidence = coalesce($3, evidence) where id = $1`, [
    open.id,
    severity,
    evidence && JSON.stringify(evidence),
  ])
  open.severity = severity
}

const opened = ({ severity, began }: Pick<OpenAlert, 'severity' | 'began'>): OpenAlert => ({
  severity,
  began,
  flips: [],
  wellSince: null,
})

/** Carries out what the core decided for one post, in the transaction of whatever caused it. */
async function apply(
  tx: Db,
  context: DeviceContext,
  alerting: Alerting,
  key: string,
  actions: readonly AlertAction[],
  at: Millis,
  now: Millis,
): Promise<void> {
  const { watch, instance } = splitPostKey(key)
  const { id: deviceId, clientId } = context.traits
  const effective = context.roster.find((candidate) => candidate.key === watch)
  const kind = effective?.kind ?? ''
  const post = ({ severity, began, evidence }: { severity: Severity; began: Millis; evidence: Evidence | null }) => ({
    device_id: deviceId,
    client_id: clientId,
    watch,
    instance,
    severity,
    began: time(began),
    evidence: JSON.stringify(evidence),
    rule: JSON.stringify(ruleOf(effective!, instance, context.facts)),
  })
  let endedHeld: number | null = null
  let fromWindow: number | null = null
  let endedRemediation: number | null = null
  for (const action of actions) {
    switch (action.do) {
      case 'raise': {
        const id = await insert(tx, 'alert', {
          ...post(action),
          status: 'open',
          raised_at: time(at),
          window_id: fromWindow,
        })
        alerting.alerts.set(key, { ...opened(action), id, kind })
        if (endedHeld !== null) await tx.query('update held set alert_id = $2 where id = $1', [endedHeld, id])
        if (endedRemediation !== null) {
          await tx.query('update remediation set alert_id = $2 where id = $1', [endedRemediation, id])
          for (const attempt of await attemptsOf(tx, endedRemediation)) await addEntry(tx, id, attempt)
        }
        await addEntry(tx, id, {
          at,
          event: action.afterMaintenance ? 'raised-after-maintenance' : 'raised',
          detail: { to: action.severity },
          text: action.evidence?.text,
        })
        break
      }
      case 'reopen': {
        const { id } = alerting.dismissed.get(key)!
        await tx.query(
          `
          update alert set status = 'open', closed_at = null, close_reason = null, taken_by = null, taken_at = null,
            carried_by = null, severity = $2, began = $3, evidence = coalesce($4, evidence), rule = $5
          where id = $1`,
          [
            id,
            action.severity,
            time(action.began),
            JSON.stringify(action.evidence),
            JSON.stringify(ruleOf(effective!, instance, context.facts)),
          ],
        )
        alerting.alerts.set(key, { ...opened(action), id, kind })
        alerting.dismissed.delete(key)
        if (endedHeld !== null) await tx.query('update held set alert_id = $2 where id = $1', [endedHeld, id])
        if (endedRemediation !== null)
          await tx.query('update remediation set alert_id = $2 where id = $1', [endedRemediation, id])
        await addEntry(tx, id, { at, event: 'reopened', detail: { to: action.severity }, text: action.evidence?.text })
        break
      }
      case 'flip': {
        const { id } = alerting.past.get(key)![0]!
        await tx.query(
          `
          update alert set status = case when taken_by is null then 'open' else 'taken' end, closed_at = null,
            close_reason = null, severity = $2, evidence = coalesce($3, evidence), rule = $4, carried_by = null, flips_at = (
              select array_agg(to_timestamp(f / 1000) order by f) from unnest($5::float8[]) f)
          where id = $1`,
          [
            id,
            action.severity,
            action.evidence && JSON.stringify(action.evidence),
            JSON.stringify(ruleOf(effective!, instance, context.facts)),
            action.beganAt.slice(-flipsKept),
          ],
        )
        alerting.alerts.set(key, { ...opened(action), id, kind, flips: action.beganAt })
        alerting.past.set(key, alerting.past.get(key)!.slice(1))
        if (endedRemediation !== null)
          await tx.query('update remediation set alert_id = $2 where id = $1', [endedRemediation, id])
        await addEntry(tx, id, {
          at,
          event: 'reopened',
          detail: { to: action.severity, isFlip: true },
          text: action.evidence?.text,
        })
        break
      }
      case 'well': {
        const open = alerting.alerts.get(key)!
        await tx.query('update alert set well_since = $2 where id = $1', [open.id, time(at)])
        open.wellSince = at
        await addEntry(tx, open.id, { at, event: 'well' })
        break
      }
      case 'fail again': {
        const open = alerting.alerts.get(key)!
        await tx.query(
          `update alert set well_since = null, evidence = coalesce($3, evidence),
             flips_at = flips_at[greatest(1, cardinality(flips_at) - $4 + 2):] || $2::timestamptz
           where id = $1`,
          [open.id, time(action.began), action.evidence && JSON.stringify(action.evidence), flipsKept],
        )
        open.wellSince = null
        open.flips = [...open.flips, action.began]
        await addEntry(tx, open.id, { at, event: 'failed-again', text: action.evidence?.text })
        break
      }
      case 'change': {
        const open = alerting.alerts.get(key)!
        const from = open.severity
        await changeSeverity(tx, 'alert', open, action)
        // Whoever hid it did not mean what is worse.
        if (urgency(action.severity) > urgency(from))
          await tx.query('update alert set hidden_until = null where id = $1', [open.id])
        await addEntry(tx, open.id, {
          at,
          event: 'severity-changed',
          detail: { from, to: action.severity },
          text: action.evidence?.text,
        })
        break
      }
      case 'close': {
        const open = alerting.alerts.get(key)!
        await tx.query(
          `update alert set status = 'closed', closed_at = $2, close_reason = $3, offered_to = null, offered_by = null,
             hidden_until = null, well_since = null, follow_up_at = null, follow_up_word = ''
           where id = $1`,
          [open.id, time(action.at ?? at), action.because],
        )
        await addEntry(tx, open.id, { at: action.at ?? at, event: 'closed', detail: { reason: action.because } })
        alerting.alerts.delete(key)
        // As it is read the next time; what ended otherwise begins the count anew.
        if (action.because === 'cleared') {
          const beganAt = open.flips.length ? open.flips : [open.began]
          const past = [{ id: open.id, beganAt }, ...(alerting.past.get(key) ?? [])]
          alerting.past.set(key, past.slice(0, flipsJudged - 1))
        } else alerting.past.delete(key)
        break
      }
      case 'hold': {
        const { windowId, occurrence, severity, began, evidence } = action
        const id = await insert(tx, 'held', {
          ...post(action),
          window_id: windowId,
          occurrence_id: occurrence,
          held_at: time(at),
        })
        alerting.held.set(key, { id, kind, windowId, occurrence, severity, began, evidence })
        break
      }
      case 'change held':
        await changeSeverity(tx, 'held', alerting.held.get(key)!, action)
        break
      case 'end held': {
        const held = alerting.held.get(key)!
        await tx.query('update held set ended_at = $2, outcome = $3 where id = $1', [held.id, time(at), action.outcome])
        alerting.held.delete(key)
        endedHeld = held.id
        fromWindow = held.windowId
        break
      }
      case 'remediate': {
        const id = await insert(tx, 'remediation', { ...post(action), started_at: time(now), next_at: time(now) })
        alerting.remediation.set(key, { id, kind, startedAt: now, severity: action.severity, began: action.began })
        break
      }
      case 'change remediation':
        await changeSeverity(tx, 'remediation', alerting.remediation.get(key)!, action)
        break
      case 'end remediation': {
        const { id } = alerting.remediation.get(key)!
        await callOff(tx, id, at, `called off: ${whyCalledOff[action.outcome]}`)
        await tx.query('update remediation set ended_at = $2, outcome = $3 where id = $1', [
          id,
          time(at),
          action.outcome,
        ])
        alerting.remediation.delete(key)
        endedRemediation = id
        break
      }
    }
  }
}

/** What was tried in a remediation, as entries of the alert that it led to. */
async function attemptsOf(tx: Db, remediationId: number): Promise<NewEntry[]> {
  const attempts = await rows<
    ServiceAction & { at: Millis; before: string; after: string; reason: string; state: string }
  >(
    tx,
    `
    select coalesce(ended_at, at) as at, verb, service, before, after, reason, state from response
    where remediation_id = $1 order by id`,
    [remediationId],
  )
  return attempts.map((row) => ({
    at: row.at,
    event: 'attempted',
    detail: { verb: row.verb, service: row.service, succeeded: row.state === 'done' },
    text: triedText(row),
  }))
}

/** A post that failed longer ago than this is not tried any more: what was late has had its time. */
const atHand: Millis = 10 * minute

/**
 * Makes alerts and held records of a device agree with its posts at one moment. Posts that are no longer watched lose
 * their alert. Returns whether anything changed.
 * @param now of the server, which is later than `at` for reports that were kept
 */
export async function settlePosts(
  tx: Db,
  context: DeviceContext,
  alerting: Alerting,
  state: DeviceState,
  at: Millis,
  now: Millis,
): Promise<boolean> {
  const active = new Map(
    context.roster.filter((watch) => watch.standing === 'active').map((watch) => [watch.key, watch]),
  )
  const failing = [...state].filter(([, post]) => post.level !== null).map(([key]) => key)
  const remediable = new Set(
    now - at < atHand &&
      failing.some(
        (key) =>
          active.has(splitPostKey(key).watch) &&
          responseOf(active.get(splitPostKey(key).watch)!, splitPostKey(key).instance),
      )
      ? failing
      : [],
  )
  const attempts = remediable.size ? await readAttempts(tx, context.traits.id, now) : new Map<string, Attempt[]>()
  let changed = false
  const wasSilent = isSilent(alerting)
  for (const key of new Set([
    ...failing,
    ...alerting.alerts.keys(),
    ...alerting.held.keys(),
    ...alerting.remediation.keys(),
  ])) {
    const watch = active.get(splitPostKey(key).watch)
    const post = state.get(key)
    // What another kind of watch under the same key has left open is not this one's: that is watched no more.
    const others = [alerting.alerts, alerting.held, alerting.remediation].some(
      (open) => open.has(key) && open.get(key)!.kind !== watch?.kind,
    )
    if (watch && others) {
      const left = settle({
        standing: null,
        cover: null,
        alert: alerting.alerts.get(key) ?? null,
        held: alerting.held.get(key) ?? null,
        dismissed: null,
        past: [],
        remediation: alerting.remediation.get(key) ?? null,
        mayRemediate: false,
        at,
      })
      await apply(tx, context, alerting, key, left, at, now)
      changed = true
    }
    const actions = settle({
      standing: watch
        ? { level: post?.level ?? null, began: post?.began ?? null, evidence: post?.evidence ?? null }
        : null,
      cover: watch
        ? coverOf(
            context.windows,
            {
              device: context.traits,
              watch: watch.key,
              instance: splitPostKey(key).instance,
              family: watchKind(watch.kind).subject,
            },
            at,
          )
        : null,
      alert: alerting.alerts.get(key) ?? null,
      held: alerting.held.get(key) ?? null,
      dismissed: alerting.dismissed.get(key) ?? null,
      past: alerting.past.get(key) ?? [],
      remediation: alerting.remediation.get(key) ?? null,
      mayRemediate:
        remediable.has(key) &&
        remediationUnderWay(
          { ...context, state },
          key,
          attempts,
          alerting.remediation.get(key)?.startedAt ?? now,
          now,
        ) !== null,
      at,
    })
    changed ||= actions.length > 0
    await apply(tx, context, alerting, key, actions, at, now)
  }
  if (changed && (wasSilent || isSilent(alerting))) await carryPosts(tx, context.traits.id)
  return changed
}

const isSilent = ({ alerts }: Alerting) =>
  [...alerts.values()].some(({ kind, wellSince }) => kind === 'silence' && wellSince === null)
