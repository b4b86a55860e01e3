-- What a device is reached through: as its routes say, or as somebody said, who may also say that it is nothing.
alter table device
  -- Addresses of the routers that it sends to for all that lies beyond its networks.
  add column gateways text[] not null default '{}',
  add column depends_on int references device on delete set null,
  add column depends_chosen boolean not null default false;
create index device_depends on device (depends_on) where depends_on is not null;

alter table device_past
  add column gateways text[] not null default '{}',
  add column depends_on int,
  add column depends_chosen boolean not null default false;
create or replace function keep_device_past() returns trigger language plpgsql as $$
begin
  insert into device_past values (new.id, now(), new.name, new.client_id, new.site_id, new.kind, new.os_family,
    new.os_name, new.roles, new.tags, new.addresses, new.retired_at is not null, new.retired_at, new.gateways,
    new.depends_on, new.depends_chosen)
  on conflict (device_id, since) do update set name = excluded.name, client_id = excluded.client_id,
    site_id = excluded.site_id, kind = excluded.kind, os_family = excluded.os_family, os_name = excluded.os_name,
    roles = excluded.roles, tags = excluded.tags, addresses = excluded.addresses, is_retired = excluded.is_retired,
    retired_at = excluded.retired_at, gateways = excluded.gateways, depends_on = excluded.depends_on,
    depends_chosen = excluded.depends_chosen;
  return null;
end $$;
drop trigger device_changed on device;
create trigger device_changed
  after update of name, client_id, site_id, kind, os_family, os_name, roles, tags, addresses, retired_at, gateways,
    depends_on, depends_chosen on device
  for each row when ((old.name, old.client_id, old.site_id, old.kind, old.os_family, old.os_name, old.roles, old.tags,
      old.addresses, old.retired_at is null, old.gateways, old.depends_on, old.depends_chosen)
    is distinct from (new.name, new.client_id, new.site_id, new.kind, new.os_family, new.os_name, new.roles, new.tags,
      new.addresses, new.retired_at is null, new.gateways, new.depends_on, new.depends_chosen))
  execute function keep_device_past();

create or replace view past.device as
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
  case when d.started_at <= past.now() then d.started_at end as started_at,
  p.gateways, p.depends_on, p.depends_chosen
from public.device d
join lateral (select * from public.device_past k where k.device_id = d.id
  order by k.since <= past.now() desc, case when k.since <= past.now() then k.since end desc, k.since limit 1) p on true
where least(d.enrolled_at, d.first_at) <= past.now();
