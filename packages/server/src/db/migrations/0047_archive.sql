-- A foreign table may be a partition only where no key is unique over all partitions: each that lies here has its own.
alter table packed drop constraint packed_pkey;
alter table rollup drop constraint rollup_pkey;
do $$
declare
  part text;
begin
  for part in select inhrelid::regclass::text from pg_inherits where inhparent = 'packed'::regclass loop
    execute format('alter table %s add primary key (device_id, n, day)', part);
  end loop;
  for part in select inhrelid::regclass::text from pg_inherits where inhparent = 'rollup'::regclass loop
    execute format('alter table %s add primary key (device_id, n, week)', part);
  end loop;
end
$$;

-- To which other server packed readings and roll-ups go, and after how many days. Without a row they stay.
create table archive_target (
  only_one boolean primary key default true check (only_one),
  server text not null,
  after_days int not null
);
