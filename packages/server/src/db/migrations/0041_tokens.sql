-- Tokens by which programs ask in somebody's name, with less than that person may. Only digests are kept.
create table token (
  id int generated always as identity primary key,
  name text not null,
  digest bytea not null unique,
  person_id int not null references person on delete cascade,
  scope text not null check (scope in ('read', 'maintenance', 'all')),
  -- null: whichever clients the person sees
  client_ids int[],
  created_at timestamptz not null default now(),
  expires_at timestamptz not null,
  used_at timestamptz,
  used_from inet,
  revoked_at timestamptz
);
create index token_person on token (person_id) where revoked_at is null;
