-- Telling people: who is told of which alerts, when, by which way, and what became of each message.

-- Where and when somebody can be reached. mail_to null: at the address that they sign in with.
alter table person
  add column mail_to text,
  add column reach_hours text not null default '',
  add column reach_zone text,
  add column away_until timestamptz,
  -- Minutes after midnight on the clocks of reach_zone at which a summary is sent each day; null: none.
  add column digest_at int check (digest_at between 0 and 1439),
  add column digest_on date;

create table team (
  id int generated always as identity primary key,
  name text not null,
  removed_at timestamptz
);
create unique index team_name on team (lower(name)) where removed_at is null;
create table team_member (
  team_id int not null references team on delete cascade,
  person_id int not null references person on delete cascade,
  primary key (team_id, person_id)
);
-- Who is on call: the people of `turns` in their order, one after the other, each from one time of the rule to the next.
create table rotation (
  team_id int primary key references team on delete cascade,
  -- On the clocks of `zone`, without an offset (RFC 5545, form 1).
  starts text not null,
  zone text not null,
  rule text not null,
  turns int[] not null check (cardinality(turns) > 0)
);
-- Somebody else for a time.
create table swap (
  id int generated always as identity primary key,
  team_id int not null references team on delete cascade,
  person_id int not null references person on delete cascade,
  from_at timestamptz not null,
  until_at timestamptz not null,
  check (until_at > from_at)
);
create index swap_team on swap (team_id, until_at);
-- A feed shows what is planned, or the turns of a team.
alter table calendar_feed add column team_id int references team;

create table webhook (
  id int generated always as identity primary key,
  name text not null,
  url text not null,
  -- Sealed by a key that is not in the database.
  secret bytea not null,
  removed_at timestamptz
);
create unique index webhook_name on webhook (lower(name)) where removed_at is null;

-- One row at most: how mail leaves.
create table mail_settings (
  one boolean primary key default true check (one),
  host text not null,
  port int not null check (port between 1 and 65535),
  security text not null check (security in ('tls', 'starttls', 'none')),
  username text not null,
  -- Sealed; null: without signing in.
  password bytea,
  sender text not null
);
-- One row: what is gathered, and how much is too much.
create table callout_settings (
  one boolean primary key default true check (one),
  gather_ms int not null check (gather_ms between 0 and 600000),
  most_an_hour int not null check (most_an_hour between 2 and 1000)
);
insert into callout_settings values (true, 30000, 20);

create sequence callout_rule_id as int;
create table callout_revision (
  id int not null default nextval('callout_rule_id'),
  revision int not null,
  name text not null,
  -- null: not one client's alone
  client_id int,
  rule jsonb not null,
  is_paused boolean not null default false,
  removed_at timestamptz,
  saved_by int references person,
  saved_at timestamptz not null default now(),
  primary key (id, revision)
);
create view callout_rule as
  select distinct on (id) * from callout_revision order by id, revision desc;

-- Alerts about which somebody may be to be told: one whose time has come is looked at. `mark` tells whether anything
-- happened to it while it was looked at.
create table callout_due (
  alert_id bigint primary key references alert on delete cascade,
  due_at timestamptz not null,
  mark int not null default 0
);
create index callout_due_at on callout_due (due_at);

-- Kept by the database itself, in whatever transaction changes an alert, so that no way to change one forgets it.
create function callout_is_due() returns trigger language plpgsql as $$
begin
  insert into callout_due (alert_id, due_at) values (case tg_table_name when 'alert' then new.id end, now())
  on conflict (alert_id) do update set due_at = least(callout_due.due_at, now()), mark = callout_due.mark + 1;
  return null;
end $$;
create function callout_is_due_by_entry() returns trigger language plpgsql as $$
begin
  insert into callout_due (alert_id, due_at) values (new.alert_id, now())
  on conflict (alert_id) do update set due_at = least(callout_due.due_at, now()), mark = callout_due.mark + 1;
  return null;
end $$;
create trigger alert_carried_is_told after update of carried_by on alert
  for each row when (new.carried_by is distinct from old.carried_by) execute function callout_is_due();
create trigger alert_entry_is_told after insert on alert_entry
  for each row execute function callout_is_due_by_entry();

-- What a rule has to say about an alert, as it was decided.
create table callout_step (
  id bigint generated always as identity primary key,
  -- No foreign key: its lock would wait for whoever works on the alert, who waits for callout_due.
  alert_id bigint not null,
  rule_id int not null,
  revision int not null,
  step text not null check (step in ('tell', 'worse', 'again', 'escalate', 'untouched', 'well')),
  n int not null,
  at timestamptz not null,
  decided_at timestamptz not null default now(),
  severity text not null,
  holder int,
  -- What kept it quiet before.
  after jsonb not null default '[]',
  unique (alert_id, rule_id, revision, step, n)
);
create index callout_step_at on callout_step (at);

-- What leaves: mail to a person, or an event to another system.
create table callout_message (
  id uuid primary key default gen_random_uuid(),
  number bigint generated always as identity unique,
  person_id int references person,
  webhook_id int references webhook,
  created_at timestamptz not null default now(),
  -- Gathered until then.
  leaves_at timestamptz not null,
  -- A digest tells what is open as it leaves, and no steps.
  kind text not null default 'callout' check (kind in ('callout', 'digest')),
  -- Why longer than usual: this person has got as many within the hour as anybody should.
  is_throttled boolean not null default false,
  state text not null default 'gathering'
    check (state in ('gathering', 'waiting', 'sending', 'sent', 'failed', 'dropped')),
  -- As it was handed over, so that the same leaves again where nobody knows whether it arrived.
  content jsonb,
  attempts int not null default 0,
  next_at timestamptz not null default now(),
  sent_at timestamptz,
  -- What the other side said last.
  answer text not null default '',
  check ((person_id is null) <> (webhook_id is null))
);
create index callout_message_open on callout_message (number) where state in ('gathering', 'waiting', 'sending');
create index callout_message_person on callout_message (person_id, created_at);
create table callout_told (
  step_id bigint not null references callout_step on delete cascade,
  message_id uuid not null references callout_message on delete cascade,
  -- It was over, or taken, before it left.
  was_over boolean not null default false,
  primary key (step_id, message_id)
);
create index callout_told_message on callout_told (message_id);

-- A way by which messages leave: 'mail', or 'webhook 3'. One server process at a time works on it, as long as it holds an
-- advisory lock.
create table callout_way (
  way text primary key,
  failing_since timestamptz,
  failures int not null default 0,
  next_at timestamptz not null default now(),
  answer text not null default '',
  answered_at timestamptz
);
insert into callout_way (way) values ('mail');

-- When the server knew of it, which is later than it happened where reports come in late. Null: before this was kept.
alter table alert_entry add column known_at timestamptz;
alter table alert_entry alter column known_at set default now();
create or replace view past.alert_entry as select * from public.alert_entry where at <= past.now();
