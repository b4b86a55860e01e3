import type { CalloutStepKind, ClientId, Millis, Quiet, SentencePart, Severity } from '#core'
import { rows, type Db } from '../../db'
import { triedText } from '../remediation/attempts'

/** One alert as a message tells of it. */
export interface ToldItem {
  stepId: number
  step: CalloutStepKind
  n: number
  at: Millis
  decidedAt: Millis
  alertId: number
  ruleId: number
  ruleName: string
  holder: number | null
  after: Quiet[]
  severity: Severity
  clientId: ClientId
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
}

type Row = Omit<ToldItem, 'tried'> & {
  tries: { verb: string; service: string; before: string; after: string; reason: string }[]
}

/** What a message has to tell, one row a step, the most urgent first. */
export async function itemsOf(db: Db, messageId: string): Promise<ToldItem[]> {
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
  return found.map(({ tries, ...item }) => ({
    ...item,
    tried: tries.map(({ verb, service, ...how }) => [`${verb} ${service}`, triedText(how)].filter(Boolean).join(': ')),
  }))
}
