-- People come and go, and whoever guesses at their passwords is counted before the guess is tried.

alter table person
  -- Deactivated: they cannot sign in, and what they have done keeps their name.
  add column deactivated_at timestamptz;

alter table sign_in_failure rename to sign_in_attempt;
alter index sign_in_failure_recent rename to sign_in_attempt_recent;
alter table sign_in_attempt add column id bigint generated always as identity primary key;
create index session_person on session (person_id);

-- Why a planned sweep does not come again, where its rule cannot be worked out any further.
alter table sweep_plan add column trouble text not null default '';
