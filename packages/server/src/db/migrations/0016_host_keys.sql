-- A key that was merely seen is no longer one that passwords are sent to: somebody has to accept it.
alter table host_key rename column fingerprint to seen;
alter table host_key add column accepted text;
alter table host_key add column accepted_at timestamptz;
alter table host_key add column accepted_by int references person;

-- Whoever started it said that passwords may go to machines whose key nobody has accepted.
alter table sweep add column passwords_to_unknown boolean not null default false;
alter table wave_run add column passwords_to_unknown boolean not null default false;
