-- When the machine was started, by our clock: what the agent says of how long it had been up when it reported.
alter table device add column started_at timestamptz;
