-- Updates of agents, in waves. Updatable: something starts the agent anew and goes back when an update fails.
alter table device add column updatable boolean not null default false;

create table update_run (
  id int generated always as identity primary key,
  version text not null,
  -- how long an updated agent has to report before it goes back
  minutes int not null,
  -- of the devices of a wave at most this share (0 to 1) may fail, or it pauses before the next
  most_failed float8 not null,
  state text not null default 'running' check (state in ('running', 'paused', 'stopped', 'done')),
  reason text not null default '',
  wave int not null default 1,
  waves int not null,
  created_by int references person,
  created_at timestamptz not null default now(),
  ended_at timestamptz
);
create index update_run_running on update_run (id) where state = 'running';

create table update_device (
  run_id int not null references update_run,
  device_id int not null references device,
  wave int not null,
  state text not null default 'waiting' check (state in ('waiting', 'going', 'updated', 'failed')),
  step text not null default '',
  reason text not null default '',
  from_version text not null,
  task_id int references device_task,
  changed_at timestamptz not null default now(),
  primary key (run_id, device_id)
);
create index update_device_task on update_device (task_id);
create index update_device_going on update_device (changed_at) where state = 'going';
