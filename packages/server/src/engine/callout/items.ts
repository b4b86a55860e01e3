import type { CalloutStepKind, ClientId, Millis, Quiet, SentencePart, Severity } from '#core'
import { rows, type Db } from '../../db'
import { triedText } from '../remediation/attempts'
import type { Subject } from './subjects'

/** One alert, or request, as a message tells of it. */
export interface ToldItem {
  subject: Subject
  stepId: number
  step: CalloutStepKind
  n: number
  at: Millis
  decidedAt: Millis
  ruleId: number
  ruleName: string
  holder: number | null
  after: Quiet[]
  severity: Severity
  /** Null, and no name: of a request that is nobody’s yet. */
  clientId: ClientId | null
  clientName: string
  siteName: string
  zone: string
  deviceName: string | null
  watchName: string
  kind: string
  about: string
  sentence: SentencePart[]
  began: Millis
  closedAt: Millis | null
  takenBy: string | null
  members: number
  tried: string[]
  /** Of a request: who asks, and how it begins. */
  asked: { by: string; text: string } | null
}

type Row = Omit<ToldItem, 'tried' | 'subject' | 'asked'> & {
  alertId: number
  tries: { verb: string; service: string; before: string; after: string; reason: string }[]
}

/** What a message has to tell, one row a step, the most urgent first. */
export async function itemsOf(db: Db, messageId: string): Promise<ToldItem[]> {
  return [...(await alertsOf(db, messageId)), ...(await requestsOf(db, messageId))]
}

async function alertsOf(db: Db, messageId: string): Promise<ToldItem[]> {
  const found = await rows<Row>(
    db,
    `
    select s.id as "stepId", s.step, s.n, s.at, s.decided_at as "decidedAt", s.alert_id as "alertId",
      s.rule_id as "ruleId", coalesce(r.name, '') as "ruleName", s.holder, s.after, a.severity,
      a.client_id as "clientId", c.name as "clientName", i.name as "siteName", i.zone, d.name as "deviceName",
      a.rule->>'name' as "watchName", a.rule->>'kind' as kind, coalesce(a.evidence->>'text', a.instance) as about,
      a.rule->'sentence' as sentence, a.began, a.closed_at as "closedAt", p.name as "takenBy",
      (select count(*)::int from alert m where m.carried_by = a.id and m.status <> 'closed') as members,
      coalesce((select jsonb_agg(jsonb_build_object('verb', verb, 'service', service, 'before', before, 'after', after,
        'reason', reason) order by id) from response x where x.remediation_id in
        (select id from remediation where alert_id = a.id)), '[]') as tries
    from callout_told t
    join callout_step s on s.id = t.step_id
    join alert a on a.id = s.alert_id
    left join callout_revision r on r.id = s.rule_id and r.revision = s.revision
    join client c on c.id = a.client_id
    left join device d on d.id = a.device_id
    join site i on i.id = coalesce(a.site_id, d.site_id)
    left join person p on p.id = a.taken_by
    where t.message_id = $1 and not t.was_over
    order by array_position(array['critical', 'warning', 'notice'], a.severity), s.at, s.id`,
    [messageId],
  )
  return found.map(({ tries, alertId, ...item }) => ({
    ...item,
    subject: { of: 'alert', id: alertId },
    asked: null,
    tried: tries.map(({ verb, service, ...how }) => [`${verb} ${service}`, triedText(how)].filter(Boolean).join(': ')),
  }))
}

type RequestRow = Omit<ToldItem, 'subject' | 'asked' | 'tried' | 'deviceName' | 'members' | 'sentence' | 'kind'> & {
  requestId: number
  by: string
  text: string
}

async function requestsOf(db: Db, messageId: string): Promise<ToldItem[]> {
  const found = await rows<RequestRow>(
    db,
    `
    select s.id as "stepId", s.step, s.n, s.at, s.decided_at as "decidedAt", s.request_id as "requestId",
      s.rule_id as "ruleId", coalesce(v.name, '') as "ruleName", s.holder, s.after, s.severity,
      r.client_id as "clientId", coalesce(c.name, '') as "clientName", '' as "siteName",
      coalesce((select zone from site i where i.client_id = r.client_id order by i.id limit 1), 'UTC') as zone,
      'Mail from clients' as "watchName", r.subject as about, r.came_at as began, r.closed_at as "closedAt",
      p.name as "takenBy", coalesce(nullif(r.from_name, ''), r.from_address) as by,
      coalesce((select left(m.text, 600) from request_mail m where m.request_id = r.id order by m.id limit 1), '') as text
    from callout_told t
    join callout_step s on s.id = t.step_id
    join request r on r.id = s.request_id
    left join callout_revision v on v.id = s.rule_id and v.revision = s.revision
    left join client c on c.id = r.client_id
    left join person p on p.id = r.taken_by
    where t.message_id = $1 and not t.was_over
    order by s.at, s.id`,
    [messageId],
  )
  return found.map(({ requestId, by, text, ...item }) => ({
    ...item,
    subject: { of: 'request', id: requestId },
    asked: { by, text },
    kind: 'mail',
    deviceName: null,
    sentence: [],
    members: 0,
    tried: [],
  }))
}
