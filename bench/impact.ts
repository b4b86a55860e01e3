import pg from 'pg'
import type { Impact, TemplatePage } from '#contract'

export interface ImpactFigures {
  devices: number
  impactMillis: number
  changeMillis: number
}

/**
 * What a person waits for: the impact of an edit, and its saving, over the API, with so many devices in the database
 * that all get the template.
 */
export async function impactOverApi(
  url: string,
  cookie: string,
  templateId: number,
  count: number,
): Promise<ImpactFigures> {
  const database = new pg.Client({ connectionString: process.env.CUSTODE_DATABASE })
  await database.connect()
  // As many as are missing, like the first one there is: rows are quicker than enrolments, and the same afterwards.
  await database.query(
    `
    insert into device (client_id, site_id, name, kind, os_family, os_name, roles, tags, key_digest)
    select d.client_id, d.site_id, 'many-' || n, d.kind, d.os_family, d.os_name, array['web'], '{}', d.key_digest
    from (select * from device order by id limit 1) d,
    generate_series(1, $1 - (select count(*) from device where retired_at is null)) n`,
    [count],
  )
  await database.query('analyze device')
  await database.end()
  const call = async <T>(method: string, path: string, body?: unknown): Promise<T> => {
    const response = await fetch(`${url}${path}`, {
      method,
      headers: { cookie, ...(body ? { 'content-type': 'application/json' } : {}) },
      ...(body ? { body: JSON.stringify(body) } : {}),
    })
    if (!response.ok) throw new Error(`${path}: ${await response.text()}`)
    return (await response.json()) as T
  }
  const { name, description, includes, watches, revision } = await call<TemplatePage>(
    'GET',
    `/api/templates/${templateId}`,
  )
  const step = (hold: number) => ({
    of: 'template',
    id: templateId,
    basedOn: revision,
    note: '',
    to: {
      name,
      description,
      includes,
      watches: watches.map((watch) =>
        watch.key === 'services' ? { ...watch, values: { ...watch.values, hold } } : watch,
      ),
    },
  })
  const times: number[] = []
  let devices = 0
  for (const hold of [61_000, 62_000, 63_000]) {
    const began = performance.now()
    devices = (await call<Impact>('POST', '/api/policy/impact', { steps: [step(hold)] })).devices
    times.push(performance.now() - began)
  }
  const began = performance.now()
  await call('POST', '/api/policy/changes', { steps: [step(64_000)] })
  return { devices, impactMillis: Math.min(...times), changeMillis: performance.now() - began }
}
