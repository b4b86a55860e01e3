-- A figure of each series and day, for pages over all devices: in steps of the metric's resolution but for `low` and
-- `high`, between which the 5th and the 95th percentile of any run of days lie. Kept as long as those pages reach.
create table day_figure (
  device_id int not null,
  n int not null,
  day date not null,
  count int not null,
  min float8 not null,
  max float8 not null,
  sum float8 not null,
  low float8 not null,
  high float8 not null,
  primary key (device_id, n, day)
) partition by range (day);

-- Of these devices they are still to be made, from what is summed up of their weeks, by the next
-- round of packing.
create table figure_due (
  device_id int primary key
);
insert into figure_due select device_id from packed_to;
