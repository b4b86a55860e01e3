import { alertCalloutsSchema, calloutRulesSchema, type AlertCallouts, type AlertSaid } from '#contract'
import { matcher, recipientsText, type CalloutRule, type CalloutStep, type Recipient } from '#core'
import type { FastifyInstance } from 'fastify'
import { firstRow, rows, type Db, type Pool } from '../../db'
import { planOf, readSubjects, rulesInForce, type Subject } from '../../engine'
import { ProblemError } from '../../http/problems'
import { route } from '../../http/route'
import { ofClients, type Viewer } from '../access'
import { allTraits } from '../estate'
import { readEstate } from '../policy'
import { calloutNames } from './names'
import { calloutRules } from './rules'

interface SaidRow extends Omit<AlertSaid, 'to'> {
  id: number
  name: string | null
  state: AlertSaid['to'][number]['state'] | null
  wasOver: boolean | null
  sentAt: number | null
  answer: string | null
}

async function saidOf(db: Db, { of, id }: Subject, viewer: Viewer): Promise<AlertSaid[]> {
  const found = await rows<SaidRow>(
    db,
    `
    select s.id, s.at, s.step, s.severity, coalesce(r.name, '') as rule, m.state, t.was_over as "wasOver",
      m.sent_at as "sentAt", m.answer,
      coalesce(w.name, case when $2::int[] is null or p.client_ids is null or p.client_ids && $2 then p.name
        when p.id is not null then 'a colleague' end) as name
    from callout_step s
    left join callout_revision r on r.id = s.rule_id and r.revision = s.revision
    left join callout_told t on t.step_id = s.id
    left join callout_message m on m.id = t.message_id
    left join person p on p.id = m.person_id
    left join webhook w on w.id = m.webhook_id
    where case $3 when 'alert' then s.alert_id = $1 else s.request_id = $1 end order by s.at desc, s.id desc, name limit 1000`,
    [id, viewer.clientIds, of],
  )
  const steps = new Map<number, AlertSaid>()
  for (const { id, name, state, wasOver, sentAt, answer, ...step } of found) {
    const said = steps.get(id) ?? { ...step, to: [] }
    if (state !== null)
      said.to.push({ name: name ?? '', state, wasOver: wasOver ?? false, sentAt, answer: answer ?? '' })
    steps.set(id, said)
  }
  return [...steps.values()]
}

const meant = (rule: CalloutRule, { step, holder }: CalloutStep): readonly Recipient[] => {
  if (step === 'escalate') return rule.escalate?.tell ?? []
  if (step === 'untouched') return holder === null ? [] : [{ to: 'person', id: holder }]
  return rule.tell
}

/** What each rule says next if nothing happens. */
async function nextOf(db: Db, subject: Subject, viewer: Viewer, now: number): Promise<AlertCallouts['next']> {
  const rules = (await rulesInForce(db)).filter(({ isPaused }) => !isPaused)
  const [told] = await readSubjects(
    db,
    [subject],
    rules.map(({ rule }) => rule.target),
  )
  if (!told) return []
  const names = await calloutNames(db, viewer, await readEstate(db, viewer.clientIds))
  return rules
    .flatMap((each): AlertCallouts['next'] => {
      const next = planOf(told, each, now)?.next
      if (next == null) return []
      const step = planOf(told, each, next)?.steps.at(-1)
      return step && step.at > now
        ? [{ at: step.at, step: step.step, rule: each.name, to: recipientsText(meant(each.rule, step), names) }]
        : []
    })
    .toSorted((a, b) => a.at - b.at)
}

/** Who was told of an alert or a request, and who is next; whether the viewer may see it was looked up before. */
export async function calloutsOf(db: Db, subject: Subject, viewer: Viewer): Promise<AlertCallouts> {
  return { said: await saidOf(db, subject, viewer), next: await nextOf(db, subject, viewer, Date.now()) }
}

export function toldRoutes(app: FastifyInstance, pool: Pool): void {
  route(app, {
    method: 'GET',
    url: '/api/alerts/:id/callouts',
    access: 'technician',
    summary: 'Who was told of an alert, when and how, and who is told next if nothing happens',
    answer: alertCalloutsSchema,
    async handle({ viewer, id }): Promise<AlertCallouts> {
      const alert = await firstRow(pool, `select from alert where id = $1 and ${ofClients('client_id', 2)}`, [
        id(),
        viewer.clientIds,
      ])
      if (!alert) throw new ProblemError('no-such-alert')
      return calloutsOf(pool, { of: 'alert', id: id() }, viewer)
    },
  })
  route(app, {
    method: 'GET',
    url: '/api/devices/:id/callouts',
    access: 'technician',
    summary: 'The call-out rules by which somebody would be told of alerts on a device',
    answer: calloutRulesSchema,
    async handle({ viewer, id }) {
      const device = await firstRow<{ client_id: number }>(
        pool,
        `select client_id from device where id = $1 and retired_at is null and ${ofClients('client_id', 2)}`,
        [id(), viewer.clientIds],
      )
      if (!device) throw new ProblemError('no-such-device')
      const rules = await calloutRules(pool, viewer)
      const [traits] = await allTraits(
        pool,
        rules.map(({ rule }) => rule.target),
        [id()],
      )
      return rules.filter(
        ({ rule }) =>
          rule.about === 'alerts' &&
          traits &&
          (rule.clientId === null || rule.clientId === device.client_id) &&
          matcher(rule.target)(traits),
      )
    },
  })
}
