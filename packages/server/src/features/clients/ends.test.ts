import { gunzipSync } from 'node:zlib'
import { afterEach, beforeEach, describe, expect, it } from 'vitest'
import type { Client, RosterWatch, MergePreview, RequestPage, RetiredClient } from '#contract'
import { firstRow, rows } from '../../db'
import { newKey } from '../../testing/house'
import { openTwoClients, type TwoClients } from '../../testing/twoClients'

// One of everything at a client, and work for it ends.
let all: TwoClients
let one: number
let two: number
beforeEach(async () => {
  all = await openTwoClients()
  ;[one, two] = all.house.clients
}, 120_000)
afterEach(() => all.close())

const names = async () => (await all.house.lead<Client[]>('GET', '/api/clients')).body.map(({ name }) => name)
const post = (path: string, body: object = {}) => all.house.lead<{ detail?: string }>('POST', path, body)

/** Tables, with the number of rows that are of a client, of its devices, or its sites. */
async function rowsOf(client: number, devices: readonly number[], sites: readonly number[]): Promise<string[]> {
  const columns = await rows<{ t: string; c: string }>(
    all.house.pool,
    `select c.relname as t, a.attname as c from pg_class c join pg_namespace n on n.oid = c.relnamespace
     join pg_attribute a on a.attrelid = c.oid
     where n.nspname = 'public' and c.relkind in ('r', 'p') and not c.relispartition
       and a.attname in ('client_id', 'device_id', 'site_id') and a.atttypid = 'int'::regtype and c.relname <> 'audit'`,
  )
  expect(columns.length).toBeGreaterThan(40)
  const found: string[] = []
  for (const { t, c } of columns) {
    const ids = { client_id: [client], device_id: devices, site_id: sites }[c]
    const row = await firstRow<{ n: number }>(
      all.house.pool,
      `select count(*)::int as n from ${t} where ${c} = any($1)`,
      [ids],
    )
    if (row!.n) found.push(`${t}.${c}`)
  }
  const speaking = await rows<{ t: string }>(
    all.house.pool,
    `select 'person' as t from person where $1 = any(client_ids) union select 'token' from token where $1 = any(client_ids)
     union select 'client' from client where id = $1
     union select 'standing_rule' from standing_rule where removed_at is null and (definition#>>'{when,clientId}')::int = $1`,
    [client],
  )
  return [...found, ...speaking.map(({ t }) => t)].sort()
}

describe('a client that is looked after no more', () => {
  it('is out of use with all its devices: nobody reports, enrols or sweeps there, and nothing is forgotten', async () => {
    await all.house.pool.query(
      `insert into alert (site_id, client_id, watch, instance, severity, status, began, raised_at, rule)
       select $1, $2, 'site', '', 'critical', 'open', now(), now(), rule from alert where id = $3`,
      [all.id.site, one, all.id.alert],
    )
    const alertsBefore = await rows(all.house.pool, 'select from alert where client_id = $1', [one])
    expect((await post(`/api/clients/${one}/retire`)).status).toBe(200)
    expect(await names()).toEqual(['Brindle Bakeries'])
    const { body } = await all.house.lead<RetiredClient[]>('GET', '/api/retired-clients')
    expect(body.map(({ name }) => name)).toEqual(['Tidemill Ferries', 'Tidemill of old'])
    expect((await all.device.send([all.device.report(9)])).status).toBe(401)
    expect(await rows(all.house.pool, `select from alert where client_id = $1 and status <> 'closed'`, [one])).toEqual(
      [],
    )
    expect(await rows(all.house.pool, 'select from alert where client_id = $1', [one])).toHaveLength(
      alertsBefore.length,
    )
    expect(await rows(all.house.pool, 'select from sweep_plan where removed_at is null')).toEqual([])
    // What is told of an alert goes by its entries: each that is over says so there, that of a site, too.
    const unsaid = await rows(
      all.house.pool,
      `select a.id from alert a where a.client_id = $1 and a.close_reason = 'retired' and not exists
         (select from alert_entry e where e.alert_id = a.id and e.event = 'closed')`,
      [one],
    )
    expect(unsaid).toEqual([])
    const site = { clientId: one, name: 'New', zone: 'Europe/Lisbon', networks: [] }
    expect((await post('/api/sites', site)).status).toBe(404)
    expect((await post('/api/enrolment-keys', newKey(all.id.site!))).body).toMatchObject({ code: 'client-out-of-use' })
    expect((await post(`/api/devices/${all.device.id}/bring-back`)).body).toMatchObject({ code: 'client-out-of-use' })
    const moved = await all.house.lead('PUT', `/api/devices/${all.own.id}`, { siteId: all.id.site })
    expect(moved.body.code).toBe('client-out-of-use')
    expect((await post(`/api/clients/${one}/retire`)).status).toBe(400)
    expect((await post(`/api/clients/${one}/restore`)).status).toBe(200)
    expect(await names()).toContain('Tidemill Ferries')
  })

  it('is handed over as a file of open formats, with everything but secrets', async () => {
    const { cookie } = await all.house.personWith('lead', null)
    const answer = await all.house.app.inject({ url: `/api/clients/${one}/data`, headers: { cookie } })
    const both = await Promise.all(
      [1, 2].map(() => all.house.app.inject({ url: `/api/clients/${two}/data`, headers: { cookie } })),
    )
    expect(both.map(({ statusCode }) => statusCode).sort()).toEqual([200, 409])
    expect(answer.headers['content-disposition']).toBe('attachment; filename="custode-tm.jsonl.gz"')
    const text = gunzipSync(answer.rawPayload).toString('utf8')
    const lines = text
      .trim()
      .split('\n')
      .map((line) => JSON.parse(line) as { is: string; name?: string; series?: { metric: string; at: number[] }[] })
    const kinds = new Set(lines.map(({ is }) => is))
    for (const kind of [
      'client',
      'contact',
      'site',
      'device',
      'fact',
      'alert',
      'held',
      'window',
      'request',
      'readings',
    ])
      expect([kind, kinds.has(kind)]).toEqual([kind, true])
    const { n } = (await firstRow<{ n: number }>(
      all.house.pool,
      'select count(*)::int as n from report where device_id = $1',
      [all.device.id],
    ))!
    const told = lines.flatMap(({ series = [] }) => series.filter(({ metric }) => metric === 'cpu.busy'))
    expect(told.reduce((sum, { at }) => sum + at.length, 0)).toBe(n)
    expect(text).not.toMatch(/key_digest|sealed|password_hash|bb-open|Brindle/)
    expect((await all.limited.lead.ask('GET', `/api/clients/${one}/data`)).status).toBe(403)
  })

  it('is deleted to the last row once it is out of use, by its name; the trail stays, and others keep what is theirs', async () => {
    const devices = (
      await rows<{ id: number }>(all.house.pool, 'select id from device where client_id = $1', [one])
    ).map(({ id }) => id)
    const sites = [all.id.site!]
    const remove = (name: string) => post(`/api/clients/${one}/delete`, { name })
    expect((await remove('Tidemill Ferries')).body).toMatchObject({ code: 'still-used' })
    await post(`/api/clients/${one}/retire`)
    expect((await remove('tidemill ferries')).status).toBe(400)
    const trail = (await firstRow<{ n: number }>(
      all.house.pool,
      'select count(*)::int as n from audit where client_id = $1',
      [one],
    ))!.n
    for (const kind of ['digest', 'house'])
      await all.house.pool.query(
        `insert into callout_message (person_id, kind, state, leaves_at, content) values ($1, $2, 'sent', now(), $3)`,
        [
          all.id.theirTechnician,
          kind,
          kind === 'digest' ? '{"mail":{"text":"Tidemill: 3 alerts"}}' : '{"mail":{"text":"-"}}',
        ],
      )
    const theirs = await rowsOf(two, [all.own.id], [all.id.ownSite!])
    expect((await rowsOf(one, devices, sites)).length).toBeGreaterThan(25)
    const removed = await remove('Tidemill Ferries')
    expect([removed.status, removed.body.detail]).toEqual([200, undefined])
    expect(await rowsOf(one, devices, sites)).toEqual([])
    const texts = await rows(all.house.pool, `select from callout_message where content::text ilike '%tidemill%'`)
    expect(texts).toEqual([])
    expect(await rowsOf(two, [all.own.id], [all.id.ownSite!])).toEqual(theirs)
    expect(
      (await firstRow<{ n: number }>(all.house.pool, 'select count(*)::int as n from audit where client_id = $1', [
        one,
      ]))!.n,
    ).toBe(trail + 1)
    expect((await all.own.send([all.own.report(9)])).status).toBe(200)
    for (const path of [
      '/api/rounds',
      '/api/devices',
      '/api/windows',
      '/api/callouts',
      '/api/policy/grid',
      '/api/people',
      '/api/audit',
    ])
      expect([path, (await all.house.lead('GET', path)).status]).toEqual([path, 200])
  })
})

describe('a client that becomes a part of another', () => {
  const merge = (from = one, into = two) => post(`/api/clients/${from}/merge`, { into })

  it('says beforehand what that does', async () => {
    const { body } = await all.house.lead<MergePreview>('GET', `/api/clients/${one}/merge?into=${two}`)
    expect(body).toMatchObject({ sites: 1, devices: 1, clashes: [], rules: 6 })
    expect(body.people).toContain('Tidemill Technician')
  })

  it('gives it all that it has; what was said of it reaches what it reached, and nothing more', async () => {
    const roster = async (device: number) =>
      (await all.house.lead<RosterWatch[]>('GET', `/api/devices/${device}/roster`)).body.map(
        ({ key, values }) => `${key} ${JSON.stringify(values)}`,
      )
    await post('/api/exceptions', {
      target: { on: 'client', clientId: one },
      watch: 'services',
      values: { hold: 240_000 },
      leftOut: false,
      reason: 'theirs',
    })
    await post('/api/callouts', {
      name: 'Their mail',
      rule: {
        about: 'mail',
        target: { on: 'client', clientId: one },
        severities: ['critical'],
        families: null,
        causes: null,
        hours: '',
        outside: 'later',
        tell: [{ to: 'leads' }],
        after: 0,
        again: null,
        escalate: null,
        remindAfter: null,
        sayWell: false,
      },
    })
    const before = [await roster(all.device.id), await roster(all.own.id)]
    const devices = (
      await rows<{ id: number }>(all.house.pool, 'select id from device where client_id = $1', [one])
    ).map(({ id }) => id)
    const answer = await merge()
    expect([answer.status, answer.body.detail]).toEqual([200, undefined])
    expect(await rowsOf(one, [], [])).toEqual([])
    expect(await names()).toEqual(['Brindle Bakeries'])
    expect([await roster(all.device.id), await roster(all.own.id)]).toEqual(before)
    const moved = await rows<{ client_id: number }>(
      all.house.pool,
      'select distinct client_id from device where id = any($1)',
      [devices],
    )
    expect(moved).toEqual([{ client_id: two }])
    // Whoever was limited to one of both sees both; their mail is answered where they are now.
    const { body } = await all.limited.technician.ask<RequestPage>('GET', `/api/requests/${all.id.request}`)
    expect(body).toMatchObject({ subject: 'Tidemill asks', clientName: 'Brindle Bakeries' })
    const sent = await all.device.send([all.device.report(9)])
    expect([sent.status, sent.body.refused]).toEqual([200, []])
    // A window over the client covers its devices, and not those of the other.
    const windows = async (device: number) =>
      (await all.house.lead<{ windows: { name: string }[] }>('GET', `/api/devices/${device}/windows`)).body.windows.map(
        ({ name }) => name,
      )
    expect(await windows(all.device.id)).toContain('Tidemill window')
    expect(await windows(all.own.id)).not.toContain('Tidemill window')
    // A rule about its mail is about the mail of what it is a part of, and not about everybody’s.
    const [mailRule] = await rows<{ client_id: number; target: unknown }>(
      all.house.pool,
      `select client_id, rule->'target' as target from callout_rule where rule->>'about' = 'mail'`,
    )
    expect(mailRule).toEqual({ client_id: two, target: { on: 'client', clientId: two } })
    const callouts = await all.house.lead<{ name: string }[]>('GET', `/api/devices/${all.own.id}/callouts`)
    expect(callouts.body.map(({ name }) => name)).toEqual(['Rule for all'])
    const at = new Date(Date.now() - 1000).toUTCString()
    expect((await all.house.lead('GET', '/api/devices', undefined, { 'accept-datetime': at })).status).toBe(200)
  })

  it('is refused where names would be two of one client’s, with itself, and into what is out of use', async () => {
    await all.house.enrol(all.id.ownSite!, 'TM-Secret-1')
    const answer = await merge()
    expect([answer.status, answer.body.detail]).toEqual([409, expect.stringContaining('tm-secret-1')])
    expect((await merge(one, one)).status).toBe(400)
    expect((await merge(one, all.id.gone!)).status).toBe(400)
    expect((await merge(one, 2_000_000)).status).toBe(404)
    expect(await names()).toContain('Tidemill Ferries')
  })
})
