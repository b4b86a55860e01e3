-- What people of clients ask by mail, and what is known of these people.

-- Whom one knows at a client, whether or not they sign in.
create table contact (
  id int generated always as identity primary key,
  client_id int not null references client on delete cascade,
  name text not null,
  email text not null default '',
  phone text not null default '',
  -- What they are asked about, or may decide.
  note text not null default ''
);
create index contact_client on contact (client_id);
create index contact_email on contact (lower(email)) where email <> '';
-- Whoever writes from there is of this client, where nobody knows the address itself.
alter table client add column mail_domains text[] not null default '{}';

-- One row at most: the addresses for which the server takes mail. The first is what answers come from.
create table inbox (
  one boolean primary key default true check (one),
  addresses text[] not null check (cardinality(addresses) between 1 and 20)
);

create table request (
  id bigint generated always as identity primary key,
  -- Null: nobody has said yet whose it is.
  client_id int references client,
  subject text not null,
  from_name text not null,
  from_address text not null,
  status text not null default 'open' check (status in ('open', 'taken', 'closed')),
  came_at timestamptz not null,
  -- When they wrote last, and when somebody answered last.
  last_came_at timestamptz not null,
  answered_at timestamptz,
  taken_by int references person,
  taken_at timestamptz,
  offered_to int references person,
  offered_by int references person,
  offered_word text not null default '',
  hidden_until timestamptz,
  closed_at timestamptz,
  -- What it is about, where somebody has said so.
  alert_id bigint references alert on delete set null,
  device_id int references device on delete set null
);
-- By which a program knows that it has said so already, for as long as the request is open.
alter table request add column key text;
create unique index request_key on request (client_id, key) where status <> 'closed' and key is not null;
create index request_open on request (came_at) where status <> 'closed';
create index request_closed on request (closed_at) where status = 'closed';
create index request_device on request (device_id) where device_id is not null;
create index request_alert on request (alert_id) where alert_id is not null;

-- Every mail that was taken, as it came, and what became of it.
create table request_mail (
  id bigint generated always as identity primary key,
  request_id bigint references request on delete cascade,
  -- By which one that comes again is known.
  digest bytea not null unique,
  came_at timestamptz not null default now(),
  from_name text not null,
  from_address text not null,
  subject text not null,
  message_id text not null,
  -- Where an answer is to go; '': to whoever wrote.
  reply_to text not null default '',
  became text not null
    check (became in ('request', 'answer', 'auto-reply', 'bounce', 'list', 'loop', 'flood', 'unreadable')),
  -- What was read of it; the rest is in the mail itself.
  text text not null,
  is_cut boolean not null default false,
  attachments jsonb not null default '[]',
  raw bytea not null
);
create index request_mail_of on request_mail (request_id) where request_id is not null;
create index request_mail_message on request_mail (message_id) where request_id is not null;
create index request_mail_from on request_mail (lower(from_address), came_at);
create index request_mail_came on request_mail (came_at);
create index request_mail_aside on request_mail (id) where request_id is null;

-- What happened to a request; nothing of it is ever changed.
create table request_entry (
  id bigint generated always as identity primary key,
  request_id bigint not null references request on delete cascade,
  at timestamptz not null default now(),
  event text not null check (event in ('came', 'reported', 'auto-reply', 'bounce', 'answered', 'note', 'taken', 'given-back',
    'handed-over', 'declined', 'hidden', 'shown', 'joined', 'placed', 'closed', 'reopened')),
  person_id int references person,
  text text not null default '',
  detail jsonb not null default '{}',
  mail_id bigint references request_mail on delete cascade,
  -- The answer that left, or is to.
  message_id uuid references callout_message on delete set null
);
create index request_entry_of on request_entry (request_id);
create index request_entry_message on request_entry (message_id) where message_id is not null;

-- A request is told of as an alert is.
alter table callout_due drop constraint callout_due_pkey;
alter table callout_due
  add column id bigint generated always as identity primary key,
  add column request_id bigint unique references request on delete cascade,
  alter column alert_id drop not null,
  add unique (alert_id),
  add check (num_nonnulls(alert_id, request_id) = 1);
alter table callout_step
  add column request_id bigint,
  alter column alert_id drop not null,
  add check (num_nonnulls(alert_id, request_id) = 1),
  add unique (request_id, rule_id, revision, step, n);

create function callout_is_due_by_request() returns trigger language plpgsql as $$
begin
  insert into callout_due (request_id, due_at) values (new.request_id, now())
  on conflict (request_id) do update set due_at = least(callout_due.due_at, now()), mark = callout_due.mark + 1;
  return null;
end $$;
create trigger request_entry_is_told after insert on request_entry
  for each row execute function callout_is_due_by_request();

-- A rule is about alerts, or about what clients' people write.
update callout_revision set rule = rule || '{"about": "alerts"}';

-- An answer goes to whoever asked, who is nobody of the house.
alter table callout_message
  add column mail_to text,
  drop constraint callout_message_kind_check,
  add check (kind in ('callout', 'digest', 'answer', 'house')),
  drop constraint callout_message_check,
  add check (num_nonnulls(person_id, webhook_id, mail_to) = 1);

-- Where a process takes mail; null: nowhere.
alter table server_process add column mail_port int;

-- A client that is looked after no more: it is left out wherever something new is begun.
alter table client
  add column retired_at timestamptz,
  add column agreed text not null default '',
  -- Hours of the week in which one works for them, on the clocks of their sites; empty: any.
  add column agreed_hours text not null default '';

-- A program that only reports in.
alter table token drop constraint token_scope_check;
alter table token add check (scope in ('read', 'report-in', 'maintenance', 'all'));

-- The house itself is told of by another way when one fails; once each time.
alter table callout_way add column told_at timestamptz;
