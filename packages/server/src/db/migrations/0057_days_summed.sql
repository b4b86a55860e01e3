-- The last day before a device told nothing for a while was packed, and never summed up: that of each machine that is
-- switched off before the evening. Such days are due again. Figures are kept of 92 days; of days before them nothing
-- says which those are.
insert into pack_due (device_id, day)
select k.device_id, k.day from report_day k join packed_to t on t.device_id = k.device_id
where k.last_at < (k.day + time '21:00') at time zone 'UTC' and k.day < (t.until at time zone 'UTC')::date
  and k.day >= (now() at time zone 'UTC')::date - 92
  and not exists (select from day_figure f where f.device_id = k.device_id and f.day = k.day);
