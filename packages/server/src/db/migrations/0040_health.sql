-- How the server itself does: which of its processes are there, and what went wrong in them.
create table server_process (
  id uuid primary key,
  name text not null,
  version text not null,
  started_at timestamptz not null default now(),
  seen_at timestamptz not null default now()
);
-- What failed, each kind once: where, and with which words.
create table server_fault (
  place text not null,
  message text not null,
  first_at timestamptz not null default now(),
  last_at timestamptz not null default now(),
  times int not null default 1,
  primary key (place, message)
);
create index server_fault_last on server_fault (last_at);
