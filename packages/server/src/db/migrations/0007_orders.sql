-- Whether the agent carries out signed orders: those enrolled before there were any, and stand-ins, do not.
alter table device add column takes_orders boolean not null default false;
