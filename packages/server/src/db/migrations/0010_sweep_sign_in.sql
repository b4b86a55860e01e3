-- Sign-ins that a sweep tries in order, and what came of them.
alter table sweep add column credential_ids int[] not null default '{}';
alter table sweep_plan add column credential_ids int[] not null default '{}';
alter table sweep_host add column signed_in jsonb;
