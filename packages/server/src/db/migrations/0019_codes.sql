-- How alerts, held records and remediations ended, and what happened to an alert, as codes; the words are made where a
-- person reads them.
update alert set close_reason = case close_reason
  when 'by hand' then 'by-hand' when 'not watched any more' then 'unwatched' else close_reason end
where close_reason in ('by hand', 'not watched any more');
alter table alert add constraint alert_close_reason
  check (close_reason in ('cleared', 'by-hand', 'unwatched', 'retired', 'merged'));

update held set outcome = case outcome
  when 'passed on' then 'passed-on' when 'not watched any more' then 'unwatched' end
where outcome in ('passed on', 'not watched any more');
alter table held add constraint held_outcome
  check (outcome in ('raised', 'cleared', 'passed-on', 'unwatched', 'retired', 'merged'));

update remediation set outcome = 'unwatched' where outcome = 'not watched any more';
alter table remediation add constraint remediation_outcome
  check (outcome in ('raised', 'cleared', 'held', 'unwatched', 'retired', 'merged'));

alter table alert_entry rename column what to event;
alter table alert_entry add column detail jsonb not null default '{}';
update alert_entry set event = 'raised-after-maintenance' where event = 'raised at the end of maintenance';
update alert_entry set event = 'given-back' where event = 'given back';
update alert_entry set event = 'severity-changed',
  detail = jsonb_build_object('from', split_part(event, ' → ', 1), 'to', split_part(event, ' → ', 2))
where event like '% → %';
update alert_entry set detail = jsonb_build_object('reason', case event
    when 'cleared by itself' then 'cleared' when 'closed by hand' then 'by-hand'
    when 'not watched any more' then 'unwatched' else text end),
  text = case event when 'closed' then '' else text end,
  event = 'closed'
where event in ('cleared by itself', 'closed by hand', 'not watched any more', 'closed');
update alert_entry set event = 'asked',
  detail = jsonb_build_object('verb', split_part(event, ' ', 5), 'service', regexp_replace(event, '^(\S+ ){5}', ''))
where event like 'asked its agent to %';
update alert_entry set event = 'attempted',
  detail = jsonb_build_object('succeeded', false,
    'verb', (regexp_match(event, '(start|stop|restart) '))[1],
    'service', regexp_replace(event, '^(its agent tried to|could not) \S+ ', ''))
where event ~ '^(its agent tried to|could not) (start|stop|restart) ';
update alert_entry set event = 'attempted',
  detail = jsonb_build_object('succeeded', true,
    'verb', case (regexp_match(event, '^(?:its agent )?(\w+) '))[1]
      when 'started' then 'start' when 'stopped' then 'stop' else 'restart' end,
    'service', regexp_replace(event, '^(its agent )?\w+ ', ''))
where event ~ '^(its agent )?(started|stopped|restarted) ';
-- What no rule above knows is kept word for word.
update alert_entry set event = 'note', text = case text when '' then event else event || ': ' || text end
where event not in ('raised', 'raised-after-maintenance', 'severity-changed', 'closed', 'taken', 'given-back', 'note',
  'asked', 'attempted');
alter table alert_entry add constraint alert_entry_event check (event in ('raised', 'raised-after-maintenance',
  'severity-changed', 'closed', 'taken', 'given-back', 'note', 'asked', 'attempted'));
