-- Whom we work for, where, on what, and who may see it.
create table client (
  id int generated always as identity primary key,
  name text not null unique,
  code text not null unique,
  created_at timestamptz not null default now()
);

create table site (
  id int generated always as identity primary key,
  client_id int not null references client,
  name text not null,
  zone text not null,
  unique (client_id, name)
);

create table role (
  id text primary key,
  name text not null
);
insert into role values
  ('web', 'web server'), ('database', 'database server'), ('file', 'file server'), ('directory', 'directory server'),
  ('print', 'print server'), ('mail', 'mail server'), ('backup', 'backup host'), ('application', 'application server'),
  ('imaging', 'imaging'), ('till', 'till'), ('workstation', 'workstation');

create table person (
  id int generated always as identity primary key,
  email text not null,
  name text not null,
  password_hash text not null,
  access text not null check (access in ('contact', 'technician', 'lead')),
  -- null: every client
  client_ids int[],
  looked_at timestamptz not null default now(),
  created_at timestamptz not null default now(),
  check (access <> 'contact' or client_ids is not null)
);
create unique index person_email on person (lower(email));

-- Only a digest is kept: who reads the table cannot sign in with it.
create table session (
  token_digest bytea primary key,
  person_id int not null references person on delete cascade,
  created_at timestamptz not null default now(),
  expires_at timestamptz not null
);

create table sign_in_failure (
  email text not null,
  address text not null,
  at timestamptz not null default now()
);
create index sign_in_failure_recent on sign_in_failure (at);

create table enrolment_key (
  id int generated always as identity primary key,
  site_id int not null references site,
  secret_digest bytea not null unique,
  label text not null,
  uses_left int not null,
  expires_at timestamptz not null,
  revoked_at timestamptz,
  kind text not null,
  roles text[] not null,
  tags text[] not null,
  created_by int references person,
  created_at timestamptz not null default now()
);

create table device (
  id int generated always as identity primary key,
  client_id int not null references client,
  site_id int not null references site,
  name text not null,
  kind text not null,
  os_family text not null,
  os_name text not null,
  roles text[] not null default '{}',
  tags text[] not null default '{}',
  key_digest bytea not null,
  enrolled_at timestamptz not null default now(),
  retired_at timestamptz,
  agent_version text not null default '',
  interval_ms int not null default 60000,
  -- What the device's next report is measured against. Whoever commits a report moves these in the same statement, so
  -- that two server processes cannot both take it.
  last_seq bigint not null default 0,
  last_at timestamptz,
  heard_at timestamptz,
  reported_interval_ms int,
  lost_reports bigint not null default 0,
  clock_offset_ms bigint not null default 0,
  failed jsonb not null default '[]',
  -- Rises with everything but reports that changes how this device is evaluated: policy, roles, windows, a state set by
  -- a timer. A cached copy with another number is out of date.
  version bigint not null default 1
);
-- Letter case is no difference between two names: agents and people spell them differently.
create unique index device_name on device (client_id, lower(name)) where retired_at is null;
create index device_client on device (client_id);

create table audit (
  id bigint generated always as identity primary key,
  at timestamptz not null default now(),
  person_id int references person,
  action text not null,
  object_kind text not null,
  object_id bigint,
  client_id int,
  detail jsonb not null default '{}'
);
