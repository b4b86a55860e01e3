-- What used a machine most at moments that were worth telling: a row each, in the order in which it is shown, as
-- [[name, share of all processors, bytes of memory, how many], …].
create table process_top (
  device_id int not null,
  at timestamptz not null,
  seq bigint not null,
  took_ms real not null,
  processes json not null,
  primary key (device_id, at, seq)
) partition by range (at);

create view past.process_top as select * from public.process_top where at <= past.now();
