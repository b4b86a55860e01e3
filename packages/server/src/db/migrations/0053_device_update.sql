-- Updates by their names: one row an update that waits on a device, kept with the fact that tells of it, so that one
-- update is found on all devices without reading the facts of all. At 10,000 devices some 200,000 rows.
create table device_update (
  device_id int not null references device,
  name text not null,
  from_version text,
  to_version text,
  origin text,
  security boolean not null,
  rating text check (rating in ('critical', 'important', 'moderate', 'low')),
  held text check (held in ('asked', 'kept')),
  since timestamptz not null,
  primary key (device_id, name)
);
create index device_update_name on device_update (name, device_id);

create view past.device_update as
select distinct on (f.device_id, u.name) f.device_id, u.name, u."from" as from_version, u."to" as to_version, u.origin,
  u.security, u.rating, u.held, to_timestamp(u.since / 1000) as since
from past.current_fact f
cross join jsonb_to_recordset(f.value)
  u (name text, "from" text, "to" text, origin text, security boolean, rating text, held text, since float8)
where f.subject = 'waiting'
order by f.device_id, u.name;

-- What waited on a device by its last word of a day, in UTC: one row a device and day on which it told. It holds until
-- the day of its next word, and for a week at most; nearly all hold for a day.
create table backlog_day (
  device_id int not null references device,
  day date not null,
  until date not null,
  security int not null,
  other int not null,
  held int not null,
  oldest_security_at timestamptz,
  primary key (device_id, day)
);

-- Where no lists were ever fetched nobody knew.
insert into backlog_day
select device_id, day, least(day + 7, lead(day) over (partition by device_id order by day)), security, other, held,
  oldest_security_at
from (
  select distinct on (f.device_id, (f.at at time zone 'UTC')::date) f.device_id, (f.at at time zone 'UTC')::date as day,
    (f.value->>'security')::int as security, (f.value->>'other')::int as other,
    coalesce((f.value->>'held')::int, 0) as held,
    to_timestamp((f.value->>'oldestSecurityAt')::float8 / 1000) as oldest_security_at
  from device_fact f
  where f.subject = 'updates' and coalesce(f.value->'listsAt', '0') <> 'null'
  order by f.device_id, (f.at at time zone 'UTC')::date, f.at desc
) told;

-- The same summed up by site, once a day is over: what a client's backlog was in months is asked of few rows, and stays
-- as it was when a device moves or goes. `behind`: devices whose oldest security update had waited for over 14 days.
create table site_backlog (
  site_id int not null references site,
  day date not null,
  devices int not null,
  security int not null,
  other int not null,
  held int not null,
  behind int not null,
  primary key (site_id, day)
);

insert into site_backlog
select d.site_id, g::date, count(*), sum(b.security), sum(b.other), sum(b.held),
  count(*) filter (where b.oldest_security_at < ((g::date + 1)::timestamp at time zone 'UTC') - interval '14 days')
from backlog_day b
join device d on d.id = b.device_id
cross join lateral generate_series(b.day, least(b.until, (now() at time zone 'UTC')::date) - 1, interval '1 day') g
where d.kind in ('server', 'workstation') and (d.retired_at is null or d.retired_at > g)
group by 1, 2;

create view past.site_backlog as
select * from public.site_backlog where day < (past.now() at time zone 'UTC')::date;

-- Of the day that is looked at, what was told until then.
create view past.backlog_day as
select b.* from public.backlog_day b where b.day < (past.now() at time zone 'UTC')::date
union all
select f.device_id, (f.at at time zone 'UTC')::date, (f.at at time zone 'UTC')::date + 7, (f.value->>'security')::int,
  (f.value->>'other')::int, coalesce((f.value->>'held')::int, 0),
  to_timestamp((f.value->>'oldestSecurityAt')::float8 / 1000)
from past.current_fact f
where f.subject = 'updates' and coalesce(f.value->'listsAt', '0') <> 'null'
  and (f.at at time zone 'UTC')::date = (past.now() at time zone 'UTC')::date;
