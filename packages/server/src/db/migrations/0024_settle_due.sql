-- Devices whose alerts have still to follow a large change: their version was raised with it, so reports go by it
-- already; what is open or held on them is looked at in batches afterwards.
create table settle_due (
  device_id int primary key references device on delete cascade,
  -- The moment as of which they are looked at.
  at timestamptz not null,
  -- Since when it waits; one that could not be looked at waits anew.
  since timestamptz not null default now()
);
create index settle_due_since on settle_due (since, device_id);
