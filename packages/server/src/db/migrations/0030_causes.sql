-- One cause, one alert: a silent device carries its other alerts, and a site whose agents fell silent together has an
-- alert of its own, which carries those of its devices. A post that fails again and again keeps one alert.
alter table alert alter column device_id drop not null;
alter table alert
  add column site_id int references site,
  add column carried_by bigint references alert on delete set null,
  -- When it began to fail each time, newest last, while it flips; empty: it does not.
  add column flips_at timestamptz[] not null default '{}',
  -- Until when, and with which word, whoever has it said that they would look again.
  add column follow_up_at timestamptz,
  add column follow_up_word text not null default '',
  -- Well since, but not closed yet, because it flips.
  add column well_since timestamptz,
  add constraint alert_about check ((device_id is null) <> (site_id is null));
create unique index alert_open_site on alert (site_id) where status <> 'closed' and site_id is not null;
create index alert_carried on alert (carried_by) where carried_by is not null;
create index alert_silence on alert (device_id) where status <> 'closed' and rule->>'kind' = 'silence';
create index alert_steady on alert (well_since) where well_since is not null;
alter table alert_entry drop constraint alert_entry_event;
alter table alert_entry add constraint alert_entry_event check (event in ('raised', 'raised-after-maintenance',
  'severity-changed', 'closed', 'taken', 'given-back', 'note', 'asked', 'attempted', 'handed-over', 'declined',
  'hidden', 'shown', 'reopened', 'well', 'failed-again', 'promised'));
-- What silent devices carry today.
update alert a set carried_by = s.id
from (select device_id, min(id) as id from alert where status <> 'closed' and rule->>'kind' = 'silence' group by 1) s
where a.device_id = s.device_id and a.status <> 'closed' and a.rule->>'kind' <> 'silence';
