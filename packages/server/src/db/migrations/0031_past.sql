-- What devices and sites were: what is overwritten when somebody moves, renames or tags a device, or gives a site other
-- networks, stays known from now on, so that a past decision can be explained by what was true then. A row holds from
-- `since` to the next one of the same device or site. Kept by the database itself, so that no way to change them can
-- forget it.
create table device_past (
  device_id int not null references device,
  since timestamptz not null,
  name text not null,
  client_id int not null,
  site_id int not null,
  kind text not null,
  os_family text not null,
  os_name text not null,
  roles text[] not null,
  tags text[] not null,
  addresses text[] not null,
  is_retired boolean not null,
  primary key (device_id, since)
);
create table site_past (
  site_id int not null references site,
  since timestamptz not null,
  name text not null,
  zone text not null,
  networks text[] not null,
  primary key (site_id, since)
);
create function keep_device_past() returns trigger language plpgsql as $$
begin
  insert into device_past values (new.id, now(), new.name, new.client_id, new.site_id, new.kind, new.os_family,
    new.os_name, new.roles, new.tags, new.addresses, new.retired_at is not null)
  -- Changed twice in one transaction: nobody has seen what was between.
  on conflict (device_id, since) do update set name = excluded.name, client_id = excluded.client_id,
    site_id = excluded.site_id, kind = excluded.kind, os_family = excluded.os_family, os_name = excluded.os_name,
    roles = excluded.roles, tags = excluded.tags, addresses = excluded.addresses, is_retired = excluded.is_retired;
  return null;
end $$;
create function keep_site_past() returns trigger language plpgsql as $$
begin
  insert into site_past values (new.id, now(), new.name, new.zone, new.networks)
  on conflict (site_id, since) do update set name = excluded.name, zone = excluded.zone, networks = excluded.networks;
  return null;
end $$;
create trigger device_enrolled after insert on device for each row execute function keep_device_past();
create trigger device_changed
  after update of name, client_id, site_id, kind, os_family, os_name, roles, tags, addresses, retired_at on device
  for each row when ((old.name, old.client_id, old.site_id, old.kind, old.os_family, old.os_name, old.roles, old.tags,
      old.addresses, old.retired_at is null)
    is distinct from (new.name, new.client_id, new.site_id, new.kind, new.os_family, new.os_name, new.roles, new.tags,
      new.addresses, new.retired_at is null))
  execute function keep_device_past();
create trigger site_made after insert on site for each row execute function keep_site_past();
create trigger site_changed after update of name, zone, networks on site
  for each row when ((old.name, old.zone, old.networks) is distinct from (new.name, new.zone, new.networks))
  execute function keep_site_past();
insert into device_past
  select id, now(), name, client_id, site_id, kind, os_family, os_name, roles, tags, addresses, retired_at is not null
  from device;
insert into site_past select id, now(), name, zone, networks from site;
