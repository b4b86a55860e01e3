-- An alert is handed to a person with a word, who takes it, passes it on or declines; it can be hidden until a time.
-- One that was closed by hand and fails again soon opens again, with its notes.
alter table alert
  add column offered_to int references person,
  add column offered_by int references person,
  add column offered_word text not null default '',
  add column hidden_until timestamptz,
  add constraint alert_offer check ((offered_to is null) = (offered_by is null));
create index alert_hidden on alert (hidden_until) where hidden_until is not null;
alter table alert_entry drop constraint alert_entry_event;
alter table alert_entry add constraint alert_entry_event check (event in ('raised', 'raised-after-maintenance',
  'severity-changed', 'closed', 'taken', 'given-back', 'note', 'asked', 'attempted', 'handed-over', 'declined',
  'hidden', 'shown', 'reopened'));
