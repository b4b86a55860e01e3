-- What is usual for series of devices, hour by hour of the week, for those that a watch judges by it.
create table usual (
  device_id int not null references device on delete cascade,
  metric text not null,
  instance text not null,
  zone text not null,
  from_at timestamptz not null,
  until_at timestamptz not null,
  days int not null,
  odd_days timestamptz[] not null,
  began_anew timestamptz,
  -- For each hour of the week, from Monday on: what is usual, then for each how far it varies. Floats of 32 bits, the
  -- lower byte first; not a number where nothing is known.
  shape bytea not null,
  primary key (device_id, metric, instance)
);

-- The version of each device as of which it was learned, and when.
create table usual_follow (
  device_id int primary key references device on delete cascade,
  version bigint not null,
  learned_at timestamptz not null
);

-- Nothing before such a moment teaches what is usual: somebody said so.
create table usual_anew (
  device_id int not null references device on delete cascade,
  metric text not null,
  instance text not null,
  at timestamptz not null,
  by_id int references person on delete set null,
  primary key (device_id, metric, instance)
);
