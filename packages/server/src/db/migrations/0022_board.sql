-- What a device told last of each subject stands by itself, a row a subject; device_fact is how it was before.
create table current_fact (
  device_id int not null,
  subject text not null,
  at timestamptz not null,
  value jsonb not null,
  primary key (device_id, subject)
);
insert into current_fact
select distinct on (device_id, subject) device_id, subject, at, value from device_fact order by device_id, subject, at desc;

-- What a board compares of a device, kept up to date in the transaction of the report, so that no reader works it out.
-- None of it is indexed: a report may then rewrite its row in place (HOT), and a board reads all devices anyway.
alter table device
  -- When the newest report was made that read its disks, and the share that is used of the fullest of them.
  add column disks_at timestamptz,
  add column fullest real not null default 0,
  -- Null: its agent has told nothing of updates yet.
  add column security_updates int,
  add column other_updates int,
  add column oldest_security_at timestamptz,
  add column updates_known boolean not null default false,
  add column services_read boolean not null default false;

update device d set security_updates = (f.value->>'security')::int, other_updates = (f.value->>'other')::int,
  oldest_security_at = to_timestamp((f.value->>'oldestSecurityAt')::float8 / 1000),
  updates_known = coalesce(f.value->'listsAt', '0') <> 'null'
from current_fact f where f.device_id = d.id and f.subject = 'updates';
update device d set services_read = true from current_fact f where f.device_id = d.id and f.subject = 'services';

with newest as (
  select distinct on (p.device_id) p.device_id, p.at, l.series, p.value from report p join layout l on l.id = p.layout_id
  where l.series @> '[["disk.free"]]' order by p.device_id, p.at desc
), disk as (
  select n.device_id, n.at, s.key->>1 as mount,
    max(n.value[s.i]) filter (where s.key->>0 = 'disk.size') as size,
    max(n.value[s.i]) filter (where s.key->>0 = 'disk.free') as free
  from newest n cross join lateral jsonb_array_elements(n.series) with ordinality s (key, i)
  where s.key->>0 in ('disk.size', 'disk.free') group by 1, 2, 3
)
update device d set disks_at = k.at, fullest = k.fullest from (
  select device_id, at, coalesce(max(1 - free / nullif(size, 0)), 0) as fullest
  from disk where free is not null group by 1, 2
) k where k.device_id = d.id;
