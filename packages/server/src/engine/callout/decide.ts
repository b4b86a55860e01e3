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
import { addressees, readRoll, type Addressee, type Roll } from './people'
import { putIn } from './outbox'
import { rulesInForce, type RuleInForce } from './rules'
import { readStories, type ToldAlert } from './stories'

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
}
export interface NewStep {
  alertId: number
  clientId: ClientId
  rule: RuleInForce
  step: CalloutStep
}

/**
 * Decides what there is to say about alerts to which something happened, or whose time has come, and puts it into the
 * outbox, in one transaction. One server process at a time does. What happens to an alert meanwhile has it looked at
 * again: nothing waits for this, and this waits for nobody.
 */
export async function decideCallouts(pool: Pool, now: Millis): Promise<void> {
  for (let round = 0; round < 20; round++) {
    const due = await rows<Due>(
      pool,
      `select alert_id as id, mark from callout_due where due_at <= now() order by due_at limit $1`,
      [atOnce],
    )
    if (!due.length) return
    try {
      if (!(await decideGroup(pool, due, now))) return
    } catch {
      // One that cannot be decided costs only itself.
      await eachAlone(due, (alert) => decideAlone(pool, alert, now))
    }
    if (due.length < atOnce) return
  }
}

async function decideAlone(pool: Pool, alert: Due, now: Millis): Promise<void> {
  try {
    await decideGroup(pool, [alert], now)
  } catch (error) {
    await pool.query('update callout_due set due_at = $2 where alert_id = $1', [alert.id, time(now + triedAgain)])
    throw error
  }
}

/** @returns false: another process is at it */
async function decideGroup(pool: Pool, due: readonly Due[], now: Millis): Promise<boolean> {
  return inTransaction(pool, async (tx) => {
    const mine = await firstRow<{ is: boolean }>(tx, 'select pg_try_advisory_xact_lock(39) as is')
    if (!mine!.is) return false
    const rules = await rulesInForce(tx)
    const alerts = await readStories(
      tx,
      due.map(({ id }) => id),
      rules.map(({ rule }) => rule.target),
      true,
    )
    const said = await saidBefore(
      tx,
      due.map(({ id }) => id),
    )
    const next = new Map<number, Millis>()
    const broken = new Map<number, unknown>()
    const steps: NewStep[] = []
    for (const alert of alerts) {
      let soonest = Infinity
      for (const rule of rules) {
        const found = tryPlan(alert, rule, now, broken)
        if (!found) continue
        soonest = Math.min(soonest, found.next ?? Infinity)
        for (const step of found.steps)
          if (isNew(step, found.steps, alert.id, rule, said))
            steps.push({ alertId: alert.id, clientId: alert.about.clientId, rule, step })
        if (isCovered(alert, now)) soonest = Math.min(soonest, now + lookAgain)
      }
      if (soonest < Infinity) next.set(alert.id, soonest)
    }
    if (steps.length) await write(tx, steps, now)
    await putOff(tx, due, next)
    for (const [id, error] of broken) whenCommitted(tx, (then) => void noteFault(then, `call-out rule ${id}`, error))
    return true
  })
}

/** A rule that cannot be planned costs only itself. */
function tryPlan(alert: ToldAlert, rule: RuleInForce, now: Millis, broken: Map<number, unknown>) {
  try {
    return planOf(alert, rule, now)
  } catch (error) {
    broken.set(rule.id, error)
    return null
  }
}

/**
 * What was there before the rule is not told of by it; that it became worse, or came back, is.
 * @returns null: the rule is not about it
 */
export function planOf({ about, story }: ToldAlert, { rule, since, pauses }: RuleInForce, now: Millis) {
  if (!calloutConcerns(rule, about)) return null
  const plan = planCallout(rule, { ...story, quiet: [...story.quiet, ...pauses] }, now)
  if (story.raisedAt >= since) return plan
  const first = plan.steps.findIndex(({ step, at }) => at >= since && (step === 'tell' || step === 'worse'))
  return { ...plan, steps: first < 0 ? [] : plan.steps.slice(first) }
}

function isCovered({ story }: ToldAlert, now: Millis): boolean {
  return story.quiet.some(
    ({ because, from, until }) => because === 'window' && from <= now && (until === null || until > now),
  )
}

interface Said {
  alert_id: number
  rule_id: number
  revision: number
  step: CalloutStep['step']
  n: number
  at: Millis
}

async function saidBefore(tx: Db, ids: readonly number[]): Promise<Map<string, Said[]>> {
  const map = new Map<string, Said[]>()
  for (const row of await rows<Said>(
    tx,
    'select alert_id, rule_id, revision, step, n, at from callout_step where alert_id = any($1)',
    [ids],
  )) {
    const key = `${row.alert_id} ${row.rule_id}`
    map.set(key, [...(map.get(key) ?? []), row])
  }
  return map
}

/** Of what is said again and again, after a time in which nobody could say it, only the last is. */
const repeats: readonly CalloutStep['step'][] = ['again', 'untouched']

function isNew(
  step: CalloutStep,
  all: readonly CalloutStep[],
  alertId: number,
  rule: RuleInForce,
  said: ReadonlyMap<string, Said[]>,
): boolean {
  const before = said.get(`${alertId} ${rule.id}`) ?? []
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
    const { alertId, clientId, rule, step } = each
    const row = await firstRow<{ id: number }>(
      tx,
      `insert into callout_step (alert_id, rule_id, revision, step, n, at, severity, holder, after)
       values ($1, $2, $3, $4, $5, $6, $7, $8, $9) on conflict do nothing returning id`,
      [
        alertId,
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
    announce(tx, { topic: 'callouts', clientIds: [clientId], deviceIds: [] })
  }
  await putIn(tx, told, now)
}

async function addresseesOf(tx: Db, roll: Roll, each: NewStep, now: Millis): Promise<Addressee[]> {
  if (each.step.step !== 'well') return addressees(roll, toWhom(each), each.clientId, now)
  // Whoever was told that it was there, as far as they may still know.
  const told = await rows<{ person: number | null; webhook: number | null }>(
    tx,
    `
    select distinct m.person_id as person, m.webhook_id as webhook
    from callout_step s join callout_told t on t.step_id = s.id join callout_message m on m.id = t.message_id
    where s.alert_id = $1 and s.rule_id = $2 and s.step <> 'untouched' and not t.was_over and m.state <> 'dropped'`,
    [each.alertId, each.rule.id],
  )
  return told.flatMap(({ person, webhook }): Addressee[] => {
    if (webhook !== null) return roll.webhooks.has(webhook) ? [{ webhook }] : []
    const known = roll.people.get(person!)
    return known && (known.clientIds === null || known.clientIds.includes(each.clientId)) ? [{ person: known.id }] : []
  })
}

/**
 * Notes when to look next. Whatever an alert’s row is locked for, it is being changed: it stays due, and is looked at
 * again.
 */
async function putOff(tx: Db, due: readonly Due[], next: ReadonlyMap<number, Millis>): Promise<void> {
  const free = await rows<{ id: number }>(
    tx,
    `select d.alert_id as id from callout_due d join unnest($1::bigint[], $2::int[]) u (id, mark) on u.id = d.alert_id and u.mark = d.mark
     for update of d skip locked`,
    [due.map(({ id }) => id), due.map(({ mark }) => mark)],
  )
  const later = free.filter(({ id }) => next.has(id))
  await tx.query(
    `update callout_due d set due_at = u.at from unnest($1::bigint[], $2::timestamptz[]) u (id, at) where d.alert_id = u.id`,
    [later.map(({ id }) => id), later.map(({ id }) => time(next.get(id)!))],
  )
  await tx.query('delete from callout_due where alert_id = any($1)', [
    free.filter(({ id }) => !next.has(id)).map(({ id }) => id),
  ])
}

/** Has every alert that is open looked at, because who is told has changed. One that is being changed is, anyway. */
export async function lookAtAll(tx: Db): Promise<void> {
  await tx.query(
    `insert into callout_due (alert_id, due_at) select id, now() from alert where status <> 'closed' order by id
     on conflict do nothing`,
  )
  await tx.query(
    `update callout_due d set due_at = now(), mark = mark + 1
     where alert_id in (select alert_id from callout_due where due_at > now() for update skip locked)`,
  )
}
