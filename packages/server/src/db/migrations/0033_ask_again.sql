-- Somebody had the agent read everything anew.
alter table alert_entry drop constraint alert_entry_event;
alter table alert_entry add constraint alert_entry_event check (event in ('raised', 'raised-after-maintenance',
  'severity-changed', 'closed', 'taken', 'given-back', 'note', 'asked', 'asked-again', 'attempted', 'handed-over',
  'declined', 'hidden', 'shown', 'reopened', 'well', 'failed-again', 'promised'));
