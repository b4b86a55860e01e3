import { afterAll, beforeAll, describe, expect, it, vi } from 'vitest'
import type { AlertPage, AlertView, HeldView, Impact, Rounds, RosterWatch, TemplatePage, WindowPage } from '#contract'
import { hour, minute, type Service } from '#core'
import { firstRow } from '../db'
import { assignFromLibrary, openHouse, type Agent, type House } from '../testing/house'
import { hearingSince, silenceRound } from './silence'
import { advanceWindows } from './windows'

let house: House
let templateId: number
let count = 0
beforeAll(async () => {
  house = await openHouse()
  templateId = await assignFromLibrary(house, 'Base server')
})
afterAll(() => house.close())

const device = () => house.enrol(house.sites[0], `tm-loop-${++count}`)
const orders = (state: Service['state']) => ({
  facts: { services: [{ name: 'orders', title: 'orders', start: 'automatic', state } as Service] },
})
const alertsOf = async (agent: Agent) => (await house.lead<AlertView[]>('GET', `/api/devices/${agent.id}/alerts`)).body
const windowFor = async (agent: Agent, from: number | null, until: number | null) =>
  (
    await house.lead<{ id: number }>('POST', '/api/windows', {
      name: 'w',
      reason: '',
      target: { on: 'devices', deviceIds: [agent.id] },
      subject: { of: 'all' },
      from,
      until,
    })
  ).body.id

/** As if server processes had been there without a break from then on. */
const heardSince = (at: number) =>
  house.pool.query(
    'insert into hearing (since, last) values ($1, now()) on conflict (id) do update set since = $1, last = now()',
    [new Date(at)],
  )

describe('from a report to an alert', () => {
  it('a stopped service raises after its hold, is taken, and closes by itself after its clear time', async () => {
    const agent = await device()
    await agent.send([agent.report(1, orders('running')), agent.report(2, orders('stopped'))])
    expect(await alertsOf(agent)).toEqual([])
    await agent.send([agent.report(3)])
    const [alert] = await alertsOf(agent)
    expect(alert).toMatchObject({
      instance: 'orders',
      severity: 'critical',
      status: 'open',
      began: agent.at(2),
      raisedAt: agent.at(3),
    })
    expect(alert!.rule.sources[0]).toMatchObject({ from: 'template', id: templateId, revision: 1 })
    expect((await house.technician<AlertPage>('POST', `/api/alerts/${alert!.id}/take`)).body).toMatchObject({
      status: 'taken',
      takenBy: 'Tech',
    })
    await agent.send([agent.report(4, orders('running')), agent.report(5)])
    expect((await alertsOf(agent))[0]).toMatchObject({ status: 'closed', closeReason: 'cleared' })
  })
  it('late reports of a whole episode leave the same alerts as reports in time', async () => {
    const agent = await device()
    await agent.send([
      agent.report(1, orders('stopped')),
      agent.report(2),
      agent.report(3, orders('running')),
      agent.report(4),
      agent.report(5, orders('stopped')),
      agent.report(6),
    ])
    expect((await alertsOf(agent)).map((alert) => [alert.status, alert.began])).toEqual([
      ['open', agent.at(5)],
      ['closed', agent.at(1)],
    ])
  })
  it('closed by hand it stays closed until the service was well', async () => {
    const agent = await device()
    await agent.send([agent.report(1, orders('stopped')), agent.report(2)])
    const [alert] = await alertsOf(agent)
    await house.technician('POST', `/api/alerts/${alert!.id}/close`, { reason: 'known, new part is ordered' })
    await agent.send([agent.report(3), agent.report(4)])
    expect((await alertsOf(agent)).filter((candidate) => candidate.status !== 'closed')).toEqual([])
    expect((await house.technician('POST', `/api/alerts/${alert!.id}/take`)).body.code).toBe('already-closed')
    await agent.send([
      agent.report(5, orders('running')),
      agent.report(6),
      agent.report(7, orders('stopped')),
      agent.report(8),
    ])
    expect((await alertsOf(agent)).filter((candidate) => candidate.status === 'open')).toHaveLength(1)
  })
  it('a silent device is one alert that began when it was last heard, and a start of the server gives it time', async () => {
    const agent = await device()
    await agent.send([agent.report(30)])
    const { heard_at: heard } = (await firstRow<{ heard_at: number }>(
      house.pool,
      `update device set heard_at = now() - interval '10 minutes' where id = $1 returning heard_at`,
      [agent.id],
    ))!
    await heardSince(Date.now() - minute)
    const round = silenceRound(house.pool)
    expect(await round(Date.now())).toBe(0)
    await heardSince(heard)
    await round(Date.now())
    await round(Date.now())
    expect(await alertsOf(agent)).toMatchObject([{ watch: 'silence', status: 'open', began: heard }])
    await agent.send([agent.report(0, { at: Date.now() })])
    expect(await alertsOf(agent)).toMatchObject([{ status: 'closed', closeReason: 'cleared' }])
  })
  it('a device that may be silent, such as a workstation at night, is never raised, until its policy says otherwise', async () => {
    const agent = await device()
    await heardSince(Date.now() - hour)
    const round = silenceRound(house.pool)
    const leave = await house.lead<{ id: number }>('POST', '/api/exceptions', {
      target: { on: 'devices', deviceIds: [agent.id] },
      watch: 'silence',
      values: {},
      leftOut: true,
      reason: 'switched off at night',
    })
    await agent.send([agent.report(30)])
    await house.pool.query(`update device set heard_at = now() - interval '10 minutes' where id = $1`, [agent.id])
    await round(Date.now())
    await round(Date.now())
    expect(await alertsOf(agent)).toEqual([])
    await house.lead('DELETE', `/api/exceptions/${leave.body.id}`)
    await round(Date.now())
    await round(Date.now() + minute)
    expect(await alertsOf(agent)).toMatchObject([{ watch: 'silence', status: 'open' }])
  })
})

describe('windows that end at the same moment', () => {
  it('end each by itself: one that fails keeps no other from ending, and is tried again', async () => {
    const windowFor = async (agent: Agent) =>
      (
        await house.technician<{ id: number }>('POST', '/api/windows', {
          name: `Work on ${agent.id}`,
          reason: '',
          target: { on: 'devices', deviceIds: [agent.id] },
          subject: { of: 'all' },
          from: Date.now() - hour,
          until: Date.now() + minute,
        })
      ).body.id
    const [bad, good] = [await windowFor(await device()), await windowFor(await device())]
    await advanceWindows(house.pool, Date.now())
    await house.pool.query(
      `alter table window_occurrence add constraint odd check (window_id <> ${bad} or not over) not valid`,
    )
    await expect(advanceWindows(house.pool, Date.now() + 2 * minute)).rejects.toThrow('1 of 2 failed')
    await house.pool.query('alter table window_occurrence drop constraint odd')
    const { over } = (await firstRow<{ over: boolean }>(
      house.pool,
      'select over from window_occurrence where window_id = $1',
      [good],
    ))!
    expect([over, await advanceWindows(house.pool, Date.now() + 2 * minute)]).toEqual([true, 1])
  })
})

describe('silence', () => {
  const openOf = async (agent: Agent) =>
    (await alertsOf(agent))
      .filter((alert) => alert.status !== 'closed')
      .map((alert) => alert.watch)
      .sort()
  it('of a device with two watches raises each in its time, however often it is looked at', async () => {
    const later = {
      key: 'silence.later',
      kind: 'silence',
      name: 'Silent for long',
      why: '',
      osFamilies: [],
      values: { after: 20 * minute, severity: 'warning' },
    }
    const { id } = (
      await house.lead<{ id: number }>('POST', '/api/templates', {
        name: 'Later',
        description: '',
        includes: [],
        watches: [later],
      })
    ).body
    const agent = await device()
    await house.lead('POST', '/api/assignments', {
      templateId: id,
      target: { on: 'devices', deviceIds: [agent.id] },
      rank: 100,
      values: {},
      dormant: false,
      reason: '',
    })
    await agent.send([agent.report(30)])
    const heard = Date.now()
    await house.pool.query('update device set heard_at = $2 where id = $1', [agent.id, new Date(heard)])
    await heardSince(heard - hour)
    const round = silenceRound(house.pool)
    // Rounds go on all the time: each says that somebody listens.
    const until = async (minutes: number) => {
      await house.pool.query('update hearing set last = $1', [new Date(heard + minutes * minute)])
      await round(heard + minutes * minute)
    }
    await until(4)
    expect(await openOf(agent)).toEqual([])
    for (const minutes of [6, 6.1, 10]) await until(minutes)
    expect(await openOf(agent)).toEqual(['silence'])
    for (const minutes of [21, 21.1]) await until(minutes)
    expect(await openOf(agent)).toEqual(['silence', 'silence.later'])
  })
  it('is none while nobody could be heard: after an outage of the database every device has its time anew', async () => {
    const agent = await device()
    await agent.send([agent.report(30)])
    const heard = Date.now()
    await house.pool.query('update device set heard_at = $2 where id = $1', [agent.id, new Date(heard)])
    await heardSince(heard - hour)
    await house.pool.query('update hearing set last = $1', [new Date(heard)])
    const round = silenceRound(house.pool)
    // The first round after an hour in which no process could look.
    await round(heard + hour)
    expect(await openOf(agent)).toEqual([])
    await house.pool.query('update hearing set last = $1', [new Date(heard + hour + 6 * minute)])
    await round(heard + hour + 6 * minute)
    expect(await openOf(agent)).toEqual(['silence'])
  })
  it('is not put off by a round that lasts long: it says that somebody listens while it goes on', async () => {
    const agent = await device()
    await agent.send([agent.report(30)])
    const now = Date.now()
    await house.pool.query('update device set heard_at = $2 where id = $1', [agent.id, new Date(now - hour)])
    await heardSince(now - 2 * hour)
    await house.pool.query('update hearing set last = $1', [new Date(now - 20_000)])
    const round = silenceRound(house.pool)
    // It began twenty seconds ago, and each look at the clock is two seconds after the one before.
    let seconds = 0
    const clock = vi.spyOn(Date, 'now').mockImplementation(() => now + 2000 * seconds++)
    await round(now - 20_000)
    clock.mockRestore()
    expect(seconds).toBeGreaterThan(1)
    expect(await hearingSince(house.pool, Date.now())).toBe(now - 2 * hour)
  })
})

describe('a watch that becomes one of another kind', () => {
  it('leaves nothing open that it no longer watches', async () => {
    const watch = (kind: string, values: object) => ({
      name: 'Turning',
      description: '',
      includes: [],
      watches: [{ key: 'turning', kind, name: 'Turning', why: '', osFamilies: [], values }],
    })
    const made = await house.lead<{ id: number }>(
      'POST',
      '/api/templates',
      watch('log-match', { text: 'broken', quiet: hour }),
    )
    const agent = await device()
    await house.lead('POST', '/api/assignments', {
      templateId: made.body.id,
      target: { on: 'devices', deviceIds: [agent.id] },
      rank: 100,
      values: {},
      dormant: false,
      reason: '',
    })
    await agent.send([
      agent.report(1),
      agent.report(2, {
        events: [{ at: agent.at(2), channel: 'syslog', source: 'x', id: null, level: 'error', text: 'broken' }],
      }),
    ])
    expect((await alertsOf(agent)).map((alert) => [alert.watch, alert.status])).toEqual([['turning', 'open']])
    await house.lead('POST', '/api/policy/changes', {
      steps: [{ of: 'template', id: made.body.id, basedOn: 1, note: '', to: watch('cpu-busy', { hold: 0 }) }],
    })
    expect(await alertsOf(agent)).toMatchObject([{ status: 'closed', closeReason: 'unwatched' }])
    const { status } = await agent.send([agent.report(3, { readings: [['cpu.busy', '', 0.999]] })])
    expect([
      status,
      (await alertsOf(agent)).filter((alert) => alert.status === 'open').map((alert) => alert.rule.kind),
    ]).toEqual([200, ['cpu-busy']])
  })
})

describe('a device that comes in while policy changes', () => {
  it('follows the new policy with its next report, although the change did not see it', async () => {
    const agent = await device()
    await agent.send([agent.report(1)])
    // As if the change had looked at the devices a moment before this one was there: nobody has raised its version.
    const { body } = await house.lead<{ id: number }>('POST', '/api/templates', {
      name: 'Unseen',
      description: '',
      includes: [],
      watches: [
        {
          key: 'unseen',
          kind: 'cpu-busy',
          name: 'Unseen',
          why: '',
          osFamilies: [],
          values: { notice: null, warning: null, critical: 0.5, hold: 0, clear: 0.4 },
        },
      ],
    })
    const { version } = (await firstRow<{ version: number }>(house.pool, 'select version from device where id = $1', [
      agent.id,
    ]))!
    await house.lead('POST', '/api/assignments', {
      templateId: body.id,
      target: { on: 'devices', deviceIds: [agent.id] },
      rank: 100,
      values: {},
      dormant: false,
      reason: '',
    })
    await house.pool.query('update device set version = $2 where id = $1', [agent.id, version])
    await agent.send([agent.report(2, { readings: [['cpu.busy', '', 0.9]] })])
    expect((await alertsOf(agent)).map((alert) => alert.watch)).toContain('unseen')
  })
})

describe('a maintenance window', () => {
  it('holds what fails in it; at its early end what still fails is raised with its true beginning, the rest stays in the record', async () => {
    const agent = await device()
    await agent.send([agent.report(1, orders('running'))])
    const id = await windowFor(agent, agent.at(2), null)
    const both = (a: Service['state'], b: Service['state']) => ({
      facts: {
        services: [
          { name: 'orders', title: '', start: 'automatic', state: a },
          { name: 'labels', title: '', start: 'automatic', state: b },
        ] as Service[],
      },
    })
    await agent.send([
      agent.report(3, both('stopped', 'stopped')),
      agent.report(4),
      agent.report(5, both('stopped', 'running')),
      agent.report(6),
    ])
    expect(await alertsOf(agent)).toEqual([])
    const record = async () => (await house.lead<HeldView[]>('GET', `/api/windows/${id}/record`)).body
    expect((await record()).map((held) => [held.instance, held.outcome]).sort()).toEqual([
      ['labels', 'cleared'],
      ['orders', null],
    ])
    expect((await house.lead<WindowPage>('GET', `/api/windows/${id}`)).body.endings).toHaveLength(2)
    expect((await house.lead<Rounds>('GET', '/api/rounds')).body.held.rows.map((held) => held.instance)).toContain(
      'orders',
    )
    await house.technician('POST', `/api/windows/${id}/end`)
    expect(await alertsOf(agent)).toMatchObject([
      { instance: 'orders', status: 'open', began: agent.at(3), windowId: id },
    ])
    expect((await record()).find((held) => held.instance === 'orders')).toMatchObject({ outcome: 'raised' })
    // Part by part, the newest first.
    const [newest] = (await house.lead<HeldView[]>('GET', `/api/windows/${id}/record?limit=1`)).body
    const [older] = (await house.lead<HeldView[]>('GET', `/api/windows/${id}/record?limit=1&before=${newest!.id}`)).body
    expect([newest!.instance, older!.instance].sort()).toEqual(['labels', 'orders'])
    expect((await house.lead('GET', `/api/windows/${id}/record?limit=1&before=${older!.id}`)).body).toEqual([])
    expect((await house.technician('POST', `/api/windows/${id}/end`)).body.code).toBe('already-ended')
  })
  it('that ends by itself does the same, once', async () => {
    const agent = await device()
    const end = Date.now() + hour
    const id = await windowFor(agent, agent.at(1), end)
    await agent.send([agent.report(2, orders('stopped')), agent.report(3)])
    await Promise.all([advanceWindows(house.pool, end + 1), advanceWindows(house.pool, end + 1)])
    await advanceWindows(house.pool, end + 1)
    expect(await alertsOf(agent)).toMatchObject([{ status: 'open', began: agent.at(2), raisedAt: end, windowId: id }])
  })
  it('in reports that come late holds by their own time', async () => {
    const agent = await device()
    await windowFor(agent, agent.at(2), agent.at(10))
    await agent.send([
      agent.report(1, orders('running')),
      agent.report(3, orders('stopped')),
      agent.report(4),
      agent.report(6),
      agent.report(8),
      agent.report(11),
    ])
    expect(await alertsOf(agent)).toMatchObject([{ status: 'open', began: agent.at(3), raisedAt: agent.at(11) }])
  })
  it('leaves an alert that was open before it', async () => {
    const agent = await device()
    await agent.send([agent.report(1, orders('stopped')), agent.report(2)])
    await windowFor(agent, null, null)
    await agent.send([agent.report(3)])
    expect(await alertsOf(agent)).toMatchObject([{ status: 'open' }])
  })
  it('with its end before its beginning is refused with what to do', async () => {
    const { status, body } = await house.lead('POST', '/api/windows', {
      name: 'w',
      reason: '',
      target: { on: 'everyone' },
      subject: { of: 'all' },
      from: 2000,
      until: 1000,
    })
    expect([status, body.faults?.[0]?.at]).toEqual([400, 'until'])
  })
})

describe('policy', () => {
  const rosterOf = async (agent: Agent) =>
    (await house.lead<RosterWatch[]>('GET', `/api/devices/${agent.id}/roster`)).body
  it('an edit shows its impact, reaches every device at once, and an exception survives it', async () => {
    const [agent, other] = [await device(), await device()]
    await house.technician('POST', '/api/exceptions', {
      target: { on: 'devices', deviceIds: [other.id] },
      watch: 'services',
      values: { hold: 5 * minute },
      leftOut: false,
      reason: 'starts slowly',
    })
    const page = (await house.lead<TemplatePage>('GET', `/api/templates/${templateId}`)).body
    const watches = page.watches.map((watch) =>
      watch.key === 'services' ? { ...watch, values: { ...watch.values, hold: 2 * minute } } : watch,
    )
    const edit = {
      steps: [
        {
          of: 'template',
          id: templateId,
          basedOn: page.revision,
          note: 'longer',
          to: { name: page.name, description: page.description, includes: [], watches },
        },
      ],
    }
    const impact = (await house.lead<Impact>('POST', '/api/policy/impact', edit)).body
    expect(impact).toMatchObject({ added: 0, removed: 0, altered: impact.devices })
    expect(impact.examples.some((example) => example.deviceId === agent.id)).toBe(true)
    expect(impact.examples.some((example) => example.deviceId === other.id)).toBe(false)
    expect((await house.lead('POST', '/api/policy/changes', edit)).body).toEqual({ ids: [templateId] })
    const holdOf = async (of: Agent) => (await rosterOf(of)).find((watch) => watch.key === 'services')!
    expect((await holdOf(agent)).chains.hold![0]).toMatchObject({
      value: 2 * minute,
      source: { from: 'template', revision: 2 },
    })
    expect((await holdOf(other)).values.hold).toBe(5 * minute)
    await agent.send([agent.report(1, orders('stopped')), agent.report(2)])
    expect(await alertsOf(agent)).toEqual([])
    await agent.send([agent.report(3)])
    expect(await alertsOf(agent)).toHaveLength(1)
    const overtaken = await house.lead('POST', '/api/policy/changes', edit)
    expect([overtaken.status, overtaken.body.code]).toEqual([409, 'changed-meanwhile'])
  })
  it('leaving a watch out closes its alert, and says so', async () => {
    const agent = await device()
    await agent.send([agent.report(1, orders('stopped')), agent.report(2), agent.report(3)])
    await house.technician('POST', '/api/exceptions', {
      target: { on: 'devices', deviceIds: [agent.id] },
      watch: 'services',
      values: {},
      leftOut: true,
      reason: 'test bench',
    })
    expect(await alertsOf(agent)).toMatchObject([{ status: 'closed', closeReason: 'unwatched' }])
  })
  it('a wrong value is refused at its field and nothing is saved', async () => {
    const page = (await house.lead<TemplatePage>('GET', `/api/templates/${templateId}`)).body
    const watches = page.watches.map((watch) =>
      watch.key === 'disk.space' ? { ...watch, values: { ...watch.values, 'warning.percent': 8 } } : watch,
    )
    const answer = await house.lead('POST', '/api/policy/changes', {
      steps: [
        {
          of: 'template',
          id: templateId,
          basedOn: page.revision,
          note: '',
          to: { name: page.name, description: '', includes: [], watches },
        },
      ],
    })
    expect([answer.status, answer.body.faults?.[0]?.at]).toEqual([400, 'disk.space.warning.percent'])
    expect((await house.lead<TemplatePage>('GET', `/api/templates/${templateId}`)).body.revision).toBe(page.revision)
  })
  it('roles change the roster of a device', async () => {
    const agent = await device()
    const { id } = (
      await house.lead<{ id: number }>('POST', '/api/templates', {
        name: 'Web',
        description: '',
        watches: [
          {
            key: 'web',
            kind: 'service-state',
            name: 'Web',
            why: '',
            osFamilies: [],
            values: { which: 'named', names: ['nginx'] },
          },
        ],
      })
    ).body
    await house.lead('POST', '/api/assignments', {
      templateId: id,
      target: { on: 'role', role: 'web' },
      rank: 100,
      values: { web: { hold: 5000 } },
      dormant: false,
      reason: '',
    })
    expect((await rosterOf(agent)).map((watch) => watch.key)).not.toContain('web')
    await house.technician('PUT', `/api/devices/${agent.id}/roles`, { roles: ['web'] })
    expect((await rosterOf(agent)).find((watch) => watch.key === 'web')).toMatchObject({ values: { hold: 5000 } })
    expect((await house.technician('PUT', `/api/devices/${agent.id}/roles`, { roles: ['wbe'] })).body.detail).toContain(
      '“wbe”',
    )
  })
})

describe('two changes at once', () => {
  it('that reach the same devices wait for each other, and both are done', async () => {
    const agents = await Promise.all(Array.from({ length: 8 }, () => device()))
    await Promise.all(agents.map((agent) => agent.send([agent.report(1, orders('stopped'))])))
    for (let round = 0; round < 4; round++) {
      const windows = await Promise.all(
        [0, 1].map((half) =>
          house.lead<{ id: number }>('POST', '/api/windows', {
            name: 'w',
            reason: '',
            target: { on: 'devices', deviceIds: (half ? agents : [...agents].reverse()).map((agent) => agent.id) },
            subject: { of: 'all' },
            from: null,
            until: null,
          }),
        ),
      )
      const answers = await Promise.all([
        ...windows.map((window) => house.lead('POST', `/api/windows/${window.body.id}/end`)),
        house.lead('POST', '/api/exceptions', {
          target: { on: 'everyone' },
          watch: 'services',
          values: { hold: 60_000 + round },
          leftOut: false,
          reason: 'at the same time',
        }),
        ...agents.map((agent) => agent.send([agent.report(2 + round)])),
      ])
      expect(answers.map((answer) => answer.status).filter((status) => status !== 200 && status !== 503)).toEqual([])
    }
  })
})
