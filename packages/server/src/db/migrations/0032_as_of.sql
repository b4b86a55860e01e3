-- What was, at any time that is over. Relations of the schema `past` are called as those of `public` and have the same
-- columns, with the rows as they were at past.now(): a transaction that puts `past` first in its search path reads, by
-- the statements that everybody uses, what somebody would have read then. Columns that nobody kept are as they are now.
-- Revisions of policy are not among them: who reads those says as of when.

-- Which alert carried another, since when. Nothing is written for those that nothing ever carried.
create table carried_past (
  alert_id bigint not null references alert on delete cascade,
  since timestamptz not null,
  carried_by bigint,
  primary key (alert_id, since)
);
create function keep_carried_past() returns trigger language plpgsql as $$
begin
  insert into carried_past values (new.id, now(), new.carried_by)
  on conflict (alert_id, since) do update set carried_by = excluded.carried_by;
  return null;
end $$;
create trigger alert_carried_first after insert on alert
  for each row when (new.carried_by is not null) execute function keep_carried_past();
create trigger alert_carried_changed after update of carried_by on alert
  for each row when (new.carried_by is distinct from old.carried_by) execute function keep_carried_past();
insert into carried_past select id, raised_at, carried_by from alert where carried_by is not null;

-- Times of windows as they were before somebody moved, ended or removed them: so until `was_until`.
create table occurrence_past (
  id int not null,
  window_id int not null,
  start timestamptz not null,
  from_at timestamptz not null,
  until_at timestamptz,
  ended_at timestamptz,
  ended_by int,
  revision int,
  made_at timestamptz,
  was_until timestamptz not null,
  primary key (id, was_until)
);
create index occurrence_past_until on occurrence_past (was_until);
-- Null: before this was kept.
alter table window_occurrence add column made_at timestamptz;
alter table window_occurrence alter column made_at set default now();
create function keep_occurrence_past() returns trigger language plpgsql as $$
begin
  insert into occurrence_past values (old.id, old.window_id, old.start, old.from_at, old.until_at, old.ended_at,
    old.ended_by, old.revision, old.made_at, now())
  -- Changed twice in one transaction: nobody has seen what was between.
  on conflict (id, was_until) do nothing;
  return null;
end $$;
create trigger occurrence_changed after update of from_at, until_at, ended_at on window_occurrence
  for each row when ((old.from_at, old.until_at, old.ended_at) is distinct from (new.from_at, new.until_at, new.ended_at))
  execute function keep_occurrence_past();
-- What retention takes away is forgotten, not changed; it was over long before.
create trigger occurrence_removed after delete on window_occurrence
  for each row when (not old.over) execute function keep_occurrence_past();

-- Which alerts anything happened to since.
create index alert_entry_time on alert_entry (at);

-- As a column with statistics: a planner that knows that nearly nothing is retired estimates right.
alter table device_past add column retired_at timestamptz;
update device_past set retired_at = since where is_retired;
create or replace function keep_device_past() returns trigger language plpgsql as $$
begin
  insert into device_past values (new.id, now(), new.name, new.client_id, new.site_id, new.kind, new.os_family,
    new.os_name, new.roles, new.tags, new.addresses, new.retired_at is not null, new.retired_at)
  on conflict (device_id, since) do update set name = excluded.name, client_id = excluded.client_id,
    site_id = excluded.site_id, kind = excluded.kind, os_family = excluded.os_family, os_name = excluded.os_name,
    roles = excluded.roles, tags = excluded.tags, addresses = excluded.addresses, is_retired = excluded.is_retired,
    retired_at = excluded.retired_at;
  return null;
end $$;

create schema past;
create function past.now() returns timestamptz language sql stable
  as $$ select pg_catalog.current_setting('custode.as_of')::timestamptz $$;

-- Those that were there: enrolled, or known from readings that an agent had kept. What a device was before that is
-- known is what it was first. Of its agent, what failed and was lost is not kept: nothing is told of it.
create view past.device as
select d.id, p.client_id, p.site_id, p.name, p.kind, p.os_family, p.os_name, p.roles, p.tags, d.key_digest,
  d.enrolled_at, p.retired_at, d.agent_version, d.interval_ms, d.last_seq,
  (select r.at from public.report r where r.device_id = d.id and r.at <= past.now() order by r.at desc limit 1)
    as last_at,
  -- Of what an agent had kept and sent later, when it was read.
  coalesce((select r.received_at from public.report r
      where r.device_id = d.id and r.at <= past.now() and r.received_at <= past.now() order by r.at desc limit 1),
    (select r.at from public.report r where r.device_id = d.id and r.at <= past.now() order by r.at desc limit 1))
    as heard_at,
  -- How often it reported then is not kept: what is told now, or seldomer where its reports lay further apart, by a day
  -- at most: reports that lie a month apart are no interval, and more milliseconds than an int4 has.
  greatest(coalesce(d.reported_interval_ms, d.interval_ms), (
    select (least(86400, min(extract(epoch from g.gap))) * 1000)::int from (
    select lag(k.at) over (order by k.at desc) - k.at as gap from (select r.at from public.report r
      where r.device_id = d.id and r.at <= past.now() order by r.at desc limit 4) k) g)) as reported_interval_ms,
  0::bigint as lost_reports, 0::bigint as clock_offset_ms, '[]'::jsonb as failed, d.version, p.addresses,
  d.starts_at_boot, d.reinstall_until, d.merged_into, d.take_detected, d.takes_tasks, d.updatable,
  case when d.roster_sent_at <= past.now() then d.roster_sent end as roster_sent,
  case when d.roster_sent_at <= past.now() then d.roster_sent_at end as roster_sent_at,
  case when d.roster_confirmed_at <= past.now() then d.roster_confirmed end as roster_confirmed,
  case when d.roster_confirmed_at <= past.now() then d.roster_confirmed_at end as roster_confirmed_at,
  d.first_at, 0::bigint as left_out_entries, 0::bigint as old_entries, 0::bigint as refused_count,
  d.instance, d.instance_since, d.past_instances, d.barred_instances, d.count_above, d.machine, d.shared_at,
  (select r.at from public.report r join public.layout l on l.id = r.layout_id
    where r.device_id = d.id and r.at <= past.now() and r.at > past.now() - interval '40 days'
      and l.series @> '[["disk.free"]]' order by r.at desc limit 1) as disks_at,
  coalesce((select max(1 - k.free / nullif(k.size, 0)) from (
    select s.key->>1 as mount, max(n.value[s.i]) filter (where s.key->>0 = 'disk.size') as size,
      max(n.value[s.i]) filter (where s.key->>0 = 'disk.free') as free
    from (select r.value, l.series from public.report r join public.layout l on l.id = r.layout_id
      where r.device_id = d.id and r.at <= past.now() and r.at > past.now() - interval '40 days'
        and l.series @> '[["disk.free"]]' order by r.at desc limit 1) n
    cross join lateral jsonb_array_elements(n.series) with ordinality s (key, i)
    where s.key->>0 in ('disk.size', 'disk.free') group by 1) k), 0)::real as fullest,
  (select (f.value->>'security')::int from public.device_fact f
    where f.device_id = d.id and f.subject = 'updates' and f.at <= past.now() order by f.at desc limit 1)
    as security_updates,
  (select (f.value->>'other')::int from public.device_fact f
    where f.device_id = d.id and f.subject = 'updates' and f.at <= past.now() order by f.at desc limit 1)
    as other_updates,
  (select to_timestamp((f.value->>'oldestSecurityAt')::float8 / 1000) from public.device_fact f
    where f.device_id = d.id and f.subject = 'updates' and f.at <= past.now() order by f.at desc limit 1)
    as oldest_security_at,
  coalesce((select coalesce(f.value->'listsAt', '0') <> 'null' from public.device_fact f
    where f.device_id = d.id and f.subject = 'updates' and f.at <= past.now() order by f.at desc limit 1), false)
    as updates_known,
  exists (select from public.device_fact f
    where f.device_id = d.id and f.subject = 'services' and f.at <= past.now()) as services_read,
  case when d.started_at <= past.now() then d.started_at end as started_at
from public.device d
join lateral (select * from public.device_past k where k.device_id = d.id
  order by k.since <= past.now() desc, case when k.since <= past.now() then k.since end desc, k.since limit 1) p on true
where least(d.enrolled_at, d.first_at) <= past.now();

-- Worked out once for a statement, however many devices are joined to it.
create view past.site as
with was as materialized (
  select s.id, s.client_id, p.name, p.zone, p.networks
  from public.site s
  join lateral (select * from public.site_past k where k.site_id = s.id
    order by k.since <= past.now() desc, case when k.since <= past.now() then k.since end desc, k.since limit 1) p on true
)
select * from was;

create view past.alert_entry as select * from public.alert_entry where at <= past.now();

-- What is open goes with its device to another client: whose a device was, where it changed since.
create function past.client_of(device int) returns int language sql stable as $$
  select k.client_id from public.device_past k where k.device_id = device
  order by k.since <= past.now() desc, case when k.since <= past.now() then k.since end desc, k.since limit 1
$$;
-- As they are now where nothing happened to them since, which is so of nearly all; else by their entries, which are only
-- ever added to.
create view past.alert as
select a.id, a.device_id,
  case when a.device_id is not null and (a.closed_at is null or a.closed_at > past.now())
      and a.device_id in (select k.device_id from public.device_past k where k.since > past.now())
    then past.client_of(a.device_id) else a.client_id end as client_id,
  a.watch, a.instance,
  case when m.alert_id is null then a.severity else coalesce(
    (select e.detail->>'to' from past.alert_entry e where e.alert_id = a.id and e.detail ? 'to'
      order by e.id desc limit 1),
    (select e.detail->>'from' from public.alert_entry e where e.alert_id = a.id and e.detail ? 'from'
      order by e.id limit 1),
    a.severity) end as severity,
  case
    when m.alert_id is null then a.status
    when (select e.event from past.alert_entry e where e.alert_id = a.id
      and e.event in ('raised', 'raised-after-maintenance', 'reopened', 'closed') order by e.id desc limit 1) = 'closed'
      then 'closed'
    when (select e.event from past.alert_entry e where e.alert_id = a.id
      and (e.event in ('taken', 'promised', 'given-back') or e.event = 'reopened' and not e.detail ? 'isFlip')
      order by e.id desc limit 1) in ('taken', 'promised') then 'taken'
    else 'open'
  end as status,
  case when a.began > past.now() then a.raised_at else a.began end as began, a.raised_at,
  case when m.alert_id is null then a.closed_at else (
    select case l.event when 'closed' then l.at end from (select e.event, e.at from past.alert_entry e
      where e.alert_id = a.id and e.event in ('raised', 'raised-after-maintenance', 'reopened', 'closed')
      order by e.id desc limit 1) l) end as closed_at,
  case when m.alert_id is null then a.close_reason else (
    select case l.event when 'closed' then l.detail->>'reason' end from (select e.event, e.detail
      from past.alert_entry e
      where e.alert_id = a.id and e.event in ('raised', 'raised-after-maintenance', 'reopened', 'closed')
      order by e.id desc limit 1) l) end as close_reason,
  case when m.alert_id is null then a.taken_by else (
    select case when e.event in ('taken', 'promised') then e.person_id end from past.alert_entry e
    where e.alert_id = a.id
      and (e.event in ('taken', 'promised', 'given-back') or e.event = 'reopened' and not e.detail ? 'isFlip')
    order by e.id desc limit 1) end as taken_by,
  case when m.alert_id is null then a.taken_at else (
    select min(e.at) from past.alert_entry e where e.alert_id = a.id and e.event in ('taken', 'promised')
    and e.id >= coalesce((select max(b.id) from past.alert_entry b where b.alert_id = a.id
      and (b.event in ('taken', 'given-back') or b.event = 'reopened' and not b.detail ? 'isFlip')), 0)) end as taken_at,
  a.evidence, a.rule, a.window_id, a.committed_at,
  case when m.alert_id is null then a.offered_to else (
    select case e.event when 'handed-over' then (e.detail->>'personId')::int end from past.alert_entry e
    where e.alert_id = a.id and e.event in ('handed-over', 'taken', 'given-back', 'declined', 'closed')
    order by e.id desc limit 1) end as offered_to,
  case when m.alert_id is null then a.offered_by else (
    select case when e.event = 'handed-over' and e.detail ? 'personId' then e.person_id end from past.alert_entry e
    where e.alert_id = a.id and e.event in ('handed-over', 'taken', 'given-back', 'declined', 'closed')
    order by e.id desc limit 1) end as offered_by,
  case when m.alert_id is null then a.offered_word else coalesce((
    select case when e.event = 'handed-over' and e.detail ? 'personId' then e.text end from past.alert_entry e
    where e.alert_id = a.id and e.event in ('handed-over', 'taken', 'given-back', 'declined', 'closed')
    order by e.id desc limit 1), '') end as offered_word,
  case when m.alert_id is null then a.hidden_until else (
    select case when e.event = 'hidden' and (e.detail->>'until')::float8 > extract(epoch from past.now()) * 1000
      then to_timestamp((e.detail->>'until')::float8 / 1000) end
    from past.alert_entry e where e.alert_id = a.id
      and (e.event in ('hidden', 'shown', 'taken', 'handed-over', 'promised', 'closed') or e.event = 'severity-changed'
        and array_position(array['notice', 'warning', 'critical'], e.detail->>'to')
          > array_position(array['notice', 'warning', 'critical'], e.detail->>'from'))
    order by e.id desc limit 1) end as hidden_until,
  a.site_id,
  case when a.id in (select k.alert_id from public.carried_past k where k.since > past.now()) then
    (select k.carried_by from public.carried_past k where k.alert_id = a.id and k.since <= past.now()
      order by k.since desc limit 1)
    else a.carried_by end as carried_by,
  array(select f from unnest(a.flips_at) f where f <= past.now()) as flips_at,
  case when m.alert_id is null then a.follow_up_at else (
    select case e.event when 'promised' then to_timestamp((e.detail->>'until')::float8 / 1000) end
    from past.alert_entry e
    where e.alert_id = a.id and e.event in ('promised', 'taken', 'given-back', 'closed') order by e.id desc limit 1)
    end as follow_up_at,
  case when m.alert_id is null then a.follow_up_word else coalesce((
    select case e.event when 'promised' then e.text end from past.alert_entry e
    where e.alert_id = a.id and e.event in ('promised', 'taken', 'given-back', 'closed') order by e.id desc limit 1), '')
    end as follow_up_word,
  case when m.alert_id is null then a.well_since else (
    select case e.event when 'well' then e.at end from past.alert_entry e
    where e.alert_id = a.id and e.event in ('well', 'failed-again', 'closed', 'reopened') order by e.id desc limit 1)
    end as well_since
from public.alert a
left join (select distinct e.alert_id from public.alert_entry e where e.at > past.now()) m on m.alert_id = a.id
where a.raised_at <= past.now();

create view past.held as
select h.id, h.window_id, h.device_id,
  case when (h.ended_at is null or h.ended_at > past.now())
      and h.device_id in (select k.device_id from public.device_past k where k.since > past.now())
    then past.client_of(h.device_id) else h.client_id end as client_id, h.watch, h.instance,
  h.severity, h.began, h.held_at,
  case when h.ended_at <= past.now() then h.ended_at end as ended_at,
  case when h.ended_at <= past.now() then h.outcome end as outcome,
  case when h.ended_at <= past.now() then h.alert_id end as alert_id, h.evidence, h.rule, h.occurrence_id
from public.held h
where h.held_at <= past.now();

create view past.remediation as
select m.id, m.device_id,
  case when (m.ended_at is null or m.ended_at > past.now())
      and m.device_id in (select k.device_id from public.device_past k where k.since > past.now())
    then past.client_of(m.device_id) else m.client_id end as client_id, m.watch, m.instance,
  m.severity, m.began, m.started_at, m.next_at,
  case when m.ended_at <= past.now() then m.ended_at end as ended_at,
  case when m.ended_at <= past.now() then m.outcome end as outcome,
  case when m.ended_at <= past.now() then m.alert_id end as alert_id, m.evidence, m.rule
from public.remediation m
where m.started_at <= past.now();

create view past.response as
select r.id, r.device_id, r.client_id, r.watch, r.instance, r.verb, r.service, r.person_id, r.alert_id,
  r.remediation_id, r.task_id, r.at, case when r.ended_at > past.now() then 'asked' else r.state end as state,
  case when r.ended_at <= past.now() then r.ended_at end as ended_at, r.hopeless,
  case when r.ended_at <= past.now() then r.before else '' end as before,
  case when r.ended_at <= past.now() then r.after else '' end as after,
  case when r.ended_at <= past.now() then r.reason else '' end as reason
from public.response r
where r.at <= past.now();

-- Only what people are told of a post: its level, since when, and by what.
create view past.post_state as
select p.device_id, p.watch, p.instance,
  coalesce((select jsonb_build_object('level', c.to_level, 'began', c.began, 'evidence', c.evidence)
    from public.post_change c
    where c.device_id = p.device_id and c.watch = p.watch and c.instance = p.instance and c.at <= past.now()
    order by c.at desc limit 1), '{}') as state
from public.post_state p;

create view past.current_fact as
select c.device_id, c.subject, f.at, f.value
from public.current_fact c
join lateral (select at, value from public.device_fact f
  where f.device_id = c.device_id and f.subject = c.subject and f.at <= past.now() order by f.at desc limit 1) f on true;

create view past.report as select * from public.report where at <= past.now();
create view past.log_event as select * from public.log_event where at <= past.now();
create view past.log_hour as
  select * from public.log_hour where hour <= floor(extract(epoch from past.now()) / 3600);

-- One that was written down for a time that was over already is there since that time.
create view past.window_revision as
select r.* from public.window_revision r
where r.saved_at <= past.now() or r.revision = 1
  and exists (select from public.window_occurrence o where o.window_id = r.id and o.from_at <= past.now());
create view past.maintenance_window as
  select distinct on (id) * from past.window_revision order by id, revision desc;

create view past.window_occurrence as
select o.id, o.window_id, o.start, o.from_at, o.until_at, o.ended_at, o.ended_by,
  o.from_at <= past.now() + interval '30 minutes' as known, o.from_at <= past.now() as begun,
  coalesce(least(o.until_at, o.ended_at), 'infinity') <= past.now() as over,
  case when o.from_at <= past.now() then o.revision end as revision, o.made_at
from (
  select o.id, o.window_id, o.start, o.from_at, o.until_at, o.ended_at, o.ended_by, o.revision, o.made_at
  from public.window_occurrence o
  where not exists (select from public.occurrence_past p where p.id = o.id and p.was_until > past.now())
  union all
  select * from (
    select distinct on (p.id) p.id, p.window_id, p.start, p.from_at, p.until_at, p.ended_at, p.ended_by, p.revision,
      p.made_at
    from public.occurrence_past p where p.was_until > past.now() order by p.id, p.was_until
  ) was
) o
-- What was written down for a later revision than that of then was not to come yet.
where not coalesce(o.made_at > past.now() and exists (select from public.window_revision r
  where r.id = o.window_id and r.revision > 1 and r.saved_at > past.now() and r.saved_at <= o.made_at), false);
