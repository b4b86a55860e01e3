-- How long each kind of data is kept, where somebody has said so; without a row the default of the kind counts.
create table retention (
  kind text primary key,
  days int not null check (days between 1 and 36500)
);

-- How large each kind was on a day, so that its growth can be told.
create table storage_sample (
  day date not null,
  kind text not null,
  bytes bigint not null,
  primary key (kind, day)
);
