-- How many entries a device's log got in each hour, by the entries' own times: what a board shows of a day, without
-- counting the log for every reader. Kept up to date in the transaction of the report.
create table log_hour (
  device_id int not null,
  -- Hours since 1970.
  hour int not null,
  entries int not null,
  errors int not null,
  primary key (device_id, hour)
);
create index log_hour_hour on log_hour (hour);
insert into log_hour
select device_id, floor(extract(epoch from at) / 3600)::int, count(*), count(*) filter (where level <= 3)
from log_event where at > now() - interval '26 hours' group by 1, 2;
