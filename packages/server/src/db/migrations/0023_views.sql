-- How a person looks at a place, kept under a name: what stands in the address behind the question mark.
create table saved_view (
  id int generated always as identity primary key,
  person_id int not null references person on delete cascade,
  place text not null,
  name text not null,
  query text not null,
  created_at timestamptz not null default now(),
  unique (person_id, place, name)
);
