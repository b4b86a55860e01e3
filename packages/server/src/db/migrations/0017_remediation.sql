-- The word of the field for what is done before a person is told.
alter table mending rename to remediation;
alter sequence mending_id_seq rename to remediation_id_seq;
alter index mending_pkey rename to remediation_pkey;
alter index mending_open rename to remediation_open;
alter index mending_due rename to remediation_due;
alter index mending_ended rename to remediation_ended;
alter table response rename column mending_id to remediation_id;
alter index response_mending rename to response_remediation;

-- Why an enrolment was refused, as a code that programs read; the reason says it to people.
alter table enrolment_attempt add column code text not null default ''
  check (code in ('', 'unknown-key', 'used-up', 'expired', 'revoked', 'no-place', 'name-in-use'));
update enrolment_attempt set code = 'unknown-key' where outcome = 'refused' and key_id is null;
