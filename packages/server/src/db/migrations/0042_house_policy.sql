-- What holds for whoever signs in; one row.
create table house_policy (
  one boolean primary key default true check (one),
  second_factor text not null default 'none' check (second_factor in ('none', 'leads', 'all')),
  session_days int not null default 7 check (session_days between 1 and 90),
  password_length int not null default 10 check (password_length between 10 and 64)
);
insert into house_policy default values;

-- A link by which somebody chooses a password: once, and not for long. Only digests are kept.
create table invitation (
  digest bytea primary key,
  person_id int not null references person on delete cascade,
  is_new boolean not null,
  made_at timestamptz not null default now(),
  expires_at timestamptz not null
);
create index invitation_person on invitation (person_id);
