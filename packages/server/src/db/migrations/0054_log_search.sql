-- Log entries that say the same but for their numbers are of one shape. Whoever searches looks among the shapes, of
-- which there are few, and finds the entries by an index of shape and time.
create extension if not exists pg_trgm;

create function log_shape_text(text text) returns text language sql immutable parallel safe
  return regexp_replace(text, '[0-9]+', '#', 'g');

-- What a shape leaves out: the numbers.
create function log_numbers(text text) returns text language sql immutable parallel safe
  return regexp_replace(text, '[^0-9]+', ' ', 'g');

-- The same for the same shape in every database, so that nobody has to ask for its number first.
create function log_shape_id(channel text, source text, event_id bigint, level smallint, text text) returns bigint
  language sql immutable parallel safe
  return ('x' || left(md5(jsonb_build_array(channel, source, event_id, level, text)::text), 16))::bit(64)::bigint;

create table log_shape (
  id bigint primary key,
  channel text not null,
  source text not null,
  event_id bigint,
  level smallint not null,
  -- The entry's, with # for each run of digits.
  text text not null,
  -- When an entry of it last came, to the day.
  seen_on date not null
);
create index log_shape_text on log_shape using gin (text gin_trgm_ops);

-- Fields that its log keeps beside the text; null: none.
alter table log_event add column shape bigint, add column fields jsonb;
update log_event set shape = log_shape_id(channel, source, event_id, level, log_shape_text(text));
insert into log_shape
select distinct on (shape) shape, channel, source, event_id, level, log_shape_text(text), at::date
from log_event order by shape, at desc;
alter table log_event alter column shape set not null;
create index log_event_shape on log_event (shape, at) include (device_id);
create index log_event_at on log_event (at);
create index log_event_numbers on log_event using gin (log_numbers(text) gin_trgm_ops);

create or replace view past.log_event as select * from public.log_event where at <= past.now();
