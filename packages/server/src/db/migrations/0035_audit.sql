-- From where somebody asked for it; null: the server did it by itself, or it was before this was kept.
alter table audit add column address inet;
create index audit_person on audit (person_id, id desc);
create index audit_object on audit (object_kind, object_id, id desc);
create index audit_client on audit (client_id, id desc);

-- What was written stays as it is, whoever asks for it; only what is older than the least that is kept may go.
create function keep_audit() returns trigger language plpgsql as $$
begin
  if tg_op = 'DELETE' and old.at < now() - interval '89 days' then
    return old;
  end if;
  raise exception 'the audit trail is not changed';
end $$;
create trigger audit_stays before update or delete on audit for each row execute function keep_audit();
create function keep_all_audit() returns trigger language plpgsql as $$
begin
  raise exception 'the audit trail is not changed';
end $$;
create trigger audit_is_not_emptied before truncate on audit execute function keep_all_audit();
