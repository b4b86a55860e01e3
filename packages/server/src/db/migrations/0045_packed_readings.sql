-- Which series a device has. `n` numbers them within the device; 0 stands for the times of its reports, which all share.
create table series (
  device_id int not null,
  n int not null check (n > 0),
  metric text not null,
  instance text not null,
  primary key (device_id, n),
  unique (device_id, metric, instance)
);

-- The readings of one series on one day (UTC) in one row, as `core/series/packed` writes them; `n` = 0: the times of the
-- day's reports. No keys to other tables: a partition may lie on another server.
create table packed (
  device_id int not null,
  n int not null,
  day date not null,
  count int not null,
  data bytea not null,
  primary key (device_id, n, day)
) partition by range (day);

-- What became of a series in each hour of a week, and a sketch of each day.
create table rollup (
  device_id int not null,
  n int not null,
  week date not null,
  data bytea not null,
  primary key (device_id, n, week)
) partition by range (week);

-- How a device reported on a day, for what looks back beyond single reports. `hours`: those (UTC) in which it did, as bits.
create table report_day (
  device_id int not null,
  day date not null,
  reports int not null,
  first_at timestamptz not null,
  last_at timestamptz not null,
  hours int not null,
  interval_ms int,
  disks_at timestamptz,
  fullest real,
  primary key (device_id, day)
) partition by range (day);

-- Until when a device's reports are packed, but for days that are due again.
create table packed_to (
  device_id int primary key,
  until timestamptz not null
);

-- Days into which something came after they were packed, or may have been. Only ever added to by whoever stores reports,
-- so that nobody waits for whoever packs; it takes away what it has seen before it reads the reports.
create table pack_due (
  id bigint generated always as identity primary key,
  device_id int not null,
  day date not null
);
create index pack_due_device on pack_due (device_id, day);

-- When a device had reported last by a time of which no report is kept as it came: to the hour.
create function past.reported_by(device int) returns timestamptz language sql stable as $$
  select least(past.now(), k.last_at, (k.day + make_interval(hours => h.n + 1)) at time zone 'UTC')
  from (select * from public.report_day
    where device_id = device and day <= (past.now() at time zone 'UTC')::date order by day desc limit 2) k
  cross join generate_series(0, 23) h (n)
  where (k.hours >> h.n) & 1 = 1 and (k.day + make_interval(hours => h.n)) at time zone 'UTC' <= past.now()
    and k.first_at <= past.now()
  order by k.day desc, h.n desc limit 1
$$;

create or replace view past.device as
select d.id, p.client_id, p.site_id, p.name, p.kind, p.os_family, p.os_name, p.roles, p.tags, d.key_digest,
  d.enrolled_at, p.retired_at, d.agent_version, d.interval_ms, d.last_seq,
  coalesce((select r.at from public.report r where r.device_id = d.id and r.at <= past.now() order by r.at desc limit 1),
    past.reported_by(d.id)) as last_at,
  -- Of what an agent had kept and sent later, when it was read.
  coalesce((select r.received_at from public.report r
      where r.device_id = d.id and r.at <= past.now() and r.received_at <= past.now() order by r.at desc limit 1),
    (select r.at from public.report r where r.device_id = d.id and r.at <= past.now() order by r.at desc limit 1),
    past.reported_by(d.id)) as heard_at,
  -- How often it reported then is not kept: what is told now, or seldomer where its reports lay further apart, by a day
  -- at most: reports that lie a month apart are no interval, and more milliseconds than an int4 has.
  greatest(coalesce(d.reported_interval_ms, d.interval_ms), (
    select (least(86400, min(extract(epoch from g.gap))) * 1000)::int from (
    select lag(k.at) over (order by k.at desc) - k.at as gap from (select r.at from public.report r
      where r.device_id = d.id and r.at <= past.now() order by r.at desc limit 4) k) g),
    -- By the hours in which it was heard nobody can tell more exactly than by the hour.
    case when not exists (select from public.report r where r.device_id = d.id and r.at <= past.now())
      then 3600000 end) as reported_interval_ms,
  0::bigint as lost_reports, 0::bigint as clock_offset_ms, '[]'::jsonb as failed, d.version, p.addresses,
  d.starts_at_boot, d.reinstall_until, d.merged_into, d.take_detected, d.takes_tasks, d.updatable,
  case when d.roster_sent_at <= past.now() then d.roster_sent end as roster_sent,
  case when d.roster_sent_at <= past.now() then d.roster_sent_at end as roster_sent_at,
  case when d.roster_confirmed_at <= past.now() then d.roster_confirmed end as roster_confirmed,
  case when d.roster_confirmed_at <= past.now() then d.roster_confirmed_at end as roster_confirmed_at,
  d.first_at, 0::bigint as left_out_entries, 0::bigint as old_entries, 0::bigint as refused_count,
  d.instance, d.instance_since, d.past_instances, d.barred_instances, d.count_above, d.machine, d.shared_at,
  coalesce((select r.at from public.report r join public.layout l on l.id = r.layout_id
    where r.device_id = d.id and r.at <= past.now() and r.at > past.now() - interval '40 days'
      and l.series @> '[["disk.free"]]' order by r.at desc limit 1),
    -- Of a time of which no report is kept as it came, to the day.
    (select least(k.disks_at, past.now()) from public.report_day k where k.device_id = d.id and k.disks_at is not null
      and k.first_at <= past.now() and k.day > (past.now() - interval '40 days')::date
      order by k.day desc limit 1)) as disks_at,
  coalesce((select max(1 - k.free / nullif(k.size, 0)) from (
    select s.key->>1 as mount, max(n.value[s.i]) filter (where s.key->>0 = 'disk.size') as size,
      max(n.value[s.i]) filter (where s.key->>0 = 'disk.free') as free
    from (select r.value, l.series from public.report r join public.layout l on l.id = r.layout_id
      where r.device_id = d.id and r.at <= past.now() and r.at > past.now() - interval '40 days'
        and l.series @> '[["disk.free"]]' order by r.at desc limit 1) n
    cross join lateral jsonb_array_elements(n.series) with ordinality s (key, i)
    where s.key->>0 in ('disk.size', 'disk.free') group by 1) k),
    (select k.fullest from public.report_day k where k.device_id = d.id and k.disks_at is not null
      and k.first_at <= past.now() and k.day > (past.now() - interval '40 days')::date
      order by k.day desc limit 1), 0)::real as fullest,
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
