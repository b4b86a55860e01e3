-- Alerts that history says there would have been: over when they are made, and nobody is told of them.
alter table alert drop constraint alert_close_reason;
alter table alert add constraint alert_close_reason
  check (close_reason in ('cleared', 'by-hand', 'unwatched', 'retired', 'merged', 'history'));
create index alert_history on alert (device_id) where close_reason = 'history';
create or replace function callout_is_due_by_entry() returns trigger language plpgsql as $$
begin
  if exists (select from alert where id = new.alert_id and close_reason = 'history') then return null; end if;
  insert into callout_due (alert_id, due_at) values (new.alert_id, now())
  on conflict (alert_id) do update set due_at = least(callout_due.due_at, now()), mark = callout_due.mark + 1;
  return null;
end $$;
alter table history_load add column alerts int not null default 0;
