-- How devices come in: where keys are good for, who knocked, what a newcomer gets, which roles its facts speak for.
insert into role values ('virtualisation', 'virtualisation host') on conflict do nothing;

-- Networks in CIDR notation; they bound sweeps and place newcomers by their address.
alter table site add column networks text[] not null default '{}';

-- A key without a site leaves the site to the address: within one client, or among all.
alter table enrolment_key alter column site_id drop not null;
alter table enrolment_key add column client_id int references client;
alter table enrolment_key add column uses int;
update enrolment_key k set client_id = s.client_id, uses = k.uses_left from site s where s.id = k.site_id;
alter table enrolment_key alter column uses set not null;

-- Everyone who knocked, let in or not. The exact reason is for the technician; whoever knocks hears less.
create table enrolment_attempt (
  id bigint generated always as identity primary key,
  at timestamptz not null default now(),
  -- null: no such key
  key_id int references enrolment_key,
  name text not null,
  os_name text not null,
  address text not null,
  clock_offset_ms bigint not null,
  outcome text not null,
  reason text not null,
  device_id int references device
);
create index enrolment_attempt_key on enrolment_attempt (key_id, id);
create index enrolment_attempt_stranger on enrolment_attempt (address, at) where key_id is null;

alter table device add column addresses text[] not null default '{}';
alter table device add column starts_at_boot boolean;
-- Until when an agent that enrols under this name may take the device over: it was reinstalled.
alter table device add column reinstall_until timestamptz;
alter table device add column merged_into int references device;
-- Roles that its facts speak for are taken without asking.
alter table device add column take_detected boolean not null default false;

-- What the facts of a device speak for, and what was decided about it. No evidence: it no longer shows.
create table role_finding (
  device_id int not null references device,
  role text not null references role,
  evidence jsonb not null,
  found_at timestamptz not null default now(),
  decision text check (decision in ('accepted', 'pinned', 'declined')),
  -- null with a decision: by a standing rule
  decided_by int references person,
  decided_at timestamptz,
  primary key (device_id, role)
);
create index role_finding_undecided on role_finding (role) where decision is null;

-- Never changed: an edit removes one and adds another.
create table standing_rule (
  id int generated always as identity primary key,
  name text not null,
  definition jsonb not null,
  created_by int references person,
  created_at timestamptz not null default now(),
  removed_by int references person,
  removed_at timestamptz
);

create table notice (
  id bigint generated always as identity primary key,
  person_id int not null references person,
  at timestamptz not null default now(),
  device_id int references device,
  text text not null,
  seen_at timestamptz
);
create index notice_unseen on notice (person_id) where seen_at is null;
