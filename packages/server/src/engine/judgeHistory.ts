import {
  asksDays,
  day,
  daysOfPace,
  flipsAt,
  flipsJudged,
  flipsKept,
  isReplayable,
  isMetric,
  postKey,
  replay,
  spacing,
  steadyFor,
  watchKind,
  type DeviceId,
  type DeviceState,
  type Evidence,
  type Millis,
  type PostTransition,
  type Recorded,
  type Severity,
} from '#core'
import { firstRow, inTransaction, rows, time, type Db, type Pool } from '../db'
import { readDays, type DaysOfDisks, type DeviceDay } from '../store/series'
import { ruleOf } from './alertRule'
import { loadContext } from './context'
import type { DeviceContext } from './types'

/** So many days are read at a time. */
const daysAtOnce = 14

interface Entry {
  at: Millis
  event: 'raised' | 'severity-changed' | 'reopened' | 'well' | 'failed-again' | 'closed'
  detail: object
  text: string
}
interface PastAlert {
  watch: string
  instance: string
  severity: Severity
  began: Millis
  raisedAt: Millis
  closedAt: Millis
  evidence: Evidence | null
  entries: Entry[]
  /** When its post began to fail, if it flips. */
  flips: Millis[]
  /** Of one that flips: since when its post is well. */
  wellSince: Millis | null
}

/** What was read before a time, in columns. */
function recordedBefore({ times, series }: DeviceDay, until: Millis): Recorded {
  return {
    times: times.filter((at) => at < until),
    series: [...series.values()].flatMap(({ metric, instance, samples }) =>
      isMetric(metric) ? [{ metric, instance, samples }] : [],
    ),
  }
}

/** The alerts that transitions make, in the order in which they come. */
class PastAlerts {
  readonly over: PastAlert[] = []
  readonly #open = new Map<string, PastAlert>()

  /** What cleared by itself of late, the newest of each post first. */
  readonly #past = new Map<string, PastAlert[]>()

  add(transition: PostTransition): void {
    const { watch, instance, kind, at, from, to, evidence } = transition
    const key = postKey(watch, instance)
    const text = evidence?.text ?? ''
    this.#endSteady(key, at)
    const open = this.#open.get(key)
    if (kind === 'raised' && to) this.#raise(key, transition, to, text)
    else if (open && kind === 'changed' && to) {
      open.entries.push({ at, event: 'severity-changed', detail: { from, to }, text })
      Object.assign(open, { severity: to, evidence })
    } else if (open && kind === 'cleared') {
      if (open.flips.length) {
        open.wellSince = at
        open.entries.push({ at, event: 'well', detail: {}, text: '' })
      } else this.#close(key, open, at, text)
    }
  }

  /** As the engine does it: anew, or, of what flips, the last one again. */
  #raise(key: string, { watch, instance, at, began, evidence }: PostTransition, to: Severity, text: string): void {
    const open = this.#open.get(key)
    if (open) {
      open.flips.push(began ?? at)
      open.entries.push({ at, event: 'failed-again', detail: {}, text })
      if (open.severity !== to)
        open.entries.push({ at, event: 'severity-changed', detail: { from: open.severity, to }, text })
      Object.assign(open, { wellSince: null, severity: to, evidence })
      return
    }
    const past = this.#past.get(key) ?? []
    const flips = flipsAt(
      past.map((alert) => ({ beganAt: alert.flips.length ? alert.flips : [alert.began] })),
      began ?? at,
    )
    const last = past[0]
    if (flips && last) {
      this.#past.set(key, past.slice(1))
      this.over.splice(this.over.indexOf(last), 1)
      last.entries.pop()
      last.entries.push(
        { at: last.closedAt, event: 'closed', detail: { reason: 'cleared' }, text: '' },
        { at, event: 'reopened', detail: { to, isFlip: true }, text },
      )
      this.#open.set(key, Object.assign(last, { severity: to, evidence, flips, wellSince: null }))
      return
    }
    this.#open.set(key, {
      watch,
      instance,
      severity: to,
      began: began ?? at,
      raisedAt: at,
      closedAt: at,
      evidence,
      entries: [{ at, event: 'raised', detail: { to }, text }],
      flips: [],
      wellSince: null,
    })
  }

  /** One that flipped and was well for long enough was over before this. */
  #endSteady(key: string, at: Millis): void {
    const open = this.#open.get(key)
    if (!open || open.wellSince === null) return
    const over = open.wellSince + steadyFor(open.flips)
    if (over <= at) this.#close(key, open, over, '')
  }

  #close(key: string, alert: PastAlert, at: Millis, text: string): void {
    alert.entries.push({ at, event: 'closed', detail: { reason: 'history' }, text })
    alert.closedAt = at
    this.over.push(alert)
    this.#past.set(key, [alert, ...(this.#past.get(key) ?? [])].slice(0, flipsJudged - 1))
    this.#open.delete(key)
  }

  /** Nothing is known of what came after. */
  endAt(at: Millis): PastAlert[] {
    for (const key of [...this.#open.keys()]) {
      this.#endSteady(key, at)
      const alert = this.#open.get(key)
      if (!alert) continue
      const was = alert.wellSince === null ? 'still so' : 'well, and not for long enough,'
      this.#close(key, alert, at, `it was ${was} where what was brought ends`)
    }
    return this.over
  }
}

/** How full disks were on the days before the one that is judged. */
class PastDays {
  #days: DaysOfDisks = new Map()

  of(): DaysOfDisks {
    return this.#days
  }

  add(index: number, { series }: Recorded): void {
    const next = new Map(this.#days)
    for (const { metric, instance, samples } of series) {
      if (metric !== 'disk.free' || samples.value.length === 0) continue
      const { at = [], least = [], most = [] } = next.get(instance) ?? {}
      const kept = -(daysOfPace - 1)
      next.set(instance, {
        at: [...at.slice(kept), index * day],
        least: [...least.slice(kept), samples.value.reduce((a, b) => Math.min(a, b))],
        most: [...most.slice(kept), samples.value.reduce((a, b) => Math.max(a, b))],
      })
    }
    this.#days = next
  }
}

async function pastAlertsOf(db: Db, { traits, roster, facts, zone, interval, firstAt }: DeviceContext) {
  const span = await firstRow<{ from: number | null; until: number | null }>(
    db,
    `select min(day) - '1970-01-01'::date as from, max(day) - '1970-01-01'::date as until from report_day
     where device_id = $1 and first_at < coalesce($2, 'infinity'::timestamptz)`,
    [traits.id, time(firstAt)],
  )
  const found = new PastAlerts()
  const end = firstAt ?? Infinity
  const watches = roster.filter(isReplayable)
  const asked = asksDays(roster) ? new PastDays() : null
  const states = new Map<string, DeviceState>()
  let last = 0
  for (let index = span?.from ?? 0; index <= (span?.until ?? -1); index += daysAtOnce) {
    const wanted = { deviceId: traits.id, from: index, until: index + daysAtOnce - 1 }
    const days = [...(await readDays(db, [wanted])).values()].sort((a, b) => a.day - b.day)
    const transitions: PostTransition[] = []
    for (const each of days) {
      const recorded = recordedBefore(each, end)
      last = recorded.times.at(-1) ?? last
      for (const watch of watches) {
        const { metric } = watchKind(watch.kind)
        const own = recorded.series.find((series) => series.metric === metric)?.samples.at
        // It may have been read at another pace than its agent has, and each series at its own.
        const around = {
          facts,
          zone,
          interval: Math.max(interval, (own && spacing(own)) ?? 0),
          ...(asked ? { days: asked.of() } : {}),
        }
        const judged = replay(states.get(watch.key) ?? new Map(), [watch], recorded, around)
        states.set(watch.key, judged.state)
        transitions.push(...judged.transitions)
      }
      asked?.add(each.day, recorded)
    }
    for (const transition of transitions.sort((a, b) => a.at - b.at)) found.add(transition)
  }
  return found.endAt(last)
}

const keyOf = ({
  watch,
  instance,
  severity,
  began,
  closedAt,
}: Pick<PastAlert, 'watch' | 'instance' | 'severity' | 'began' | 'closedAt'>) =>
  JSON.stringify([watch, instance, severity, began, closedAt])

async function write(tx: Db, context: DeviceContext, alerts: readonly PastAlert[]): Promise<void> {
  const { id, clientId } = context.traits
  const instant = (at: Millis) => new Date(at).toISOString()
  const numbered = alerts.map((alert, n) => ({ n, ...alert }))
  await tx.query(
    `with given as (select * from jsonb_to_recordset($3) g (n int, watch text, instance text, severity text,
         began timestamptz, raised timestamptz, closed timestamptz, flips timestamptz[], evidence jsonb, rule jsonb)),
       made as (insert into alert (device_id, client_id, watch, instance, severity, status, began, raised_at, closed_at,
           close_reason, flips_at, evidence, rule)
         select $1, $2, watch, instance, severity, 'closed', began, raised, closed, 'history', flips, evidence, rule
         from given order by raised returning id, watch, instance, began)
     insert into alert_entry (alert_id, at, event, detail, text)
     select m.id, e.at, e.event, e.detail, e.text
     from jsonb_to_recordset($4) e (n int, at timestamptz, event text, detail jsonb, text text)
     join given g on g.n = e.n
     join made m on m.watch = g.watch and m.instance = g.instance and m.began = g.began
     order by e.at, m.id`,
    [
      id,
      clientId,
      JSON.stringify(
        numbered.map(({ n, watch, instance, severity, began, raisedAt, closedAt, flips, evidence }) => ({
          n,
          watch,
          instance,
          severity,
          began: instant(began),
          raised: instant(raisedAt),
          closed: instant(closedAt),
          flips: flips.slice(-flipsKept).map(instant),
          evidence,
          rule: ruleOf(
            context.roster.find(({ key }) => key === watch)!,
            instance,
            context.facts,
          ),
        })),
      ),
      JSON.stringify(
        numbered.flatMap(({ n, entries }) => entries.map((entry) => ({ n, ...entry, at: instant(entry.at) }))),
      ),
    ],
  )
}

/**
 * Judges all that was read of a device before its first own report by what watches it now, as the engine would have,
 * and keeps the alerts that there would have been: over, by the reason *history*, told to nobody. What was found before
 * and is still so stays as it is. Only watches that ask readings alone look at it; windows of that time hold nothing.
 * @returns how many alerts there are of it
 */
export async function judgeHistory(pool: Pool, deviceId: DeviceId): Promise<number> {
  return inTransaction(pool, async (tx) => {
    await tx.query(`select pg_advisory_xact_lock(hashtext('custode history'), $1)`, [deviceId])
    const context = await loadContext(tx, deviceId)
    if (!context) return 0
    const alerts = await pastAlertsOf(tx, context)
    const known = await rows<{
      id: number
      watch: string
      instance: string
      severity: Severity
      began: Millis
      closedAt: Millis
    }>(
      tx,
      `select id, watch, instance, severity, began, closed_at as "closedAt" from alert
       where device_id = $1 and close_reason = 'history'`,
      [deviceId],
    )
    const wanted = new Set(alerts.map(keyOf))
    const there = new Set(known.map(keyOf))
    const gone = known.filter((alert) => !wanted.has(keyOf(alert))).map(({ id }) => id)
    await tx.query('delete from alert_entry where alert_id = any($1)', [gone])
    await tx.query('delete from alert where id = any($1)', [gone])
    const fresh = alerts.filter((alert) => !there.has(keyOf(alert)))
    if (fresh.length) await write(tx, context, fresh)
    return alerts.length
  })
}
