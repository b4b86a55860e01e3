import type { Found } from '#contract'
import { rows, type Pool } from '../../db'
import { ofClients, type Viewer } from '../access'

/** Everything with a name that contains the words, at most eight of a kind. Contacts are not shown templates. */
export async function find(pool: Pool, viewer: Viewer, words: string): Promise<Found[]> {
  const pattern = `%${words.replace(/[\\%_]/g, '\\$&')}%`
  const seen = ofClients('c.id', 2)
  const devices = rows<Found>(
    pool,
    `
    select 'device' as kind, d.id, d.name as title, c.name || ' · ' || s.name as context, '/estate/' || d.id as path
    from device d join client c on c.id = d.client_id join site s on s.id = d.site_id
    where d.retired_at is null and d.name ilike $1 and ${seen} order by d.name limit 8`,
    [pattern, viewer.clientIds],
  )
  const alerts = rows<Found>(
    pool,
    `
    select 'alert' as kind, a.id, coalesce(d.name, s.name) || ': ' || coalesce(nullif(a.instance, ''), a.rule->>'name') as title,
    c.name as context, '/rounds?alert=' || a.id as path
    from alert a left join device d on d.id = a.device_id left join site s on s.id = a.site_id
    join client c on c.id = a.client_id
    where a.status <> 'closed' and (a.instance ilike $1 or a.rule->>'name' ilike $1 or s.name ilike $1) and ${seen}
    order by a.raised_at desc limit 8`,
    [pattern, viewer.clientIds],
  )
  const windows = rows<Found>(
    pool,
    `
    select 'window' as kind, w.id, w.name as title, coalesce(c.name, 'every client') as context,
    '/maintenance/' || w.id as path
    from maintenance_window w left join client c on c.id = w.client_id
    where w.name ilike $1 and ${ofClients('w.client_id', 2)} order by w.created_at desc limit 8`,
    [pattern, viewer.clientIds],
  )
  const clients = rows<Found>(
    pool,
    `
    select 'client' as kind, c.id, c.name as title, '' as context, '/estate?client=' || c.id as path
    from client c where c.name ilike $1 and ${seen} order by c.name limit 8`,
    [pattern, viewer.clientIds],
  )
  const templates =
    viewer.access === 'contact'
      ? []
      : rows<Found>(
          pool,
          `
    select 'template' as kind, id, name as title, description as context, '/policy/' || id as path from template
    where name ilike $1 order by name limit 8`,
          [pattern],
        )
  return (await Promise.all([devices, alerts, templates, windows, clients])).flat()
}
