import type { AlertActed, AlertsAct } from '#contract'
import { second, type Millis, type Severity } from '#core'
import { firstRow, inTransaction, rows, time, type Db, type Pool } from '../../db'
import type { Job } from '../../engine'
import { ProblemError } from '../../http/problems'
import { announce } from '../../live'
import { addEntry, type NewEntry } from '../../store/alertEntries'
import { carryPosts } from '../../store/causes'
import { askToRead } from '../../store/tasks'
import { audit, ofClients, requireColleague, requireLater, type Viewer } from '../access'

interface Acted {
  id: number
  /** null: it is about a site. */
  device_id: number | null
  client_id: number
  watch: string
  instance: string
  status: 'open' | 'taken' | 'closed'
  severity: Severity
  close_reason: string | null
  offered_to: number | null
  taken_by: number | null
}

/** One that the viewer may see, locked. @throws ProblemError no-such-alert */
async function requireAlert(tx: Db, viewer: Viewer, id: number): Promise<Acted> {
  const alert = await firstRow<Acted>(
    tx,
    `select id, device_id, client_id, watch, instance, status, severity, close_reason, offered_to,
       taken_by from alert
     where id = $1 and ${ofClients('client_id', 2)} for update`,
    [id, viewer.clientIds],
  )
  if (!alert) throw new ProblemError('no-such-alert')
  return alert
}

type Entry = Omit<NewEntry, 'at' | 'personId'>

/** Does it, and returns what is written down of it. */
async function carryOut(tx: Db, alert: Acted, act: AlertsAct, viewer: Viewer, now: Millis): Promise<Entry> {
  const set = (sql: string, values: unknown[] = []) =>
    tx.query(`update alert set ${sql} where id = $1`, [alert.id, ...values])
  switch (act.do) {
    case 'take':
      await set(
        `status = 'taken', taken_by = $2, taken_at = now(), offered_to = null, offered_by = null, offered_word = '',
         hidden_until = null, follow_up_at = null, follow_up_word = ''`,
        [viewer.id],
      )
      return { event: 'taken' }
    case 'give-back':
      await set(
        `status = 'open', taken_by = null, taken_at = null, offered_to = null, offered_by = null, offered_word = '',
         follow_up_at = null, follow_up_word = ''`,
      )
      return { event: 'given-back' }
    case 'hand-over': {
      const person = await requireColleague(tx, act.personId, alert.client_id)
      await set('offered_to = $2, offered_by = $3, offered_word = $4, hidden_until = null', [
        person.id,
        viewer.id,
        act.text.slice(0, 500),
      ])
      return {
        event: 'handed-over',
        detail: { person: person.name, personId: person.id },
        text: act.text.slice(0, 500),
      }
    }
    case 'decline':
      if (alert.offered_to !== viewer.id)
        throw new ProblemError('invalid', 'It was not handed to you, or you have answered already.')
      await set(`offered_to = null, offered_by = null, offered_word = ''`)
      return { event: 'declined', text: act.text }
    case 'hide': {
      const until = requireLater(act.until, now)
      await set('hidden_until = $2', [time(until)])
      return { event: 'hidden', detail: { until }, text: act.text }
    }
    case 'follow-up': {
      const until = requireLater(act.until, now)
      if (alert.taken_by !== null && alert.taken_by !== viewer.id)
        throw new ProblemError('invalid', 'Somebody else has it. Take it over first, or ask them.')
      await set(
        `status = 'taken', taken_by = $2, taken_at = coalesce(taken_at, now()), follow_up_at = $3, follow_up_word = $4,
         hidden_until = null`,
        [viewer.id, time(until), act.text.slice(0, 500)],
      )
      return { event: 'promised', detail: { until }, text: act.text.slice(0, 500) }
    }
    case 'show':
      await set('hidden_until = null')
      return { event: 'shown' }
    case 'note':
      if (!act.text) throw new ProblemError('invalid', 'Write the note.', [{ at: 'text', message: 'is empty' }])
      return { event: 'note', text: act.text }
    case 'ask-again':
      if (alert.device_id === null)
        throw new ProblemError('invalid', 'A site has no agent of its own. Ask those of its devices.')
      await askToRead(tx, alert.device_id, now)
      return { event: 'asked-again' }
    case 'close':
      if (act.text.length < 3)
        throw new ProblemError('invalid', 'Say why it is closed although it still fails.', [
          { at: 'text', message: 'is too short' },
        ])
      await set(
        `status = 'closed', closed_at = now(), close_reason = 'by-hand', offered_to = null, offered_by = null,
         offered_word = '', hidden_until = null, follow_up_at = null, follow_up_word = '', well_since = null`,
      )
      return { event: 'closed', detail: { reason: 'by-hand' }, text: act.text.slice(0, 500) }
    case 'reopen':
      await requireReopenable(tx, alert)
      await set(`status = 'open', closed_at = null, close_reason = null, taken_by = null, taken_at = null`)
      return { event: 'reopened', text: act.text }
  }
}

/** @throws ProblemError where its post is well meanwhile, has another alert, or is another client's by now */
async function requireReopenable(tx: Db, alert: Acted): Promise<void> {
  const { device_id, client_id, watch, instance, status, close_reason } = alert
  if (device_id === null)
    throw new ProblemError('invalid', 'The alert of a site is raised by itself. Open those of its devices again.')
  if (status !== 'closed' || close_reason !== 'by-hand')
    throw new ProblemError('invalid', 'Only an alert that was closed by hand can be opened again.')
  const other = await firstRow(
    tx,
    `select from alert where device_id = $1 and watch = $2 and instance = $3 and status <> 'closed'`,
    [device_id, watch, instance],
  )
  if (other) throw new ProblemError('invalid', 'There is a newer alert about the same. Work on that one.')
  const failing = await firstRow(
    tx,
    `select from post_state p join device d on d.id = p.device_id
     where p.device_id = $1 and p.watch = $2 and p.instance = $3 and p.state->>'level' is not null
       and d.client_id = $4 and d.retired_at is null`,
    [device_id, watch, instance, client_id],
  )
  if (!failing) throw new ProblemError('invalid', 'It is well meanwhile. If it fails again, it is raised anew.')
}

/**
 * Who closes the silence of a site, or of what others are reached through, means theirs, too. What else a silent device
 * carries stands for itself once nobody wants to be told of the silence.
 */
async function settleCarried(tx: Db, alert: Acted, viewer: Viewer, entry: Entry, now: Millis): Promise<void> {
  if (alert.device_id !== null) await carryPosts(tx, alert.device_id)
  if (entry.event !== 'closed') return
  const closed = await rows<{ id: number; device_id: number }>(
    tx,
    `update alert set status = 'closed', closed_at = now(), close_reason = 'by-hand', offered_to = null,
       offered_by = null, offered_word = '', hidden_until = null
     where carried_by = $1 and status <> 'closed' and rule->>'kind' = 'silence' returning id, device_id`,
    [alert.id],
  )
  for (const member of closed) {
    await addEntry(tx, member.id, { ...entry, at: now, personId: viewer.id })
    await carryPosts(tx, member.device_id)
  }
}

/** Does one thing with one alert, with its entry, audit line and announcement. */
export async function actOnAlert(tx: Db, viewer: Viewer, id: number, act: AlertsAct, now: Millis): Promise<void> {
  // Devices first, as everything that changes what is open on them: its own, and those of what it carries.
  await tx.query(
    `select from device where id in (select device_id from alert where id = $1 or carried_by = $1 and status <> 'closed')
     order by id for update`,
    [id],
  )
  const alert = await requireAlert(tx, viewer, id)
  if (alert.status === 'closed' && act.do !== 'reopen' && act.do !== 'note') throw new ProblemError('already-closed')
  const entry = await carryOut(tx, alert, act, viewer, now)
  await addEntry(tx, id, { ...entry, at: now, personId: viewer.id })
  if (act.do === 'close' || act.do === 'reopen') await settleCarried(tx, alert, viewer, entry, now)
  await audit(tx, { personId: viewer.id, action: entry.event, kind: 'alert', id, clientId: alert.client_id })
  announce(tx, {
    topic: 'alerts',
    clientIds: [alert.client_id],
    deviceIds: alert.device_id === null ? [] : [alert.device_id],
  })
}

/** The same with many, each by itself: one that cannot be done keeps no other from being done. */
export async function actOnAlerts(pool: Pool, viewer: Viewer, act: AlertsAct): Promise<AlertActed[]> {
  const acted: AlertActed[] = []
  for (const id of new Set(act.ids)) {
    try {
      await inTransaction(pool, (tx) => actOnAlert(tx, viewer, id, act, Date.now()))
      acted.push({ id, problem: null })
    } catch (error) {
      if (!(error instanceof ProblemError)) throw error
      acted.push({ id, problem: error.detail })
    }
  }
  return acted
}

/** Shows again what was hidden until now. */
async function showHidden(pool: Pool, now: Millis): Promise<void> {
  const due = await rows<{ id: number; device_id: number | null; client_id: number }>(
    pool,
    `select id, device_id, client_id from alert where hidden_until <= $1 order by hidden_until limit 500`,
    [time(now)],
  )
  for (const { id, device_id, client_id } of due)
    await inTransaction(pool, async (tx) => {
      const shown = await firstRow<{ status: string }>(
        tx,
        'update alert set hidden_until = null where id = $1 and hidden_until <= $2 returning status',
        [id, time(now)],
      )
      // Another process has done so, or it was over by then.
      if (!shown || shown.status === 'closed') return
      await addEntry(tx, id, { at: now, event: 'shown' })
      announce(tx, { topic: 'alerts', clientIds: [client_id], deviceIds: device_id === null ? [] : [device_id] })
    })
}

/** What becomes of alerts with time, and without their devices. */
export function alertJobs(pool: Pool): Job[] {
  return [{ name: 'hidden alerts', every: 5 * second, work: (now) => showHidden(pool, now) }]
}
