-- What other devices see of a device, and devices that have no agent and are seen by others alone.
-- Null: it has no agent, and so no system that would tell which.
alter table device alter column os_family drop not null;
alter table device_past alter column os_family drop not null;
-- Addresses, networks and names outside of a site's own networks that its devices may look at.
alter table site add column named_addresses text[] not null default '{}';
create or replace view past.site as
with was as materialized (
  select s.id, s.client_id, p.name, p.zone, p.networks, s.notes, s.named_addresses
  from public.site s
  join lateral (select * from public.site_past k where k.site_id = s.id
    order by k.since <= past.now() desc, case when k.since <= past.now() then k.since end desc, k.since limit 1) p on true
)
select * from was;

-- The version of each device as of which it was worked out who looks at it, and at whom it looks.
create table probe_follow (
  device_id int primary key references device on delete cascade,
  version bigint not null
);

create table probe (
  -- Told to the agent with what it is asked: another ask is another row.
  id bigint generated always as identity primary key,
  target_id int not null references device on delete cascade,
  watch text not null,
  -- Null: nobody looks, and the gap says why.
  prober_id int references device on delete cascade,
  gap text,
  -- What is looked at, and where; null where it has no address.
  host text not null default '',
  ask jsonb,
  made_at timestamptz not null default now(),
  told_at timestamptz,
  told jsonb,
  -- When the target has to be judged by it; it is put off each time.
  due_at timestamptz not null default now(),
  check ((prober_id is null) = (gap is not null))
);
create unique index probe_target on probe (target_id, watch, coalesce(prober_id, 0));
create index probe_prober on probe (prober_id) where prober_id is not null;
create index probe_due on probe (due_at);
