import type { AlertView, HeldView, RemediationView, AttemptView } from '#contract'
import { silentIntervals } from '#core'
import { rows, type Db } from '../../db'
import { triedText } from '../../engine'

/** How far what is told of a post can be believed now, by its device `d`. */
const freshness = `
         coalesce(now() - d.heard_at > make_interval(secs => (${silentIntervals}::float8 * coalesce(d.reported_interval_ms, d.interval_ms) + 5000) / 1000), false) as silent, d.last_at as "readAt",
         (select coalesce(jsonb_agg(f->'collector'), '[]') from jsonb_array_elements(d.failed) f where not coalesce((f->>'notHere')::boolean, false)) as failing`

/** Columns of an alert as people see it; the evidence is the latest while the post still fails. */
export const alertSelect = `
  select a.id, a.device_id as "deviceId", coalesce(d.name, '') as "deviceName", a.client_id as "clientId", c.name as "clientName",
  s.id as "siteId", s.name as "siteName", s.zone,
         a.watch, a.instance, a.severity, a.status, a.began, a.raised_at as "raisedAt", a.closed_at as "closedAt",
         a.close_reason as "closeReason",
         t.name as "takenBy", a.taken_by as "takenById", a.taken_at as "takenAt",
         o.name as "offeredTo", a.offered_to as "offeredToId", b.name as "offeredBy",
         a.offered_word as "offeredWord", a.hidden_until as "hiddenUntil",
         a.follow_up_at as "followUpAt", a.follow_up_word as "followUpWord",
         case when a.status = 'closed' then a.evidence
         else coalesce(nullif(p.state->'evidence', 'null'), a.evidence) end as evidence,
         a.rule, a.window_id as "windowId", w.name as "windowName",
         (select count(*) from alert_entry n where n.alert_id = a.id and n.event = 'note')::int as notes,
         l.name as "closedBy", coalesce(l.text, '') as "closedWord", k.name as "helpedBy",
         case when r.status <> 'closed' or a.status = 'closed' and r.id is not null then jsonb_build_object('id', r.id, 'kind',
           case when r.device_id = a.device_id then 'silence' when r.site_id = d.site_id then 'site' else 'upstream' end,
           'name', coalesce(u.name, v.name, '')) end as carrier,
         ((select count(*) from alert m where m.carried_by = a.id and (m.status <> 'closed' or a.status = 'closed'))
           + (select count(*) from alert n join alert m on m.carried_by = n.id
             where n.carried_by = a.id and (m.status <> 'closed' or a.status = 'closed')))::int as members,
         array(select floor(extract(epoch from f) * 1000)::float8 from unnest(a.flips_at) f) as flips,
         a.well_since as "wellSince", ${freshness}
  from alert a
  left join device d on d.id = a.device_id
  join client c on c.id = a.client_id
  join site s on s.id = coalesce(a.site_id, d.site_id)
  left join alert r on r.id = a.carried_by
  left join device u on u.id = r.device_id
  left join site v on v.id = r.site_id
  left join lateral (select p.name, e.text from alert_entry e join person p on p.id = e.person_id
    where e.alert_id = a.id and e.event = 'closed' and a.close_reason = 'by-hand' order by e.id desc limit 1) l on true
  left join lateral (select p.name from alert_entry e join person p on p.id = e.person_id
    where e.alert_id = a.id and e.event = 'asked' order by e.id desc limit 1) k on true
  left join person t on t.id = a.taken_by
  left join person o on o.id = a.offered_to
  left join person b on b.id = a.offered_by
  left join maintenance_window w on w.id = a.window_id
  left join post_state p on p.device_id = a.device_id and p.watch = a.watch and p.instance = a.instance`

export type AlertRow = AlertView & { zone: string }

export const heldSelect = `
  select h.id, h.window_id as "windowId", w.name as "windowName", least(o.until_at, o.ended_at) as "windowEnd",
  h.device_id as "deviceId", d.name as "deviceName",
         h.client_id as "clientId", c.name as "clientName", s.name as "siteName", h.watch, h.instance, h.severity,
         h.began, h.held_at as "heldAt",
         h.ended_at as "endedAt", h.outcome, h.alert_id as "alertId", h.evidence, h.rule, ${freshness}
  from held h
  join device d on d.id = h.device_id
  join client c on c.id = h.client_id
  join site s on s.id = d.site_id
  join window_occurrence o on o.id = h.occurrence_id
  join maintenance_window w on w.id = h.window_id`

export type HeldRow = HeldView

const remediationSelect = `
  select m.id, m.device_id as "deviceId", d.name as "deviceName", m.client_id as "clientId", c.name as "clientName",
  s.name as "siteName", m.watch, m.instance, m.severity, m.began,
         m.started_at as "startedAt", m.ended_at as "endedAt", m.outcome, m.alert_id as "alertId",
         case when m.ended_at is null then coalesce(nullif(p.state->'evidence', 'null'), m.evidence)
         else m.evidence end as evidence, m.rule, ${freshness}
  from remediation m
  join device d on d.id = m.device_id
  join client c on c.id = m.client_id
  join site s on s.id = d.site_id
  left join post_state p on p.device_id = m.device_id and p.watch = m.watch and p.instance = m.instance`

type AttemptRow = Omit<AttemptView, 'text'> & { remediationId: number; before: string; after: string; reason: string }

/** What agents are or were at, with each attempt. @param where and order, in the text of this program alone */
export async function remediationViews(db: Db, where: string, values: unknown[]): Promise<RemediationView[]> {
  const found = await rows<Omit<RemediationView, 'attempts'>>(db, `${remediationSelect} ${where}`, values)
  if (!found.length) return []
  const attempts = await rows<AttemptRow>(
    db,
    `
    select remediation_id as "remediationId", verb, service, at, state, ended_at as "endedAt", before, after, reason
    from response where remediation_id = any($1) order by id`,
    [found.map((row) => row.id)],
  )
  return found.map((alert) => ({
    ...alert,
    attempts: attempts
      .filter((row) => row.remediationId === alert.id)
      .map(({ remediationId: _of, before, after, reason, ...row }) => ({
        ...row,
        text: triedText({ before, after, reason }),
      })),
  }))
}
