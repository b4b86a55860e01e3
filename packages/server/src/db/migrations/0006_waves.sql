-- Sign-ins for machines that have no agent yet, and agents sent out in waves.
create table credential (
  id int generated always as identity primary key,
  client_id int not null references client,
  -- null: for every site of the client
  site_id int references site,
  name text not null,
  user_name text not null,
  kind text not null check (kind in ('password', 'private key')),
  -- AES-256-GCM; the key is in a file of the server's
  sealed bytea not null,
  created_by int references person,
  created_at timestamptz not null default now(),
  removed_at timestamptz
);
create unique index credential_name on credential (client_id, lower(name)) where removed_at is null;

-- What a machine showed the first time; another one later stops it with a warning.
create table host_key (
  site_id int not null references site,
  address text not null,
  fingerprint text not null,
  seen_at timestamptz not null default now(),
  primary key (site_id, address)
);

create table wave_run (
  id int generated always as identity primary key,
  site_id int not null references site,
  -- the device there that goes to the machines
  device_id int not null references device,
  name text not null,
  kind text not null,
  roles text[] not null,
  tags text[] not null,
  credential_ids int[] not null,
  -- of the machines of a wave at most this share (0 to 1) may fail, or it pauses before the next
  most_failed float8 not null,
  -- local hours of the site in which machines may be gone to; null: any
  hours_from int,
  hours_until int,
  key_id int not null references enrolment_key,
  -- the secret of that key, sealed: it is handed to each machine
  key_sealed bytea not null,
  state text not null default 'running' check (state in ('running', 'paused', 'stopped', 'done')),
  reason text not null default '',
  wave int not null default 1,
  waves int not null,
  created_by int references person,
  created_at timestamptz not null default now(),
  ended_at timestamptz
);
create index wave_run_running on wave_run (id) where state = 'running';

create table wave_machine (
  run_id int not null references wave_run,
  n int not null,
  address text not null,
  name text,
  wave int not null,
  state text not null default 'waiting' check (state in ('waiting', 'going', 'installed', 'failed')),
  step text not null default '',
  -- failures are told by these kinds
  failure text,
  reason text not null default '',
  attempts int not null default 0,
  task_id int references device_task,
  device_id int references device,
  changed_at timestamptz not null default now(),
  primary key (run_id, n)
);
create index wave_machine_task on wave_machine (task_id);
