-- What is collected beyond the ordinary, on which devices. Never changed: an edit removes one and adds another.
create table collect_rule (
  id int generated always as identity primary key,
  target jsonb not null,
  -- patterns
  logs text[] not null,
  collectors text[] not null,
  reason text not null,
  created_by int references person,
  created_at timestamptz not null default now(),
  removed_by int references person,
  removed_at timestamptz
);

-- What a role needs and this device does not: decided, with the reason, and not told again.
create table coverage_waiver (
  device_id int not null references device,
  need text not null,
  instance text not null,
  reason text not null,
  created_by int references person,
  created_at timestamptz not null default now(),
  primary key (device_id, need, instance)
);
