-- One row a report. The names of the values stand once in layout: a reading costs its eight bytes and a share of the row.
create table layout (
  id int generated always as identity primary key,
  digest bytea not null unique,
  series jsonb not null
);

create table report (
  device_id int not null,
  at timestamptz not null,
  seq bigint not null,
  received_at timestamptz not null,
  late boolean not null,
  layout_id int not null,
  value float8[] not null,
  primary key (device_id, at, seq)
) partition by range (at);

create table log_event (
  device_id int not null,
  at timestamptz not null,
  seq bigint not null,
  n int not null,
  channel text not null,
  source text not null,
  event_id bigint,
  level smallint not null,
  text text not null,
  primary key (device_id, at, seq, n)
) partition by range (at);

create table device_fact (
  device_id int not null,
  subject text not null,
  at timestamptz not null,
  value jsonb not null,
  primary key (device_id, subject, at)
);

-- Only posts that are not at rest have a row.
create table post_state (
  device_id int not null,
  watch text not null,
  instance text not null,
  state jsonb not null,
  primary key (device_id, watch, instance)
);

create table post_change (
  device_id int not null,
  at timestamptz not null,
  watch text not null,
  instance text not null,
  kind text not null,
  from_level text,
  to_level text,
  began timestamptz,
  evidence jsonb,
  policy_version bigint not null
) partition by range (at);
create index post_change_device on post_change (device_id, at);

create table alert (
  id bigint generated always as identity primary key,
  device_id int not null references device,
  client_id int not null,
  watch text not null,
  instance text not null,
  severity text not null,
  status text not null check (status in ('open', 'taken', 'closed')),
  began timestamptz not null,
  raised_at timestamptz not null,
  closed_at timestamptz,
  close_reason text,
  taken_by int references person,
  taken_at timestamptz,
  evidence jsonb,
  rule jsonb not null,
  window_id int,
  committed_at timestamptz not null default now()
);
-- The rule "never two open at once", kept by the database itself.
create unique index alert_open on alert (device_id, watch, instance) where status <> 'closed';
create index alert_unclosed on alert (client_id) where status <> 'closed';
create index alert_time on alert (raised_at);
create index alert_closed on alert (closed_at) where status = 'closed';
create index alert_device on alert (device_id, raised_at);

create table alert_entry (
  id bigint generated always as identity primary key,
  alert_id bigint not null references alert,
  at timestamptz not null,
  what text not null,
  person_id int references person,
  text text not null default ''
);
create index alert_entry_alert on alert_entry (alert_id, at);

create table held (
  id bigint generated always as identity primary key,
  window_id int not null,
  device_id int not null references device,
  client_id int not null,
  watch text not null,
  instance text not null,
  severity text not null,
  began timestamptz not null,
  held_at timestamptz not null,
  ended_at timestamptz,
  outcome text,
  alert_id bigint references alert,
  evidence jsonb,
  rule jsonb not null
);
create unique index held_open on held (device_id, watch, instance) where ended_at is null;
create index held_window on held (window_id);
