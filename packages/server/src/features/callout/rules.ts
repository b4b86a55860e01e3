import {
  calloutPauseSchema,
  calloutRehearsalSchema,
  calloutRuleBodySchema,
  calloutRulesSchema,
  madeSchema,
  type CalloutRuleBody,
  type CalloutRuleView,
} from '#contract'
import { calloutSentence, type CalloutRule, type Recipient } from '#core'
import type { FastifyInstance } from 'fastify'
import { firstRow, inTransaction, rows, type Db, type Pool } from '../../db'
import { lookAtAll, rulesInForce, type RuleInForce } from '../../engine'
import { ProblemError } from '../../http/problems'
import { route } from '../../http/route'
import { announce } from '../../live'
import { audit, type Viewer } from '../access'
import { isForeign, isWithin, readEstate, requireReach, type Estate } from '../policy'
import { calloutNames } from './names'
import { rehearseCallout } from './rehearse'

/** Whether a viewer may read of a rule: it may tell of one of their clients, and names nothing of another. */
function maySee({ rule }: RuleInForce, viewer: Viewer, estate: Estate): boolean {
  if (viewer.clientIds === null) return true
  if (rule.clientId !== null) return viewer.clientIds.includes(rule.clientId)
  return !isForeign(rule.target, viewer.clientIds, estate)
}

export async function calloutRules(db: Db, viewer: Viewer): Promise<CalloutRuleView[]> {
  const estate = await readEstate(db, viewer.clientIds)
  const names = await calloutNames(db, viewer, estate)
  const saved = new Map(
    (
      await rows<{ id: number; at: number; by: string | null }>(
        db,
        `select r.id, r.saved_at as at, p.name as by from callout_rule r left join person p on p.id = r.saved_by`,
      )
    ).map((row) => [row.id, row]),
  )
  return (await rulesInForce(db)).flatMap((each): CalloutRuleView[] =>
    maySee(each, viewer, estate)
      ? [
          {
            id: each.id,
            revision: each.revision,
            name: each.name,
            rule: each.rule,
            sentence: calloutSentence(each.rule, names),
            isPaused: each.isPaused,
            savedBy: saved.get(each.id)?.by ?? null,
            savedAt: each.from,
            mayChange: viewer.access === 'lead' && isTheirs(each.rule, viewer, estate),
          },
        ]
      : [],
  )
}

function isTheirs(rule: CalloutRule, viewer: Viewer, estate: Estate): boolean {
  return viewer.clientIds === null || isWithin(rule.target, viewer.clientIds, estate)
}

/** @throws ProblemError *invalid* where somebody who is to be told is not there */
async function requireRecipients(tx: Db, { tell, escalate }: CalloutRuleBody['rule']): Promise<void> {
  const tables = {
    team: 'select from team where id = $1 and removed_at is null',
    'on-call': 'select from team where id = $1 and removed_at is null',
    person: `select from person where id = $1 and access <> 'contact' and deactivated_at is null`,
    webhook: 'select from webhook where id = $1 and removed_at is null',
  }
  const check = async (recipients: readonly Recipient[], at: string) => {
    for (const [i, recipient] of recipients.entries())
      if (recipient.to !== 'leads' && !(await firstRow(tx, tables[recipient.to], [recipient.id])))
        throw new ProblemError('invalid', 'Somebody who is to be told is not there any more. Choose again.', [
          { at: `${at}.${i}`, message: 'not there' },
        ])
  }
  await check(tell, 'rule.tell')
  await check(escalate?.tell ?? [], 'rule.escalate.tell')
}

/** A rule of which the viewer may change something. @throws ProblemError no-such-rule */
async function takeRule(tx: Db, viewer: Viewer, id: number): Promise<RuleInForce> {
  // One change of rules at a time: the revision that was looked at is still the newest when the next is written.
  await tx.query('select pg_advisory_xact_lock(40)')
  const [found] = await rulesInForce(tx, id)
  const estate = found && (await readEstate(tx, viewer.clientIds))
  if (!found || !isTheirs(found.rule, viewer, estate!)) throw new ProblemError('no-such-rule')
  return found
}

interface Revision {
  id: number | null
  revision: number
  name: string
  rule: CalloutRule
  isPaused: boolean
  isRemoved: boolean
}

async function addRevision(tx: Db, viewer: Viewer, next: Revision, action: string, was: object): Promise<number> {
  const { clientId, ...rule } = next.rule
  const row = await firstRow<{ id: number }>(
    tx,
    `insert into callout_revision (id, revision, name, client_id, rule, is_paused, removed_at, saved_by)
     values (coalesce($1, nextval('callout_rule_id')::int), $2, $3, $4, $5, $6, case when $7 then now() end, $8) returning id`,
    [next.id, next.revision, next.name, clientId, JSON.stringify(rule), next.isPaused, next.isRemoved, viewer.id],
  )
  await audit(tx, {
    personId: viewer.id,
    action,
    kind: 'call-out',
    id: row!.id,
    clientId,
    detail: { name: next.name, ...rule, ...was },
  })
  await lookAtAll(tx)
  announce(tx, { topic: 'callouts', clientIds: null, deviceIds: [] })
  return row!.id
}

async function save(tx: Db, viewer: Viewer, id: number | null, body: CalloutRuleBody): Promise<{ id: number }> {
  const before = id === null ? null : await takeRule(tx, viewer, id)
  if (before && body.basedOn !== undefined && body.basedOn !== before.revision)
    throw new ProblemError('changed-meanwhile')
  const clientId = await requireReach(tx, viewer, body.rule.target, 'rule')
  await requireRecipients(tx, body.rule)
  return {
    id: await addRevision(
      tx,
      viewer,
      {
        id,
        revision: (before?.revision ?? 0) + 1,
        name: body.name,
        rule: { ...body.rule, clientId },
        isPaused: before?.isPaused ?? false,
        isRemoved: false,
      },
      before ? 'changed' : 'made',
      before ? { was: { name: before.name, ...before.rule } } : {},
    ),
  }
}

async function leave(
  tx: Db,
  viewer: Viewer,
  id: number,
  to: { isPaused?: boolean; isRemoved?: boolean },
): Promise<{ id: number }> {
  const before = await takeRule(tx, viewer, id)
  const { isPaused = before.isPaused, isRemoved = false } = to
  if (isPaused === before.isPaused && !isRemoved) return { id }
  const action = isRemoved ? 'removed' : isPaused ? 'paused' : 'resumed'
  await addRevision(
    tx,
    viewer,
    { id, revision: before.revision + 1, name: before.name, rule: before.rule, isPaused, isRemoved },
    action,
    { was: { name: before.name, ...before.rule } },
  )
  return { id }
}

export function ruleRoutes(app: FastifyInstance, pool: Pool): void {
  route(app, {
    method: 'GET',
    url: '/api/callouts',
    access: 'technician',
    summary: 'Call-out rules: who is told of which alerts, when, and what happens if nobody acts',
    answer: calloutRulesSchema,
    handle: ({ viewer }) => calloutRules(pool, viewer),
  })
  route(app, {
    method: 'POST',
    url: '/api/callouts',
    access: 'lead',
    summary: 'Add a call-out rule; it tells of what is raised from then on',
    answer: madeSchema,
    body: calloutRuleBodySchema,
    handle: ({ body, viewer }) => inTransaction(pool, (tx) => save(tx, viewer, null, body)),
  })
  route(app, {
    method: 'PUT',
    url: '/api/callouts/:id',
    access: 'lead',
    summary: 'Change a call-out rule; what it has told of goes on by what it says now',
    answer: madeSchema,
    body: calloutRuleBodySchema,
    handle: ({ body, viewer, id }) => inTransaction(pool, (tx) => save(tx, viewer, id(), body)),
  })
  route(app, {
    method: 'DELETE',
    url: '/api/callouts/:id',
    access: 'lead',
    summary: 'Remove a call-out rule',
    answer: madeSchema,
    handle: ({ viewer, id }) => inTransaction(pool, (tx) => leave(tx, viewer, id(), { isRemoved: true })),
  })
  route(app, {
    method: 'PUT',
    url: '/api/callouts/:id/pause',
    access: 'lead',
    summary: 'Pause a call-out rule, or have it go on: what is open then is told of',
    answer: madeSchema,
    body: calloutPauseSchema,
    handle: ({ body, viewer, id }) => inTransaction(pool, (tx) => leave(tx, viewer, id(), body)),
  })
  route(app, {
    method: 'POST',
    url: '/api/callouts/rehearsal',
    access: 'lead',
    summary: 'What a call-out rule would have sent in the last fortnight, to whom, and how much of it at night',
    answer: calloutRehearsalSchema,
    body: calloutRuleBodySchema,
    async handle({ body, viewer }) {
      const clientId = await requireReach(pool, viewer, body.rule.target, 'rule')
      await requireRecipients(pool, body.rule)
      return rehearseCallout(pool, viewer, { ...body.rule, clientId }, Date.now())
    },
  })
}
