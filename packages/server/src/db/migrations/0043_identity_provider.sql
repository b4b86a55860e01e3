-- Sign-in by the company's own identity provider (OpenID Connect Core 1.0); one row at most.
create table identity_provider (
  one boolean primary key default true check (one),
  name text not null,
  issuer text not null,
  client_id text not null,
  -- Sealed; null: a public client, by PKCE alone.
  client_secret bytea,
  scopes text not null,
  groups_claim text not null,
  -- What members of a group may do, the first that fits: [{"group", "access", "clientIds"}].
  rules jsonb not null,
  is_on boolean not null
);
-- Who they are at the provider. Whoever came in by it has the rights of their groups, anew each time; somebody who was
-- here before keeps what a lead gave them.
alter table person
  add column provider_issuer text,
  add column provider_subject text,
  add column is_of_provider boolean not null default false;
create unique index person_provider on person (provider_issuer, provider_subject) where provider_subject is not null;
-- Whoever the provider has let in has shown it what it asks for; the house asks for no second factor of its own.
alter table session add column by_provider boolean not null default false;
-- Somebody is at the provider; bound to their browser by a cookie.
create table provider_attempt (
  state text primary key,
  browser_digest bytea not null,
  nonce text not null,
  verifier text not null,
  goes_to text not null,
  expires_at timestamptz not null
);
