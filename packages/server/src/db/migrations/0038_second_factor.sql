-- A second factor for signing in: codes that change with time (RFC 6238), by a secret that is sealed with a key which is
-- not in the database.
create table second_factor (
  person_id int primary key references person on delete cascade,
  secret bytea not null,
  made_at timestamptz not null default now(),
  -- Null: no code of it was given yet; it is not asked for.
  confirmed_at timestamptz,
  -- The time step of the last code that was taken: each is taken once (RFC 6238, section 5.2).
  last_step bigint
);
-- For whoever has lost what makes the codes; each is taken once. Only digests of 80 random bits.
create table recovery_code (
  person_id int not null references second_factor on delete cascade,
  digest bytea not null,
  used_at timestamptz,
  primary key (person_id, digest)
);
