-- Where somebody is signed in, so that they know each of their sessions and can end it.
alter table session
  add column id int generated always as identity unique,
  add column address inet,
  -- What the browser calls itself (RFC 9110, section 10.1.5), its beginning.
  add column browser text not null default '',
  -- When it was used last, as of some minutes.
  add column used_at timestamptz not null default now();
