-- A window repeats, and each time that it holds is a row of its own: what was is never computed anew.
alter table window_revision
  add column owner_id int references person,
  add column ticket text not null default '',
  -- IANA name; `starts` is a time on its clocks
  add column zone text not null default 'UTC',
  add column starts text,
  -- elapsed; null: no end
  add column length_ms bigint,
  -- RFC 5545: RRULE, RDATE, EXDATE, and occurrences with a RECURRENCE-ID; times in milliseconds since 1970
  add column rule text,
  add column more jsonb not null default '[]',
  add column left_out jsonb not null default '[]',
  add column changed jsonb not null default '[]',
  add column review_at timestamptz,
  -- why it was changed
  add column why text not null default '',
  -- the window whose later occurrences it took over
  add column continues int,
  -- of the entry that it was imported from
  add column uid text;

-- The beginning and the end of each, and whether they have been carried out by the timer of some server process.
create table window_occurrence (
  id int generated always as identity primary key,
  window_id int not null,
  -- when the rule has it begin: its name
  start timestamptz not null,
  from_at timestamptz not null,
  until_at timestamptz,
  -- ended early, or cancelled, by a person
  ended_at timestamptz,
  ended_by int references person,
  -- its devices have been told to expect it
  known boolean not null default false,
  begun boolean not null default false,
  over boolean not null default false,
  -- of the window, as it was when this began
  revision int,
  unique (window_id, start)
);
insert into window_occurrence (window_id, start, from_at, until_at, ended_at, ended_by, known, begun, over, revision)
  select w.id, w.from_at, w.from_at, w.until_at, w.ended_at, case when w.ended_at is null then null else w.saved_by end,
    true, p.begun, p.over, case when p.begun then w.revision end
  from maintenance_window w join window_progress p on p.window_id = w.id
  order by w.id;
create index window_occurrence_due on window_occurrence (from_at) where not over;
create index window_occurrence_ended
  on window_occurrence (coalesce(least(until_at, ended_at), 'infinity'::timestamptz));

update window_revision set starts = to_char(from_at at time zone 'UTC', 'YYYY-MM-DD"T"HH24:MI:SS'),
  length_ms = round(extract(epoch from until_at - from_at) * 1000), owner_id = created_by;
alter table window_revision alter column starts set not null;

drop view maintenance_window;
alter table window_revision drop column from_at, drop column until_at;
create view maintenance_window as
  select distinct on (id) * from window_revision order by id, revision desc;
drop table window_progress;

alter table held add column occurrence_id int references window_occurrence;
update held h set occurrence_id = o.id from window_occurrence o where o.window_id = h.window_id;
create index held_occurrence on held (occurrence_id);

-- Up to when the occurrences of a window are in the table; null: all of them are.
create table window_horizon (
  window_id int primary key,
  until_at timestamptz
);
insert into window_horizon select id, null from maintenance_window;
create index window_horizon_due on window_horizon (until_at) where until_at is not null;
