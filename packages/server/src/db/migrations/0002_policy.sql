-- What is in force is the newest revision; older ones stay, so that a past decision can be explained.
create sequence policy_object_id as int;

create table template_revision (
  id int not null,
  revision int not null,
  name text not null,
  description text not null,
  watches jsonb not null,
  note text not null default '',
  removed boolean not null default false,
  saved_by int references person,
  saved_at timestamptz not null default now(),
  primary key (id, revision)
);
create view template as
  select * from (select distinct on (id) * from template_revision order by id, revision desc) newest where not removed;

create table assignment_revision (
  id int not null,
  revision int not null,
  template_id int not null,
  target jsonb not null,
  rank int not null,
  values jsonb not null,
  dormant boolean not null,
  reason text not null,
  created_at timestamptz not null,
  removed boolean not null default false,
  saved_by int references person,
  saved_at timestamptz not null default now(),
  primary key (id, revision)
);
create view assignment as
  select * from (select distinct on (id) * from assignment_revision order by id, revision desc) newest where not removed;

create table exception_revision (
  id int not null,
  revision int not null,
  target jsonb not null,
  watch text not null,
  values jsonb not null,
  left_out boolean not null,
  reason text not null,
  created_at timestamptz not null,
  removed boolean not null default false,
  saved_by int references person,
  saved_at timestamptz not null default now(),
  primary key (id, revision)
);
create view exception as
  select * from (select distinct on (id) * from exception_revision order by id, revision desc) newest where not removed;

create table window_revision (
  id int not null,
  revision int not null,
  name text not null,
  reason text not null,
  -- null: not one client's alone
  client_id int,
  target jsonb not null,
  subject jsonb not null,
  from_at timestamptz not null,
  until_at timestamptz,
  ended_at timestamptz,
  created_by int references person,
  created_at timestamptz not null,
  saved_by int references person,
  saved_at timestamptz not null default now(),
  primary key (id, revision)
);
create view maintenance_window as
  select distinct on (id) * from window_revision order by id, revision desc;

-- Whether the beginning and the end of a window have been carried out by the timer of some server process.
create table window_progress (
  window_id int primary key,
  begun boolean not null default false,
  over boolean not null default false
);
create index window_progress_due on window_progress (window_id) where not over;

-- One row: a number that rises with every change of policy, for caches. It comes from a sequence, because a change that is
-- rolled back must not leave its number to the next one.
create sequence policy_version start 2;
create table policy_mark (version bigint not null);
insert into policy_mark values (1);
