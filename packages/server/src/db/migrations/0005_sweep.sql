-- Work for agents, and what sweeps of a site's networks found.
create table device_task (
  id int generated always as identity primary key,
  device_id int not null references device,
  order_text jsonb not null,
  state text not null default 'queued' check (state in ('queued', 'sent', 'over')),
  created_at timestamptz not null default now(),
  expires_at timestamptz not null
);
-- Nearly all devices have none: each process looks here every two seconds instead of once a report.
create index device_task_queued on device_task (device_id) where state = 'queued';

-- Recurrence rules of RFC 5545, in the zone of the site.
create table sweep_plan (
  id int generated always as identity primary key,
  site_id int not null references site,
  device_id int not null references device,
  network text not null,
  rule text not null,
  begins text not null,
  next_at timestamptz,
  created_by int references person,
  created_at timestamptz not null default now(),
  removed_at timestamptz
);
create index sweep_plan_due on sweep_plan (next_at) where removed_at is null;

create table sweep (
  id int generated always as identity primary key,
  site_id int not null references site,
  device_id int not null references device,
  network text not null,
  plan_id int references sweep_plan,
  task_id int not null references device_task,
  started_by int references person,
  started_at timestamptz not null default now(),
  heard_at timestamptz not null default now(),
  ended_at timestamptz,
  state text not null default 'waiting' check (state in ('waiting', 'running', 'done', 'failed')),
  reason text not null default '',
  scanned int not null default 0,
  total int not null default 0
);
create index sweep_site on sweep (site_id, id);
create index sweep_unended on sweep (heard_at) where ended_at is null;

create table sweep_host (
  sweep_id int not null references sweep,
  address inet not null,
  name text,
  ports int[] not null,
  banner text,
  primary key (sweep_id, address)
);
