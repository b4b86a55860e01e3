import { get } from 'node:http'
import type { AddressInfo } from 'node:net'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import type { BoardPage, DevicePage, Found, LiveEvent, PolicyGrid, SeriesPage, Watchline } from '#contract'
import { hour, minute } from '#core'
import { migrate, rows } from '../db'
import { assignFromLibrary, openHouse, type Agent, type House } from '../testing/house'
import { pointWidth } from '../store/series'

let house: House
let agent: Agent
beforeAll(async () => {
  house = await openHouse()
  await assignFromLibrary(house, 'Base server')
  agent = await house.enrol(house.sites[0], 'tm-board-1', { roles: ['web'] })
  await agent.send([
    agent.report(1, {
      readings: [
        ['cpu.busy', '', 0.2],
        ['disk.size', '/', 100e9],
        ['disk.free', '/', 60e9],
      ],
      facts: {
        updates: {
          security: 2,
          other: 1,
          leftover: 0,
          oldestSecurityAt: agent.at(0),
          oldestOtherAt: agent.at(0),
          restartPending: false,
          checkedAt: agent.at(0),
          names: [],
        },
        services: [{ name: 'orders', title: '', start: 'automatic', state: 'stopped' }],
      },
      events: [
        {
          at: agent.at(1),
          channel: 'syslog',
          source: 'kernel',
          id: null,
          level: 'error',
          text: 'I/O error 100 % sure',
        },
        { at: agent.at(1), channel: 'syslog', source: 'cron', id: 3, level: 'informational', text: 'ran' },
      ],
    }),
    agent.report(2, {
      readings: [
        ['cpu.busy', '', 0.6],
        ['disk.size', '/', 100e9],
        ['disk.free', '/', 4e9],
      ],
    }),
    agent.report(3, {
      readings: [
        ['cpu.busy', '', 0.4],
        ['disk.size', '/', 100e9],
        ['disk.free', '/', 4e9],
      ],
      failed: [{ collector: 'updates', reason: 'apt is locked' }],
    }),
  ])
})
afterAll(() => house.close())

describe('the board', () => {
  it('compares what the last report and the open alerts say', async () => {
    const [device] = (await house.lead<BoardPage>('GET', '/api/devices?order=name')).body.devices
    expect(device).toMatchObject({
      name: 'tm-board-1',
      worst: 'critical',
      disks: [{ mount: '/', size: 100e9, free: 4e9 }],
      services: [{ name: 'orders', severity: 'critical', held: false }],
      updates: { security: 2, other: 1 },
    })
    expect(device!.events).toHaveLength(24)
    expect(device!.events.reduce((a, b) => a + b)).toBe(2)
    expect(device!.errors.reduce((a, b) => a + b)).toBe(1)
  })
  it('counts the log by the hour as the log itself does, also of what came late or was too old', async () => {
    const own = await house.enrol(house.sites[0], 'tm-counted')
    const now = Date.now()
    const entry = (ago: number, level: 'error' | 'critical' | 'informational') => ({
      at: now - ago * minute,
      channel: 'syslog',
      source: 'kernel',
      id: null,
      level,
      text: `${ago}`,
    })
    await own.send([
      own.report(0, {
        at: now - minute,
        events: [entry(5, 'error'), entry(6, 'informational'), entry(70, 'critical')],
      }),
    ])
    await own.send([
      own.report(0, { at: now, events: [entry(5, 'error'), entry(3 * 60, 'error'), entry(40 * 60, 'error')] }),
    ])
    const board = (await house.lead<BoardPage>('GET', '/api/devices')).body.devices.find(({ id }) => id === own.id)!
    const { rows: counted } = await house.pool.query<{ hour: number; entries: number; errors: number }>(
      `select floor(extract(epoch from at) / 3600)::int as hour, count(*)::int as entries,
         (count(*) filter (where level <= 3))::int as errors
       from log_event where device_id = $1 and at > now() - interval '23 hours' group by 1 order by 1`,
      [own.id],
    )
    const last = Math.floor(Date.now() / (60 * minute))
    const fromLog = (of: 'entries' | 'errors') =>
      Array.from({ length: 24 }, (_, i) => counted.find(({ hour }) => hour === last - 23 + i)?.[of] ?? 0)
    expect([board.events, board.errors]).toEqual([fromLog('entries'), fromLog('errors')])
    expect(board.events.reduce((a, b) => a + b)).toBe(5)
    await house.technician('POST', `/api/devices/${own.id}/retire`)
  })
  it('and the page of a device what was not collected, and why', async () => {
    expect((await house.lead<DevicePage>('GET', `/api/devices/${agent.id}`)).body).toMatchObject({
      failed: [{ collector: 'updates', reason: 'apt is locked' }],
      zone: 'Europe/Lisbon',
      lostReports: 0,
    })
  })
  it('knows nothing of a device that is not there', async () => {
    for (const path of ['', '/roster', '/alerts', '/windows'])
      expect((await house.lead('GET', `/api/devices/999${path}`)).status).toBe(404)
    expect((await house.lead('GET', '/api/devices/nonsense')).status).toBe(404)
  })
})

describe('series', () => {
  it('come back as they went in', async () => {
    const { body } = await house.lead<SeriesPage>(
      'GET',
      `/api/devices/${agent.id}/series?from=${agent.at(0)}&until=${agent.at(10)}&metrics=cpu.busy,disk.free`,
    )
    expect(body.series.map((series) => [series.metric, series.instance])).toEqual([
      ['cpu.busy', ''],
      ['disk.free', '/'],
    ])
    expect(body.series[0]!.summary).toMatchObject({ count: 3, min: 0.2, max: 0.6 })
    expect(body.series[0]!.summary!.mean).toBeCloseTo(0.4)
  })
  it('refuse a metric that is not there, and a span without end', async () => {
    expect(
      (await house.lead('GET', `/api/devices/${agent.id}/series?from=1&until=2&metrics=cpu.bzy`)).body.detail,
    ).toContain('“cpu.bzy”')
    expect((await house.lead('GET', `/api/devices/${agent.id}/series?from=5&until=2&metrics=cpu.busy`)).status).toBe(
      400,
    )
    expect(
      (await house.lead('GET', `/api/devices/${agent.id}/series?from=0&until=${Date.now()}&metrics=cpu.busy`)).body
        .detail,
    ).toContain('six years')
  })
  it('are cut into at most as many points as asked for', () => {
    for (const span of [minute, hour, 24 * hour, 31 * 24 * hour, 5 * 366 * 24 * hour])
      expect(span / pointWidth(span, 400)).toBeLessThanOrEqual(400)
  })
})

describe('the finder', () => {
  it('finds by part of a name, and takes signs of a pattern as they are', async () => {
    const find = async (words: string) =>
      (await house.lead<Found[]>('GET', `/api/find?q=${encodeURIComponent(words)}`)).body.map((hit) => hit.kind)
    expect(await find('BOARD')).toEqual(['device'])
    expect(await find('orders')).toEqual(['alert'])
    expect(await find('base')).toEqual(['template'])
    expect(await find('%')).toEqual([])
    expect(await find("'; drop table device; --")).toEqual([])
  })
})

describe('the watchline', () => {
  it('has a lane for each client, with alerts where they began and windows to come', async () => {
    await house.lead('POST', '/api/windows', {
      name: 'tonight',
      reason: '',
      target: { on: 'site', siteId: house.sites[1] },
      subject: { of: 'all' },
      from: Date.now() + hour,
      until: Date.now() + 2 * hour,
    })
    const { lanes } = (await house.lead<Watchline>('GET', '/api/watchline')).body
    expect(lanes.map((lane) => [lane.clientName, lane.ticks.length, lane.spans.length])).toEqual([
      ['Brindle Bakeries', 0, 1],
      ['Tidemill Ferries', 1, 0],
    ])
    expect(lanes[1]!.ticks[0]).toMatchObject({ at: agent.at(1), severity: 'critical', deviceName: 'tm-board-1' })
    expect((await house.contact<Watchline>('GET', '/api/watchline')).body.lanes.map((lane) => lane.clientName)).toEqual(
      ['Brindle Bakeries'],
    )
    const tidemill = (await house.lead<Watchline>('GET', `/api/watchline?client=${house.clients[0]}`)).body
    expect([tidemill.clients, tidemill.lanes.map((lane) => [lane.clientName, lane.ticks.length])]).toEqual([
      1,
      [['Tidemill Ferries', 1]],
    ])
  })

  it('folds many alerts into columns that count every one', async () => {
    const before = (await house.lead<Watchline>('GET', '/api/watchline')).body
    const began = Date.now() - 5 * hour
    await house.pool.query(
      `insert into alert (device_id, client_id, watch, instance, severity, status, began, raised_at, closed_at,
         close_reason, rule)
       select $1, $2, 'many', i::text, 'warning', 'closed', $3::timestamptz, $3, $3::timestamptz + interval '1 hour',
         'cleared', '{"name":"many"}' from generate_series(1, 2100) i`,
      [agent.id, house.clients[0], new Date(began)],
    )
    const { lanes, crowd } = (await house.lead<Watchline>('GET', '/api/watchline')).body
    const standing = (at: number) => crowd!.steps.find((step) => step.at <= at && at < step.at + crowd!.width)!
    expect([lanes, standing(began).warning, standing(began + hour).warning]).toEqual([[], 2100, 2100])
    expect(standing(began + hour + crowd!.width).warning).toBe(0)
    expect(crowd!.steps.at(-1)!.critical).toBe(1)
    expect(crowd!.spans).toEqual(before.lanes.flatMap((lane) => lane.spans))
    // Another client has none of it, and keeps its lane.
    expect((await house.contact<Watchline>('GET', '/api/watchline')).body).toMatchObject({
      crowd: null,
      lanes: [{ clientName: 'Brindle Bakeries' }],
    })
    await house.pool.query(`delete from alert where watch = 'many'`)
  })
})

describe('the watchline with many windows', () => {
  it('says how many it does not tell', async () => {
    const before = (await house.lead<Watchline>('GET', '/api/watchline')).body.lanes.flatMap((lane) => lane.spans)
    for (let i = 0; i < 302; i++)
      await house.lead('POST', '/api/windows', {
        name: `Night ${i}`,
        reason: '',
        target: { on: 'site', siteId: house.sites[1] },
        subject: { of: 'all' },
        from: Date.now() + 2 * hour,
        until: Date.now() + 3 * hour,
      })
    const { lanes, moreSpans } = (await house.lead<Watchline>('GET', '/api/watchline')).body
    expect([lanes.flatMap((lane) => lane.spans).length, moreSpans]).toEqual([300, 2 + before.length])
  })
})

describe('the grid', () => {
  it('counts devices by role and template', async () => {
    const { cells, roles } = (await house.lead<PolicyGrid>('GET', '/api/policy/grid')).body
    expect(roles).toMatchObject([{ id: 'web', devices: 1 }])
    expect(cells).toMatchObject([{ role: 'web', devices: 1, exceptions: 0, assigned: false }])
  })
})

describe('a new estate', () => {
  it('refuses what cannot be: a zone that is none, a name twice, a template name twice', async () => {
    expect(
      (await house.lead('POST', '/api/sites', { clientId: 1, name: 'Moon', zone: 'Moon/Base' })).body.faults?.[0]?.at,
    ).toBe('zone')
    expect((await house.lead('POST', '/api/clients', { name: 'Tidemill Ferries', code: 'xx' })).status).toBe(409)
    expect(
      (await house.lead('POST', '/api/templates', { name: 'base SERVER', description: '', watches: [] })).status,
    ).toBe(409)
    expect(
      (
        await house.lead('POST', '/api/people', {
          email: 'x@y.example',
          name: 'X',
          password: 'short',
          access: 'lead',
          clientIds: null,
        })
      ).status,
    ).toBe(400)
    expect(
      (
        await house.lead('POST', '/api/people', {
          email: 'x@y.example',
          name: 'X',
          password: 'long enough to do',
          access: 'contact',
          clientIds: null,
        })
      ).body.faults?.[0]?.at,
    ).toBe('clientIds')
  })
  it('leaves a line in the audit trail for what people do', async () => {
    const found = await rows<{ line: string }>(
      house.pool,
      `select action || ' ' || object_kind as line from audit where action <> 'signed in' order by id limit 4`,
    )
    expect(found.map((row) => row.line)).toEqual(['added client', 'added client', 'added site', 'added site'])
  })
  it('may be migrated again without harm', async () => {
    expect(await migrate(house.pool, new URL('../db/migrations', import.meta.url).pathname, Date.now())).toBe(0)
  })
})

describe('the live feed', () => {
  it('tells of a change within moments, and a contact nothing of others', async () => {
    await house.app.listen({ port: 0, host: '127.0.0.1' })
    const { port } = house.app.server.address() as AddressInfo
    const signIn = async (email: string) =>
      String(
        (
          await house.app.inject({
            method: 'POST',
            url: '/api/session',
            payload: { email, password: 'correct horse battery' },
          })
        ).headers['set-cookie'],
      ).split(';')[0]!
    const listen = async (email: string) => {
      const events: LiveEvent[] = []
      const cookie = await signIn(email)
      const close = await new Promise<() => void>((resolve) => {
        const request = get({ port, host: '127.0.0.1', path: '/api/live', headers: { cookie } }, (response) => {
          response.on('data', (chunk: Buffer) => {
            for (const [, json] of chunk.toString().matchAll(/^data: (.*)$/gm))
              events.push(JSON.parse(json!) as LiveEvent)
          })
          response.once('data', () => resolve(() => request.destroy()))
        })
        request.on('error', () => undefined)
      })
      return { events, close }
    }
    const lead = await listen('lead@lanternfield.example')
    const contact = await listen('contact@brindle.example')
    await agent.send([agent.report(4, { facts: { services: [] } }), agent.report(5), agent.report(6)])
    await expect
      .poll(() => lead.events.map((event) => event.topic), { timeout: 5000 })
      .toEqual(expect.arrayContaining(['alerts', 'reports']))
    expect(lead.events.find((event) => event.topic === 'alerts')!.deviceIds).toEqual([agent.id])
    expect(contact.events).toEqual([])
    lead.close()
    contact.close()
  })
})
