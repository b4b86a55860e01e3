import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import type { AlertView, BoardPage, Client } from '#contract'
import { assignFromLibrary, newKey, openHouse, type Agent, type House } from '../testing/house'

let house: House
let theirs: Agent
let ours: Agent
let routes: { method: 'GET' | 'POST' | 'PUT' | 'DELETE'; url: string; access: string }[]
let ids: Record<string, number>

beforeAll(async () => {
  house = await openHouse()
  const templateId = await assignFromLibrary(house, 'Base server')
  theirs = await house.enrol(house.sites[0], 'tm-secret-1')
  ours = await house.enrol(house.sites[1], 'bb-open-1')
  const stopped = {
    facts: { services: [{ name: 'orders', title: '', start: 'automatic' as const, state: 'stopped' as const }] },
  }
  await theirs.send([theirs.report(1, stopped), theirs.report(2), theirs.report(3)])
  const [alert] = (await house.lead<AlertView[]>('GET', `/api/devices/${theirs.id}/alerts`)).body
  const windowId = (
    await house.lead<{ id: number }>('POST', '/api/windows', {
      name: 'w',
      reason: '',
      target: { on: 'devices', deviceIds: [theirs.id] },
      subject: { of: 'all' },
      from: null,
      until: null,
    })
  ).body.id
  const exceptionId = (
    await house.lead<{ id: number }>('POST', '/api/exceptions', {
      target: { on: 'devices', deviceIds: [theirs.id] },
      watch: 'services',
      values: { hold: 1000 },
      leftOut: false,
      reason: 'test',
    })
  ).body.id
  ids = {
    devices: theirs.id,
    alerts: alert!.id,
    windows: windowId,
    exceptions: exceptionId,
    templates: templateId,
    assignments: templateId + 1,
    'enrolment-keys': 1,
  }
  const described = (
    await house.nobody<{ paths: Record<string, Record<string, { description: string }>> }>('GET', '/api/openapi.json')
  ).body
  routes = Object.entries(described.paths).flatMap(([url, methods]) =>
    Object.entries(methods).map(([method, { description }]) => ({
      method: method.toUpperCase() as 'GET',
      url: url.replace(/\/([\w-]+)\/\{id\}/, (_, kind: string) => `/${kind}/${ids[kind] ?? 1}`),
      access: /For: (.+)\./.exec(description)![1]!,
    })),
  )
})
afterAll(() => house.close())

const harmless = new Set([
  '/api/session',
  '/api/openapi.json',
  '/api/agent/enrol',
  '/agent/install.sh',
  '/agent/install.ps1',
  '/agent/ca.pem',
  '/agent/{file}',
  '/agent/releases/{version}/{file}',
  '/agent/releases/{version}/{file}/statement',
  '/agent/release-keys',
  '/healthz',
  '/api/session/ways',
  '/api/session/provider',
  '/api/session/provider/callback',
  '/api/session/forgotten',
  '/api/invitations/look',
  '/api/invitations/take',
  '/metrics',
  // For whoever has the secret address of a feed; tried in calendar.test.ts.
  '/calendar/{secret}',
])

describe('every route', () => {
  it('is found by this test: as many as the server has registered', () => {
    const tree = house.app.printRoutes({ commonPrefix: false })
    const registered = [...tree.matchAll(/\(([A-Z, ]+)\)/g)]
      .flatMap((match) => match[1]!.split(', '))
      .filter((method) => method !== 'HEAD').length
    expect(routes.length).toBe(registered)
    expect(routes.length).toBeGreaterThan(35)
  })
  it('refuses whoever is not signed in', async () => {
    for (const { method, url, access } of routes) {
      if (access === 'public') {
        expect(harmless.has(url)).toBe(true)
        continue
      }
      const { status, body, type } = await house.nobody(method, url, method === 'GET' ? undefined : {})
      expect([method, url, status]).toEqual([method, url, 401])
      expect(type).toContain('application/problem+json')
      expect(body.detail.length).toBeGreaterThan(10)
    }
  })
  const inOrder = {
    '/series': '?from=1&until=2&metrics=cpu.busy',
    '/series.csv': '?from=1&until=2&metrics=cpu.busy',
    '/readings': '?from=1&until=2&metric=cpu.busy',
    '/processes': '?from=1&until=2',
    '/marks': '?from=1&until=2&metric=cpu.busy',
    '/usual': '?metric=cpu.busy',
    '/rhythm': '?metric=cpu.busy',
    '/rhythm-hours': '?metric=cpu.busy&first=32&last=34',
    '/changed': '?at=1',
    '/why': '?watch=services',
  }
  it('refuses another client’s contact what is not theirs, in so many words or by silence', async () => {
    for (const { method, url, access } of routes) {
      // Signing out would end the session that this test walks with.
      if (
        access === 'public' ||
        access === 'device' ||
        url === '/api/live' ||
        (url === '/api/session' && method === 'DELETE')
      )
        continue
      // With a query that is in order, so that it is the device and not the query that is refused.
      const { status, body } = await house.contact(
        method,
        `${url}${Object.entries(inOrder).find(([end]) => url.endsWith(end))?.[1] ?? ''}`,
        method === 'GET' ? undefined : {},
      )
      const text = JSON.stringify(body)
      expect([url, text.includes('tm-secret-1'), text.includes('Tidemill')]).toEqual([url, false, false])
      if (/\/\d+(\/|$)/.test(url)) expect([url, [403, 404].includes(status)]).toEqual([url, true])
      else if (access !== 'contact') expect([url, status]).toEqual([url, 403])
    }
  })
  it('refuses a device key where a person is meant', async () => {
    for (const { method, url, access } of routes) {
      if (access === 'public' || access === 'device') continue
      const response = await house.app.inject({ method, url, headers: { authorization: `Bearer ${ours.key}` } })
      expect([url, response.statusCode]).toEqual([url, 401])
    }
  })
  it('refuses whoever was deactivated, with the session that they had', async () => {
    const { id, ask } = await house.personWith('lead', null)
    expect((await ask('GET', '/api/session')).status).toBe(200)
    await house.lead('PUT', `/api/people/${id}`, { active: false })
    for (const { method, url, access } of routes) {
      if (access === 'public' || access === 'device') continue
      expect([method, url, (await ask(method, url, method === 'GET' ? undefined : {})).status]).toEqual([
        method,
        url,
        401,
      ])
    }
  })
  it('refuses another device’s key for this device, wherever devices speak', async () => {
    const secret = ours.key.split('.')[2]
    const spoken = routes.filter((route) => route.access === 'device')
    expect(spoken.length).toBeGreaterThanOrEqual(5)
    const bodies: Record<string, object> = {
      '/api/agent/reports': { version: 1, sentAt: Date.now(), oldest: 1, reports: [theirs.report(9)] },
      '/api/agent/probes': { probes: [{}] },
      '/api/agent/changes': { roster: '' },
      '/api/agent/attend': { roster: '' },
      '/api/agent/tasks/1': { service: { state: 'done', before: '', after: '', reason: '', hopeless: false } },
    }
    for (const { method, url } of spoken) {
      const response = await house.app.inject({
        method,
        url,
        headers: { authorization: `Bearer cdk.${theirs.id}.${secret}` },
        ...(method === 'GET' ? {} : { payload: bodies[url] ?? {} }),
      })
      expect([url, response.statusCode]).toEqual([url, 401])
    }
    theirs.seq--
  })
})

describe('a contact', () => {
  it('sees their own estate and nobody else’s', async () => {
    expect(
      (await house.contact<BoardPage>('GET', '/api/devices?order=name')).body.devices.map((device) => device.name),
    ).toEqual(['bb-open-1'])
    expect((await house.contact<Client[]>('GET', '/api/clients')).body.map((client) => client.name)).toEqual([
      'Brindle Bakeries',
    ])
    expect((await house.contact<unknown[]>('GET', '/api/find?q=tm-')).body).toEqual([])
  })
})

describe('a session', () => {
  it('is refused from another site’s page', async () => {
    for (const headers of [{ 'sec-fetch-site': 'cross-site' }, { origin: 'https://elsewhere.example' }] as Record<
      string,
      string
    >[]) {
      const response = await house.app.inject({
        method: 'POST',
        url: '/api/session',
        headers,
        payload: { email: 'x', password: 'y' },
      })
      expect(response.statusCode).toBe(403)
    }
  })
  it('lives in a cookie that scripts cannot read and other sites cannot send', async () => {
    const response = await house.app.inject({
      method: 'POST',
      url: '/api/session',
      payload: { email: 'LEAD@lanternfield.example', password: 'correct horse battery' },
    })
    expect(String(response.headers['set-cookie'])).toMatch(/HttpOnly.*SameSite=Strict/)
  })
  it('is not to be guessed: after ten failures the account waits', async () => {
    const guess = (password: string) =>
      house.nobody('POST', '/api/session', { email: 'tech@lanternfield.example', password })
    for (let i = 0; i < 10; i++) expect((await guess(`wrong ${i}`)).status).toBe(401)
    const { status, body } = await guess('correct horse battery')
    expect([status, body.code]).toEqual([429, 'too-many-attempts'])
  })
  it('leaves no secret readable in the database', async () => {
    const dump = JSON.stringify([
      (await house.pool.query('select * from session')).rows,
      (await house.pool.query('select * from person')).rows,
      (await house.pool.query('select * from device')).rows,
    ])
    expect(dump.includes('correct horse battery')).toBe(false)
    expect(dump.includes(ours.key.split('.')[2]!)).toBe(false)
  })
})

describe('an enrolment key', () => {
  it('works as often as it says, and a name is taken in any letter case', async () => {
    const { body: key } = await house.technician<{ key: string }>('POST', '/api/enrolment-keys', newKey(house.sites[0]))
    const enrol = (name: string, secret = key.key) =>
      house.nobody('POST', '/api/agent/enrol', {
        version: 1,
        key: secret,
        name,
        osFamily: 'linux',
        osName: '',
        sentAt: Date.now(),
      })
    expect((await enrol('TM-Secret-1')).body.code).toBe('name-in-use')
    expect((await enrol('tm-new-1')).status).toBe(200)
    expect((await enrol('tm-new-2')).body.code).toBe('enrolment-key-refused')
    expect((await enrol('tm-new-3', 'nonsense')).body.code).toBe('enrolment-key-refused')
  })
})
