-- Addresses under which calendars read what is planned: whoever has one reads it, so only its digest is kept.
create table calendar_feed (
  id int generated always as identity primary key,
  -- it shows what this person may see
  person_id int not null references person,
  -- null: of every client that the person sees
  client_id int references client,
  label text not null,
  digest bytea not null unique,
  created_at timestamptz not null default now(),
  read_at timestamptz,
  revoked_at timestamptz
);
create index window_revision_uid on window_revision (uid) where uid is not null;
