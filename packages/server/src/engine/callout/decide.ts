import {
  calloutConcerns,
  minute,
  planCallout,
  type CalloutStep,
  type ClientId,
  type Millis,
  type Recipient,
} from '#core'
import { firstRow, inTransaction, rows, time, whenCommitted, type Db, type Pool } from '../../db'
import { noteFault } from '../../store/health'
import { announce } from '../../live'
import { eachAlone } from '../alone'
import { addressees, maySee, readRoll, type Addressee, type Roll } from './people'
import { putIn } from './outbox'
import { rulesInForce, type RuleInForce } from './rules'
import { readSubjects, subjectKey, type Subject, type Told } from './subjects'

const atOnce = 200
/** While maintenance covers an alert one looks again so often: it may be ended at any time. */
const lookAgain: Millis = minute
/** What could not be decided is tried again so much later. */
const triedAgain: Millis = 10 * minute
/** A rule that was just changed says what the one before was about to say. */
const justBefore: Millis = minute

interface Due {
  id: number
  mark: number
  alert: number | null
  request: number | null
}
interface NewStep {
  subject: Subject
  /** Null: of a request that is nobody’s yet. */
  clientId: ClientId | null
  rule: RuleInForce
  step: CalloutStep
}

/**
 * Decides what there is to say about alerts and requests to which something happened, or whose time has come, and puts
 * it into the outbox, in one transaction. One server process at a time does. What happens to one meanwhile has it
 * looked at again: nothing waits for this, and this waits for nobody.
 */
export async function decideCallouts(pool: Pool, now: Millis): Promise<void> {
  for (let round = 0; round < 20; round++) {
    const due = await rows<Due>(
      pool,
      `select id, mark, alert_id as alert, request_id as request from callout_due where due_at <= now()
       order by due_at limit $1`,
      [atOnce],
    )
    if (!due.length) return
    try {
      if (!(await decideGroup(pool, due, now))) return
    } catch {
      // One that cannot be decided costs only itself.
      await eachAlone(due, (subject) => decideAlone(pool, subject, now))
    }
    if (due.length < atOnce) return
  }
}

async function decideAlone(pool: Pool, due: Due, now: Millis): Promise<void> {
  try {
    await decideGroup(pool, [due], now)
  } catch (error) {
    await pool.query('update callout_due set due_at = $2 where id = $1', [due.id, time(now + triedAgain)])
    throw error
  }
}

/** @returns false: another process is at it */
async function decideGroup(pool: Pool, due: readonly Due[], now: Millis): Promise<boolean> {
  return inTransaction(pool, async (tx) => {
    const mine = await firstRow<{ is: boolean }>(tx, 'select pg_try_advisory_xact_lock(39) as is')
    if (!mine!.is) return false
    const rules = await rulesInForce(tx)
    const subjects = due.map(subjectOf)
    const told = await readSubjects(
      tx,
      subjects,
      rules.map(({ rule }) => rule.target),
    )
    const said = await saidBefore(tx, due)
    const next = new Map<string, Millis>()
    const broken = new Map<number, unknown>()
    const steps: NewStep[] = []
    for (const each of told) {
      const key = subjectKey(each)
      let soonest = Infinity
      for (const rule of rules) {
        const found = tryPlan(each, rule, now, broken)
        if (!found) continue
        soonest = Math.min(soonest, found.next ?? Infinity)
        for (const step of found.steps)
          if (isNew(step, found.steps, rule, said.get(`${key} ${rule.id}`) ?? []))
            steps.push({ subject: each, clientId: each.about.clientId, rule, step })
        if (isCovered(each, now)) soonest = Math.min(soonest, now + lookAgain)
      }
      if (soonest < Infinity) next.set(key, soonest)
    }
    if (steps.length) await write(tx, steps, now)
    await putOff(tx, due, next)
    for (const [id, error] of broken) whenCommitted(tx, (then) => void noteFault(then, `call-out rule ${id}`, error))
    return true
  })
}

const subjectOf = ({ alert, request }: Pick<Due, 'alert' | 'request'>): Subject =>
  alert === null ? { of: 'request', id: request! } : { of: 'alert', id: alert }

/** A rule that cannot be planned costs only itself. */
function tryPlan(told: Told, rule: RuleInForce, now: Millis, broken: Map<number, unknown>) {
  try {
    return planOf(told, rule, now)
  } catch (error) {
    broken.set(rule.id, error)
    return null
  }
}

/**
 * What was there before the rule is not told of by it; that it became worse, or came back, is.
 * @returns null: the rule is not about it
 */
export function planOf(
  { about, story }: Pick<Told, 'about' | 'story'>,
  { rule, since, pauses }: RuleInForce,
  now: Millis,
) {
  if (!calloutConcerns(rule, about)) return null
  const plan = planCallout(rule, { ...story, quiet: [...story.quiet, ...pauses] }, now)
  if (story.raisedAt >= since) return plan
  const first = plan.steps.findIndex(({ step, at }) => at >= since && (step === 'tell' || step === 'worse'))
  return { ...plan, steps: first < 0 ? [] : plan.steps.slice(first) }
}

function isCovered({ story }: Told, now: Millis): boolean {
  return story.quiet.some(
    ({ because, from, until }) => because === 'window' && from <= now && (until === null || until > now),
  )
}

interface Said {
  alert_id: number | null
  request_id: number | null
  rule_id: number
  revision: number
  step: CalloutStep['step']
  n: number
  at: Millis
}

/** By subject and rule. */
async function saidBefore(tx: Db, due: readonly Due[]): Promise<Map<string, Said[]>> {
  const map = new Map<string, Said[]>()
  for (const row of await rows<Said>(
    tx,
    `select alert_id, request_id, rule_id, revision, step, n, at from callout_step
     where alert_id = any($1) or request_id = any($2)`,
    [due.flatMap(({ alert }) => alert ?? []), due.flatMap(({ request }) => request ?? [])],
  )) {
    const key = `${subjectKey(subjectOf({ alert: row.alert_id, request: row.request_id }))} ${row.rule_id}`
    map.set(key, [...(map.get(key) ?? []), row])
  }
  return map
}

/** Of what is said again and again, after a time in which nobody could say it, only the last is. */
const repeats: readonly CalloutStep['step'][] = ['again', 'untouched']

function isNew(step: CalloutStep, all: readonly CalloutStep[], rule: RuleInForce, before: readonly Said[]): boolean {
  if (repeats.includes(step.step)) {
    const last = all.findLast((other) => other.step === step.step)
    if (last !== step) return false
    if (before.some(({ revision, step: kind, n }) => revision === rule.revision && kind === step.step && n > step.n))
      return false
  }
  if (before.some(({ revision, step: kind, n }) => revision === rule.revision && kind === step.step && n === step.n))
    return false
  if (step.at >= rule.from) return true
  // Of the time of an earlier revision: only what that one was about to say.
  return (
    step.at >= rule.from - justBefore &&
    !before.some(({ step: kind, at }) => kind === step.step && Math.abs(at - step.at) < justBefore)
  )
}

const toWhom = ({ rule, step }: NewStep): readonly Recipient[] => {
  switch (step.step) {
    case 'escalate':
      return rule.rule.escalate?.tell ?? []
    case 'untouched':
      return step.holder === null ? [] : [{ to: 'person', id: step.holder }]
    default:
      return rule.rule.tell
  }
}

async function write(tx: Db, steps: readonly NewStep[], now: Millis): Promise<void> {
  const roll = await readRoll(tx)
  const told: { stepId: number; to: Addressee }[] = []
  for (const each of steps) {
    const { subject, clientId, rule, step } = each
    const row = await firstRow<{ id: number }>(
      tx,
      `insert into callout_step (alert_id, request_id, rule_id, revision, step, n, at, severity, holder, after)
       values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10) on conflict do nothing returning id`,
      [
        subject.of === 'alert' ? subject.id : null,
        subject.of === 'request' ? subject.id : null,
        rule.id,
        rule.revision,
        step.step,
        step.n,
        time(step.at),
        step.severity,
        step.holder,
        JSON.stringify(step.after),
      ],
    )
    if (!row) continue
    for (const to of await addresseesOf(tx, roll, each, now)) told.push({ stepId: row.id, to })
    announce(tx, { topic: 'callouts', clientIds: clientId === null ? [] : [clientId], deviceIds: [] })
  }
  await putIn(tx, told, now)
}

async function addresseesOf(tx: Db, roll: Roll, each: NewStep, now: Millis): Promise<Addressee[]> {
  if (each.step.step !== 'well') return addressees(roll, toWhom(each), each.clientId, now)
  // Whoever was told that an alert was there, as far as they may still know; of a request nobody says so.
  const told = await rows<{ person: number | null; webhook: number | null }>(
    tx,
    `
    select distinct m.person_id as person, m.webhook_id as webhook
    from callout_step s join callout_told t on t.step_id = s.id join callout_message m on m.id = t.message_id
    where s.alert_id = $1 and s.rule_id = $2 and s.step <> 'untouched' and not t.was_over and m.state <> 'dropped'`,
    [each.subject.id, each.rule.id],
  )
  return told.flatMap(({ person, webhook }): Addressee[] => {
    if (webhook !== null) return roll.webhooks.has(webhook) ? [{ webhook }] : []
    const known = roll.people.get(person!)
    return known && maySee(known.clientIds, each.clientId) ? [{ person: known.id }] : []
  })
}

/**
 * Notes when to look next. Whatever an alert’s row is locked for, it is being changed: it stays due, and is looked at
 * again.
 */
async function putOff(tx: Db, due: readonly Due[], next: ReadonlyMap<string, Millis>): Promise<void> {
  const free = await rows<Due>(
    tx,
    `select d.id, d.mark, d.alert_id as alert, d.request_id as request
     from callout_due d join unnest($1::bigint[], $2::int[]) u (id, mark) on u.id = d.id and u.mark = d.mark
     for update of d skip locked`,
    [due.map(({ id }) => id), due.map(({ mark }) => mark)],
  )
  const nextOf = (each: Due) => next.get(subjectKey(subjectOf(each)))
  const later = free.filter((each) => nextOf(each) !== undefined)
  await tx.query(
    `update callout_due d set due_at = u.at from unnest($1::bigint[], $2::timestamptz[]) u (id, at) where d.id = u.id`,
    [later.map(({ id }) => id), later.map((each) => time(nextOf(each)!))],
  )
  await tx.query('delete from callout_due where id = any($1)', [
    free.filter((each) => nextOf(each) === undefined).map(({ id }) => id),
  ])
}

/** Has all that is open looked at, because who is told has changed. What is being changed is, anyway. */
export async function lookAtAll(tx: Db): Promise<void> {
  await tx.query(
    `insert into callout_due (alert_id, due_at) select id, now() from alert where status <> 'closed' order by id
     on conflict do nothing`,
  )
  await tx.query(
    `insert into callout_due (request_id, due_at) select id, now() from request where status <> 'closed' order by id
     on conflict do nothing`,
  )
  await tx.query(
    `update callout_due d set due_at = now(), mark = mark + 1
     where id in (select id from callout_due where due_at > now() for update skip locked)`,
  )
}
