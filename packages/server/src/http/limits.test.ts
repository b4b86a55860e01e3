import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import type { CoveragePage, GapDevice } from '#contract'
import { firstRow, rows } from '../db'
import { allTraits } from '../features/estate'
import { impactOf } from '../features/policy/change'
import type { Caller, House } from '../testing/house'
import {
  assignment,
  attempts,
  exception,
  key,
  openTwoClients,
  person,
  rule,
  target,
  theirs,
  window,
  type Method,
  type TwoClients,
} from '../testing/twoClients'

// Whoever is limited to some clients, and everything that another client has, on every route.
let all: TwoClients
let house: House
let id: TwoClients['id']
let limited: TwoClients['limited']
beforeAll(async () => {
  all = await openTwoClients()
  ;({ house, id, limited } = all)
}, 360_000)
afterAll(() => all.close())

/** One’s own, or of nobody: there is nothing of another client in it. */
const impersonal = new Set([
  'POST /api/rounds/looked',
  'POST /api/views',
  // A limited lead is refused; tried beside the routes.
  'PUT /api/storage',
  'PUT /api/archives',
  'DELETE /api/views/{id}',
  'POST /api/notices/seen',
  'POST /api/machine-lists',
  // What they answer is said for each alert and each entry; act.test.ts and calendar.test.ts try them.
  'POST /api/alerts/acts',
  'POST /api/calendar',
  'POST /api/calendar/preview',
  'DELETE /api/session',
  // One’s own; that nobody ends another’s is tried beside them.
  'DELETE /api/sessions',
  'DELETE /api/sessions/{id}',
  'POST /api/second-factor',
  'PUT /api/second-factor',
  'POST /api/second-factor/end',
  'PUT /api/session/name',
  'PUT /api/session/password',
  'PUT /api/session/reach',
  // tokens.test.ts tries it with another client.
  'POST /api/tokens',
])
const ofNobody = [
  // Nothing has begun together three times here; companions.test.ts tries it.
  '/api/alerts/{id}/companions',
  // Only times; that another client's are refused is tried beside it.
  '/api/lanes/free',
  '/api/devices/{id}/changed',
  '/api/devices/{id}/readings',
  '/api/devices/{id}/rhythm',
  // Nothing has been read for weeks here; usual.test.ts tries it.
  '/api/devices/{id}/usual',
  '/api/devices/{id}/series',
  '/api/devices/{id}/series.csv',
  // Nothing is summed up here; looked.test.ts tries them.
  '/api/estate/filling',
  '/api/estate/series',
  // Numbers of everything, for a lead of all.
  '/api/first-steps',
  '/api/health',
  '/api/health/troubles',
  '/api/house-policy',
  '/api/house-policy/provider',
  '/api/notices',
  // Packed; ends.test.ts reads it.
  '/api/clients/{id}/data',
  // Addresses of the house, and of its processes.
  '/api/inbox',
  // Only a time.
  '/api/past',
  '/api/policy/grid',
  '/api/roles',
  '/api/rounds/count',
  '/api/second-factor',
  '/api/session',
  '/api/session/reach',
  '/api/sessions',
  '/api/archives',
  '/api/storage',
  '/api/templates',
  '/api/tokens',
  '/api/update-runs',
  // Names of logs and numbers; eventlog.test.ts tries it.
  '/api/log/volume',
  // Only numbers; updates.test.ts tries it.
  '/api/updates/backlog',
  '/api/views',
  // Names of the house’s own.
  '/api/webhooks',
].sort()
const queries: Record<string, () => string> = {
  '/api/devices/{id}/series': () => `?from=1&until=2&metrics=cpu.busy`,
  '/api/devices/{id}/series.csv': () => `?from=1&until=2&metrics=cpu.busy`,
  '/api/devices/{id}/readings': () => `?from=1&until=2&metric=cpu.busy`,
  '/api/devices/{id}/processes': () => `?from=${Date.now() - 86_400_000}&until=${Date.now() + 1000}`,
  '/api/devices/{id}/marks': () => `?from=${Date.now() - 86_400_000}&until=${Date.now() + 1000}&metric=cpu.busy`,
  '/api/devices/{id}/usual': () => '?metric=cpu.busy',
  '/api/devices/{id}/rhythm': () => '?metric=cpu.busy',
  '/api/devices/{id}/rhythm-hours': () => '?metric=cpu.busy&first=0&last=168',
  '/api/devices/{id}/changed': () => '?at=1',
  '/api/devices/{id}/why': () => '?watch=services',
  '/api/estate/series': () => '?metric=cpu.busy',
  '/api/find': () => '?q=tidemill',
  '/api/services/devices': () => '?name=nginx',
  '/api/updates/devices': () => '?name=tm-orders-update',
  '/api/device-rows': () => `?ids=${id.device!}`,
  '/api/views': () => '?place=estate',
  '/api/alert-rows': () => `?ids=${id.alert!}`,
  '/api/rounds/part': () => '?group=todo',
  '/api/lanes/free': () => `?client=${id.one!}&from=${id.start! - 86_400_000}&until=${id.start! + 86_400_000}`,
  '/api/windows/{id}/uncovered': () => `?occurrence=${id.occurrence!}`,
  '/api/lanes': () => `?from=${id.start! - 86_400_000}&until=${id.start! + 86_400_000}`,
  '/api/agent-versions/devices': () => '?behind=none',
  '/api/request-files/{id}': () => '?n=0',
  '/api/clients/{id}/merge': () => `?into=${id.two!}`,
}

const idOf: Record<string, () => number> = {
  clients: () => id.one!,
  devices: () => id.device!,
  alerts: () => id.alert!,
  windows: () => id.window!,
  'enrolment-keys': () => id.key!,
  sweeps: () => id.sweep!,
  'wave-runs': () => id.run!,
  'update-runs': () => id.updates!,
  templates: () => id.template!,
  requests: () => id.request!,
  'request-files': () => id.requestMail!,
}

async function everyRoute(): Promise<{ method: Method; url: string; access: string; hasPast: boolean }[]> {
  const { paths } = (
    await house.nobody<{
      paths: Record<string, Record<string, { description: string; parameters?: { in: string }[] }>>
    }>('GET', '/api/openapi.json')
  ).body
  return Object.entries(paths)
    .flatMap(([url, methods]) =>
      Object.entries(methods).map(([method, { description, parameters = [] }]) => ({
        method: method.toUpperCase() as Method,
        url,
        access: /For: (.+)\./.exec(description)![1]!,
        hasPast: parameters.some((parameter) => parameter.in === 'header'),
      })),
    )
    .filter(({ access }) => access !== 'public' && access !== 'device')
}

/** All that is in the database, but for what a sign-in leaves. */
async function everything(): Promise<string> {
  const tables = await rows<{ name: string }>(
    house.pool,
    `select c.oid::regclass::text as name from pg_class c join pg_namespace n on n.oid = c.relnamespace
     where n.nspname = 'public' and c.relkind in ('r', 'p') and not c.relispartition
     and c.relname not in ('session', 'sign_in_attempt', 'hearing') order by 1`,
  )
  const parts = await Promise.all(
    tables.map(
      async ({ name }) =>
        `${name} ${(await firstRow<{ digest: string | null }>(house.pool, `select md5(string_agg(t::text, '|' order by t::text)) as digest from ${name} t`))!.digest}`,
    ),
  )
  return parts.join('\n')
}

describe('whoever is limited to some clients', () => {
  it('reads nothing of the others: by number it is not there, and no list has a word of it, while a lead of all has each', async () => {
    const unseen: string[] = []
    for (const { method, url } of await everyRoute()) {
      if (method !== 'GET' || url === '/api/live') continue
      const path =
        url.replace(/\/([\w-]+)\/\{id\}/, (_, kind: string) => `/${kind}/${idOf[kind]!()}`) + (queries[url]?.() ?? '')
      const seen = await house.lead(method, path)
      expect([path, seen.status]).toEqual([path, 200])
      if (!theirs.test(JSON.stringify(seen.body))) unseen.push(url)
      for (const [who, { ask }] of Object.entries(limited)) {
        const { status, body } = await ask(method, path)
        expect([who, path, theirs.exec(JSON.stringify(body))?.[0] ?? null]).toEqual([who, path, null])
        if (url.includes('{id}') && !url.startsWith('/api/templates/'))
          expect([who, path, [403, 404].includes(status)]).toEqual([who, path, true])
      }
    }
    // Nothing in these speaks of a client, whoever asks; in all others the lead has seen what the limited have not.
    expect(unseen.sort()).toEqual(ofNobody)
  })

  it('reads nothing of the others as of a time that is over, where a lead of all does', async () => {
    const asOf = { 'accept-datetime': new Date().toISOString() }
    const past = (await everyRoute()).filter(({ hasPast }) => hasPast)
    expect(past.length).toBeGreaterThan(15)
    for (const { method, url } of past) {
      const path =
        url.replace(/\/([\w-]+)\/\{id\}/, (_, kind: string) => `/${kind}/${idOf[kind]!()}`) + (queries[url]?.() ?? '')
      const seen = await house.lead(method, path, undefined, asOf)
      expect([path, seen.status, theirs.test(JSON.stringify(seen.body))]).toEqual([path, 200, !ofNobody.includes(url)])
      for (const [who, { ask }] of Object.entries(limited)) {
        const { status, body } = await ask(method, path, undefined, asOf)
        expect([who, path, theirs.exec(JSON.stringify(body))?.[0] ?? null]).toEqual([who, path, null])
        if (url.includes('{id}')) expect([who, path, [403, 404].includes(status)]).toEqual([who, path, true])
      }
    }
  })

  it('reads nothing of the others in what is their own either', async () => {
    for (const path of [
      `/api/windows/${id.ownWindow}/record`,
      `/api/update-runs/${id.mixedUpdates}`,
      `/api/enrolment-keys/${id.ownKey}`,
      `/api/devices/${id.own}/windows`,
    ]) {
      expect([path, theirs.test(JSON.stringify((await house.lead('GET', path)).body))]).toEqual([path, true])
      const { status, body } = await limited.technician.ask('GET', path)
      expect([path, status, theirs.exec(JSON.stringify(body))?.[0] ?? null]).toEqual([path, 200, null])
    }
    const rules = (await limited.technician.ask<{ reason: string; devices: number }[]>('GET', '/api/collect-rules'))
      .body
    expect(rules.map((listed) => [listed.reason, listed.devices])).toEqual([['for both', 1]])
    const runs = (await limited.technician.ask<{ id: number; total: number }[]>('GET', '/api/update-runs')).body
    expect(runs.map((run) => [run.id, run.total])).toEqual([[id.mixedUpdates, 1]])
  })

  it('changes nothing of the others, and adds nothing that reaches them; nothing at all is written', async () => {
    const before = await everything()
    for (const { method, url, body } of attempts(all)) {
      for (const [who, { ask }] of Object.entries(limited)) {
        const answer = await ask(method, url, body ?? {})
        expect([who, method, url, answer.status >= 400 && answer.status < 500]).toEqual([who, method, url, true])
        expect([who, url, theirs.exec(JSON.stringify(answer.body))?.[0] ?? null]).toEqual([who, url, null])
      }
    }
    expect(await everything()).toBe(before)
  }, 180_000)

  it('finds no device by a target that reaches them', async () => {
    for (const { ask } of [limited.lead, limited.technician]) {
      const { body } = await ask<{ devices: number; sample: unknown[] }>('POST', '/api/targets/matches', {
        target: { on: 'client', clientId: id.one },
      })
      expect([body.devices, body.sample]).toEqual([0, []])
    }
  })

  it('finds no device by what it misses', async () => {
    const page = (await house.lead<CoveragePage>('GET', `/api/coverage?client=${id.one}`)).body
    const gaps = page.groups
      .flatMap((group) => group.gaps)
      .map(({ need, instance, uncollected, unwatched, trouble }) => ({
        need,
        instance,
        uncollected,
        unwatched,
        trouble,
      }))
    const found = async (ask: Caller, clientId: number | null) =>
      (await ask<GapDevice[]>('POST', '/api/coverage/devices', { gaps, clientId, deviceId: null })).body.map(
        (device) => device.id,
      )
    expect(await found(house.lead, null)).toContain(id.device)
    for (const { ask } of [limited.lead, limited.technician]) {
      expect(await found(ask, id.one!)).toEqual([])
      expect(await found(ask, null)).not.toContain(id.device)
    }
  })

  it('gets the same answer for what is another’s as for what does not exist', async () => {
    const nowhere = 2_000_000_000
    const own = [`/api/devices/${id.own}`, `/api/people/${limited.contact.id}`, `/api/windows/${id.ownWindow}`]
    const requests: [Method, string, unknown, unknown][] = attempts(all)
      .filter(({ url }) => /\/\d+/.test(url) && !own.some((path) => `${url}/`.startsWith(`${path}/`)))
      .map(({ method, url, body = {} }) => [method, url, body, body])
    const ofSite = (body: object): [unknown, unknown] => [
      { ...body, siteId: id.site },
      { ...body, siteId: nowhere },
    ]
    requests.push(
      ['POST', `/api/devices/${id.own}/roster/what-if`, ...ofSite({ tags: [] })],
      ['POST', '/api/enrolment-keys', ...ofSite(key(id.ownSite!, null))],
      ['GET', `/api/sites/${id.site}/host-keys`, undefined, undefined],
      ['PUT', `/api/devices/${id.own}`, ...ofSite({})],
    )
    const compared: string[] = []
    for (const [method, url, theirBody, noBody] of requests) {
      const ofNothing = /[=/]\d+/.test(url) && theirBody === noBody ? url.replace(/([=/])\d+/, `$1${nowhere}`) : url
      for (const [who, { ask }] of Object.entries(limited)) {
        const [foreign, absent] = [await ask(method, url, theirBody), await ask(method, ofNothing, noBody)]
        expect([who, method, url, foreign.status, foreign.body]).toEqual([who, method, url, absent.status, absent.body])
        if (foreign.status === 404) compared.push(foreign.body.code!)
      }
    }
    expect(new Set(compared).size).toBeGreaterThan(10)
  })

  it('sees a window for all only where it reaches a device of theirs', async () => {
    const spans = async (ask: Caller) =>
      (await ask<{ lanes: { spans: { name: string }[] }[] }>('GET', '/api/watchline')).body.lanes.flatMap((lane) =>
        lane.spans.map((span) => span.name),
      )
    expect(await spans(limited.technician.ask)).toEqual(['Both clients', 'Window for all', 'Brindle window'])
    expect(
      (
        await limited.contact.ask<{ windows: { name: string }[] }>('GET', `/api/devices/${id.own}/windows`)
      ).body.windows.map((machine) => machine.name),
    ).toEqual(['Brindle window', 'Window for all', 'Both clients'])
  })

  it('may do the same for their own clients', async () => {
    const { lead, technician } = limited
    const good: [Caller, Method, string, unknown][] = [
      [technician.ask, 'POST', '/api/windows', window(target(id.own!))],
      [technician.ask, 'POST', '/api/exceptions', exception(target(id.own!))],
      [technician.ask, 'POST', '/api/enrolment-keys', key(id.ownSite!, null)],
      [lead.ask, 'POST', '/api/sites', { clientId: id.two, name: 'Depot', zone: 'Europe/Vienna', networks: [] }],
      [lead.ask, 'POST', '/api/standing-rules', rule(id.two!, 'Ours')],
      [lead.ask, 'POST', '/api/assignments', assignment(id.template!, { on: 'client', clientId: id.two })],
      [lead.ask, 'POST', '/api/people', person([id.two!])],
    ]
    for (const [ask, method, url, body] of good)
      expect([url, (await ask(method, url, body)).status]).toEqual([url, 200])
    expect((await lead.ask<{ name: string }[]>('GET', '/api/standing-rules')).body.map((rule) => rule.name)).toEqual([
      'Ours',
    ])
  })

  it('is told nothing of what a change does at others, whoever worked it out', async () => {
    const [theirDevice, own] = await Promise.all(
      [id.device!, id.own!].map(
        async (device) => (await allTraits(house.pool, [{ on: 'devices', deviceIds: [device] }], [device]))[0]!,
      ),
    )
    const told = await impactOf(
      house.pool,
      [theirDevice!, own!].map((device) => ({ device, changes: [], before: [], after: [] })),
      [id.two!],
    )
    expect([told.devices, told.examples.map((example) => example.deviceId)]).toEqual([1, [id.own]])
  })

  it('is tried on every route that changes something; each attempt succeeds, or fails for its own reasons, for a lead of all', async () => {
    const tried = new Set(
      attempts(all).map(({ method, url }) => `${method} ${url.replace(/\/\d+/, '/{id}').replace(/\/\d+$/, '/{n}')}`),
    )
    const left = (await everyRoute())
      .map(({ method, url }) => `${method} ${url}`)
      .filter((route) => !route.startsWith('GET ') && !tried.has(route) && !impersonal.has(route))
    // These are questions; they are asked above.
    expect(left.sort()).toEqual(['POST /api/coverage/devices', 'POST /api/targets/matches'])
    await house.pool.query(`update device set heard_at = now() where id = $1`, [id.device])
    for (const { method, url, body, unlimited = 200 } of attempts(all)) {
      const answer = await house.lead(method, url, body ?? {})
      expect([method, url, answer.status, answer.status === unlimited ? '' : answer.body.detail]).toEqual([
        method,
        url,
        unlimited,
        '',
      ])
    }
  })

  it('has what is theirs told also where others have more of it than is told at all', async () => {
    // More of another client’s alerts, and newer ones, than the watchline tells one by one.
    await house.pool.query(
      `
      insert into alert (device_id, client_id, watch, instance, severity, status, began, raised_at, closed_at,
      close_reason, rule)
      select $1, $2, 'tm-crowd', i::text, 'notice', 'closed', now(), now(), now(), 'cleared', '{"name":"tm-crowd"}'
      from generate_series(1, 2100) i`,
      [id.device, id.one],
    )
    await house.pool.query(
      `
      insert into alert (device_id, client_id, watch, instance, severity, status, began, raised_at, closed_at,
      close_reason, rule)
      values ($1, $2, 'own', '', 'notice', 'closed', now() - interval '1 hour', now() - interval '1 hour', now(),
      'cleared', '{"name":"Ours"}')`,
      [id.own, id.two],
    )
    const { lanes } = (
      await limited.technician.ask<{ lanes: { ticks: { title: string }[] }[] }>('GET', '/api/watchline')
    ).body
    expect(lanes.flatMap((lane) => lane.ticks.map((tick) => tick.title))).toContain('Ours')
  })
})
