import type { AlertView, HeldView } from '#contract'

/** Columns of an alert as people see it; the evidence is the latest while the post still fails. */
export const alertSelect = `
  select a.id, a.device_id as "deviceId", d.name as "deviceName", a.client_id as "clientId", c.name as "clientName", s.name as "siteName", s.zone,
         a.watch, a.instance, a.severity, a.status, a.began, a.raised_at as "raisedAt", a.closed_at as "closedAt", a.close_reason as "closeReason",
         t.name as "takenBy", a.taken_by as "takenById", a.taken_at as "takenAt",
         case when a.status = 'closed' then a.evidence else coalesce(nullif(p.state->'evidence', 'null'), a.evidence) end as evidence,
         a.rule, a.window_id as "windowId", w.name as "windowName",
         (select count(*) from alert_entry n where n.alert_id = a.id and n.what = 'note')::int as notes
  from alert a
  join device d on d.id = a.device_id
  join client c on c.id = a.client_id
  join site s on s.id = d.site_id
  left join person t on t.id = a.taken_by
  left join maintenance_window w on w.id = a.window_id
  left join post_state p on p.device_id = a.device_id and p.watch = a.watch and p.instance = a.instance`

export type AlertRow = AlertView & { zone: string }

export const heldSelect = `
  select h.id, h.window_id as "windowId", w.name as "windowName", least(w.until_at, w.ended_at) as "windowEnd", h.device_id as "deviceId", d.name as "deviceName",
         h.client_id as "clientId", c.name as "clientName", s.name as "siteName", h.watch, h.instance, h.severity, h.began, h.held_at as "heldAt",
         h.ended_at as "endedAt", h.outcome, h.alert_id as "alertId", h.evidence, h.rule
  from held h
  join device d on d.id = h.device_id
  join client c on c.id = h.client_id
  join site s on s.id = d.site_id
  join maintenance_window w on w.id = h.window_id`

export type HeldRow = HeldView
