-- What real machines send: old logs, torn files, clocks that jump, snapshots and clones.

alter table device
  -- Of its first report: entries that a log held before were not written under anybody's eyes.
  add column first_at timestamptz,
  -- Log entries that its agent left out because more came at once than it tells, and such as were older than is kept.
  add column left_out_entries bigint not null default 0,
  add column old_entries bigint not null default 0,
  add column refused_count bigint not null default 0,
  -- Which run of an agent reports, since when, and which ones did before; a run that comes back after another took over
  -- is a second machine, and the one that took over is no longer listened to.
  add column instance text,
  add column instance_since timestamptz,
  add column past_instances text[] not null default '{}',
  add column barred_instances text[] not null default '{}',
  -- Numbers that another machine used while it reported as this one: the run that is listened to again counts on above them.
  add column count_above bigint,
  add column machine text,
  add column shared_at timestamptz;
update device set first_at = enrolled_at where last_seq > 0;

-- What of a device's reports could not be kept, whole, with the reason; the newest few of each device.
create table refused_report (
  id bigint generated always as identity primary key,
  device_id int not null references device,
  received_at timestamptz not null,
  -- Null: the number itself could not be read.
  seq bigint,
  -- JSON pointer (RFC 6901) to the part of the batch that was refused.
  pointer text not null,
  code text not null,
  detail text not null,
  body text not null
);
create index refused_report_device on refused_report (device_id, id);

-- Since when devices could be heard without a break, by any server process. While the database was away, nobody was.
create table hearing (
  id boolean primary key default true check (id),
  since timestamptz not null,
  last timestamptz not null
);
