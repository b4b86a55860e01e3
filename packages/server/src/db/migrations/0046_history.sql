-- Readings of times before a device was watched, which somebody brought in a file: how far it was read, what of it was
-- taken, and which lines were refused and why.

create table history_load (
  id int generated always as identity primary key,
  client_id int not null references client on delete cascade,
  person_id int not null references person,
  file text not null,
  started_at timestamptz not null default now(),
  -- Moves on while it is read: one that stands still was broken off.
  moved_at timestamptz not null default now(),
  ended_at timestamptz,
  lines bigint not null default 0,
  taken bigint not null default 0,
  refused bigint not null default 0,
  devices int not null default 0,
  first_at timestamptz,
  last_at timestamptz,
  -- The first of those that were refused: [{"line": 7, "reason": "…"}].
  refusals jsonb not null default '[]'
);
create index history_load_client on history_load (client_id, id);
create index history_load_person on history_load (person_id);
