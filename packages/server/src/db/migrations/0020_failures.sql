-- Why a machine got no agent, as a code; the words are made where a person reads them.
update wave_machine set failure = replace(failure, ' ', '-') where failure is not null;
alter table wave_machine add constraint wave_machine_failure check (failure in ('no-answer', 'sign-in-refused',
  'host-key-not-accepted', 'host-key-changed', 'unsupported-system', 'disk-full', 'no-rights', 'timed-out',
  'refused-by-the-server', 'something-else'));
