-- Templates that a template includes; a date at which somebody should look again; the person who answers for an exception.
alter table template_revision add column includes int[] not null default '{}';
alter table assignment_revision add column review_at timestamptz;
alter table exception_revision add column owner_id int references person, add column review_at timestamptz;

-- A view keeps the columns that its table had when it was made.
drop view template;
create view template as
  select * from (select distinct on (id) * from template_revision order by id, revision desc) newest where not removed;
drop view assignment;
create view assignment as
  select * from (select distinct on (id) * from assignment_revision order by id, revision desc) newest where not removed;
drop view exception;
create view exception as
  select * from (select distinct on (id) * from exception_revision order by id, revision desc) newest where not removed;
