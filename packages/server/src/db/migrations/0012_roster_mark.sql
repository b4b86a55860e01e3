-- Which roster the agent was told last, and which one it said that it works by; by a mark of what is in it.
alter table device
  add column roster_sent text, add column roster_sent_at timestamptz,
  add column roster_confirmed text, add column roster_confirmed_at timestamptz;
