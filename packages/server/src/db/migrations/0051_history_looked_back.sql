-- The view of before, and one condition more at its end: before history was brought nobody knew of its alerts.
create or replace view past.alert as
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
where a.raised_at <= past.now() and (a.close_reason is distinct from 'history' or a.committed_at <= past.now());
