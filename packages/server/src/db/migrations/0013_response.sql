-- What is tried before a person is told: one row for a post and a trouble, which ends when it is well, or with an alert.
create table mending (
  id bigint generated always as identity primary key,
  device_id int not null references device,
  client_id int not null,
  watch text not null,
  instance text not null,
  severity text not null,
  began timestamptz not null,
  started_at timestamptz not null,
  -- When it is to be looked at again.
  next_at timestamptz not null,
  ended_at timestamptz,
  outcome text,
  alert_id bigint references alert,
  evidence jsonb,
  rule jsonb not null
);
create unique index mending_open on mending (device_id, watch, instance) where ended_at is null;
create index mending_due on mending (next_at) where ended_at is null;
create index mending_ended on mending (ended_at) where ended_at is not null;

-- One go at it: written when the agent is asked, and settled once by what it says.
create table response (
  id bigint generated always as identity primary key,
  device_id int not null references device,
  client_id int not null,
  watch text not null,
  instance text not null,
  verb text not null check (verb in ('start', 'stop', 'restart')),
  service text not null,
  -- By hand, from this alert; else by itself, in this mending.
  person_id int references person,
  alert_id bigint references alert,
  mending_id bigint references mending,
  task_id int not null references device_task,
  at timestamptz not null,
  state text not null default 'asked' check (state in ('asked', 'done', 'failed')),
  ended_at timestamptz,
  hopeless boolean not null default false,
  -- How the service was, before and after, in the agent's words.
  before text not null default '',
  after text not null default '',
  reason text not null default ''
);
create index response_post on response (device_id, watch, instance, at);
create index response_alert on response (alert_id) where alert_id is not null;
create index response_mending on response (mending_id) where mending_id is not null;
create unique index response_task on response (task_id);
