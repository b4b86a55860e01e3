import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import type {
  ChangeAnswer,
  DevicePage,
  ExportedPolicy,
  Impact,
  PolicyGrid,
  PolicyListing,
  RosterWatch,
  TargetMatches,
  TemplatePage,
  TextTrial,
} from '#contract'
import { day, minute, sentenceText, type PolicyStep, type Target, type TemplateBody } from '#core'
import { assignFromLibrary, openHouse, type Agent, type House } from '../../testing/house'

let house: House
let templateId: number
let web: Agent
let office: Agent
let plant: Agent
beforeAll(async () => {
  house = await openHouse()
  templateId = await assignFromLibrary(house, 'Base server')
  web = await house.enrol(house.sites[0], 'tm-web-1', { roles: ['web'] })
  office = await house.enrol(house.sites[0], 'tm-office-1', { kind: 'workstation' })
  plant = await house.enrol(house.sites[1], 'bb-plant-1', { roles: ['web'] })
  for (const agent of [web, office, plant])
    await agent.send([
      agent.report(1, {
        readings: [
          ['cpu.busy', '', 0.1],
          ['memory.available', '', 5e9],
          ['disk.size', '/', 1e11],
          ['disk.free', '/', 5e10],
        ],
      }),
    ])
})
afterAll(() => house.close())

const change = (...steps: PolicyStep[]) => house.lead<{ ids: number[] }>('POST', '/api/policy/changes', { steps })
const page = async (id = templateId) => (await house.lead<TemplatePage>('GET', `/api/templates/${id}`)).body
const bodyOf = ({ name, description, includes, watches }: TemplatePage): TemplateBody => ({
  name,
  description,
  includes,
  watches,
})
const roster = async (agent: Agent) => (await house.lead<RosterWatch[]>('GET', `/api/devices/${agent.id}/roster`)).body
const matches = async (target: Target, caller = house.lead) =>
  (await caller<TargetMatches>('POST', '/api/targets/matches', { target })).body

describe('a target while it is built', () => {
  it('says its sentence, its faults with their places, and the devices it matches now', async () => {
    const target: Target = {
      on: 'all',
      of: [
        { on: 'role', role: 'web' },
        { on: 'except', of: [{ on: 'site', siteId: house.sites[1] }] },
      ],
    }
    expect(await matches(target)).toMatchObject({
      sentence: 'every web server, except those at Brindle Bakeries · Plant',
      faults: [],
      devices: 1,
      clients: 1,
      sample: [{ deviceName: 'tm-web-1', siteName: 'Harbour' }],
    })
    expect(
      await matches({
        on: 'all',
        of: [
          { on: 'role', role: 'web' },
          { on: 'network', network: '10.0.0.0/99' },
        ],
      }),
    ).toMatchObject({ devices: 0, faults: [{ at: [1], message: expect.stringContaining('CIDR') as string }] })
  })
  it('counts only devices that the viewer may see', async () => {
    await house.lead('POST', '/api/people', {
      email: 'north@lanternfield.example',
      name: 'North',
      password: 'correct horse battery',
      access: 'technician',
      clientIds: [1],
    })
    const cookie = String(
      (
        await house.app.inject({
          method: 'POST',
          url: '/api/session',
          payload: { email: 'north@lanternfield.example', password: 'correct horse battery' },
        })
      ).headers['set-cookie'],
    ).split(';')[0]
    const seen = (path: string, payload: object) =>
      house.app.inject({ method: 'POST', url: path, headers: { cookie }, payload })
    expect((await seen('/api/targets/matches', { target: { on: 'role', role: 'web' } })).json()).toMatchObject({
      devices: 1,
    })
    expect(
      (await seen('/api/targets/matches', { target: { on: 'devices', deviceIds: [web.id, plant.id] } })).json(),
    ).toMatchObject({ devices: 1, sentence: 'tm-web-1 and a device of another client' })
    const edit = {
      steps: [
        {
          of: 'exception',
          id: -1,
          basedOn: 0,
          to: {
            target: { on: 'devices', deviceIds: [plant.id] },
            watch: 'services',
            values: { hold: 1000 },
            leftOut: false,
            reason: 'not mine',
            ownerId: null,
            reviewAt: null,
          },
        },
      ],
    }
    expect((await seen('/api/policy/changes', edit)).statusCode).toBe(404)
  })
  it('follows facts: what a device tells of itself moves its roster with the same report', async () => {
    const { body } = await house.lead<{ id: number }>('POST', '/api/templates', {
      name: 'For caches',
      description: '',
      watches: [
        {
          key: 'cache',
          kind: 'service-state',
          name: 'Cache',
          why: '',
          osFamilies: [],
          values: { which: 'named', names: ['varnish'], hold: 0 },
        },
      ],
    })
    await house.lead('POST', '/api/assignments', {
      templateId: body.id,
      target: { on: 'fact', fact: 'service', pattern: 'varnish' },
    })
    expect((await roster(web)).some((watch) => watch.key === 'cache')).toBe(false)
    await web.send([
      web.report(2, { facts: { services: [{ name: 'varnish', title: '', start: 'automatic', state: 'running' }] } }),
    ])
    expect((await roster(web)).some((watch) => watch.key === 'cache')).toBe(true)
    await web.send([
      web.report(3, { facts: { services: [{ name: 'varnish', title: '', start: 'automatic', state: 'stopped' }] } }),
    ])
    expect(
      (await house.lead<{ watch: string }[]>('GET', `/api/devices/${web.id}/alerts`)).body.map((alert) => alert.watch),
    ).toContain('cache')
    await web.send([web.report(4, { facts: { services: [] } })])
    expect((await roster(web)).some((watch) => watch.key === 'cache')).toBe(false)
  })
})

describe('a change', () => {
  it('shows what it does to each watch as a sentence, and what it costs', async () => {
    const now = await page()
    const to = {
      ...bodyOf(now),
      watches: now.watches.map((watch) =>
        watch.key.startsWith('disk.') ? { ...watch, values: { ...watch.values, every: 5 * minute } } : watch,
      ),
    }
    const impact = await house.technician<Impact>('POST', '/api/policy/impact', {
      steps: [{ of: 'template', id: templateId, basedOn: now.revision, note: '', to }],
    })
    expect(impact.status).toBe(403)
    const { body } = await house.lead<Impact>('POST', '/api/policy/impact', {
      steps: [{ of: 'template', id: templateId, basedOn: now.revision, note: '', to }],
    })
    expect(body).toMatchObject({
      devices: 3,
      clients: 2,
      altered: 9,
      watches: ['disk.inodes', 'disk.read-only', 'disk.space'].map((key) => ({
        key,
        change: 'altered',
        devices: 3,
        parameters: ['every'],
      })),
    })
    expect(sentenceText(body.watches[0]!.after!)).toContain('It looks every 5 min.')
    // Two series of the disk at three devices, once in five minutes instead of each minute.
    const [before, after] = body.cost.readings
    expect(before - after).toBe(3 * 2 * (1440 - 288))
    expect((await page()).revision).toBe(now.revision)
  })
  it('happens as a whole or not at all', async () => {
    const before = (await house.lead<PolicyListing>('GET', '/api/policy')).body
    const answer = await change(
      {
        of: 'template',
        id: -1,
        basedOn: 0,
        note: '',
        to: { name: 'Half', description: '', includes: [], watches: [] },
      },
      {
        of: 'assignment',
        id: -2,
        basedOn: 0,
        to: {
          templateId: -9,
          target: { on: 'everyone' },
          rank: 100,
          values: {},
          dormant: false,
          reason: '',
          reviewAt: null,
        },
      },
    )
    expect([answer.status, answer.body.faults]).toEqual([
      400,
      [{ at: 'steps.1.templateId', message: 'There is no such template (any more).' }],
    ])
    expect((await house.lead<PolicyListing>('GET', '/api/policy')).body.templates).toHaveLength(before.templates.length)
  })
  it('makes a template and what includes it at once; the grid counts both', async () => {
    const { body } = await change(
      {
        of: 'template',
        id: -1,
        basedOn: 0,
        note: '',
        to: {
          name: 'Inner',
          description: '',
          includes: [],
          watches: [{ key: 'inner', kind: 'load', name: 'Inner load', why: '', osFamilies: [], values: {} }],
        },
      },
      {
        of: 'template',
        id: -2,
        basedOn: 0,
        note: '',
        to: { name: 'Outer', description: '', includes: [-1], watches: [] },
      },
      {
        of: 'assignment',
        id: -3,
        basedOn: 0,
        to: {
          templateId: -2,
          target: { on: 'role', role: 'web' },
          rank: 100,
          values: { inner: { warning: 9 } },
          dormant: false,
          reason: '',
          reviewAt: null,
        },
      },
    )
    const [inner, outer, placed] = body.ids as [number, number, number]
    expect((await roster(web)).find((watch) => watch.key === 'inner')).toMatchObject({
      values: { warning: 9 },
      broughtBy: [{ name: 'Inner' }],
    })
    expect((await page(inner)).includedBy).toEqual([{ id: outer, name: 'Outer' }])
    const grid = (await house.lead<PolicyGrid>('GET', '/api/policy/grid')).body
    expect(
      grid.cells
        .filter((cell) => cell.role === 'web' && [inner, outer].includes(cell.templateId))
        .map((cell) => [cell.devices, cell.assigned]),
    ).toEqual([
      [2, false],
      [2, true],
    ])
    expect((await change({ of: 'template', id: inner, basedOn: 1, note: '', to: null })).status).toBe(409)
    await change(
      { of: 'assignment', id: placed, basedOn: 1, to: null },
      { of: 'template', id: outer, basedOn: 1, note: '', to: null },
      { of: 'template', id: inner, basedOn: 1, note: '', to: null },
    )
    expect((await roster(web)).some((watch) => watch.key === 'inner')).toBe(false)
  })
  it('lets an assignment sleep and wakes it', async () => {
    const [assignment] = (await page()).assignments
    const { templateId: of, target, rank, values, reason, reviewAt } = assignment!
    const to = { templateId: of, target, rank, values, reason, reviewAt, dormant: true }
    await change({ of: 'assignment', id: assignment!.id, basedOn: 1, to })
    expect((await roster(web)).find((watch) => watch.key === 'silence')!.standing).toBe('dormant')
    expect((await change({ of: 'assignment', id: assignment!.id, basedOn: 1, to })).body.code).toBe('changed-meanwhile')
    await change({ of: 'assignment', id: assignment!.id, basedOn: 2, to: { ...to, dormant: false } })
    expect((await roster(web)).find((watch) => watch.key === 'silence')!.standing).toBe('active')
  })
  it('leaves a revision that says what changed, and any can be gone back to', async () => {
    const before = await page()
    await change({
      of: 'template',
      id: templateId,
      basedOn: before.revision,
      note: 'shorter',
      to: {
        ...bodyOf(before),
        watches: before.watches
          .filter((watch) => watch.key !== 'load')
          .map((watch) =>
            watch.key === 'services' ? { ...watch, values: { ...watch.values, hold: 2 * minute } } : watch,
          ),
      },
    })
    const [newest, old] = (await page()).revisions
    expect(newest).toMatchObject({
      note: 'shorter',
      savedBy: 'Lead',
      changes: ['Services: Hold 60 s → 2 min', 'Load: removed'],
    })
    await change({ of: 'template', id: templateId, basedOn: newest!.revision, note: 'back', to: old!.body })
    expect((await page()).watches).toEqual(before.watches)
  })
})

describe('exceptions', () => {
  it('have an owner and a day, and those that want a look are told', async () => {
    const to = {
      target: { on: 'devices' as const, deviceIds: [web.id] },
      watch: 'services',
      values: { hold: minute },
      leftOut: false,
      reason: 'as it was',
      ownerId: 1,
      reviewAt: Date.now() - day,
    }
    const { body } = await change({ of: 'exception', id: -1, basedOn: 0, to })
    expect((await house.technician<PolicyListing>('GET', '/api/policy')).body.exceptions).toMatchObject([
      {
        id: body.ids[0],
        targetText: 'tm-web-1',
        watchName: 'Services',
        ownerName: 'Lead',
        deviceCount: 1,
        doubts: ['date passed', 'changes nothing'],
      },
    ])
    expect(
      (await change({ of: 'exception', id: body.ids[0]!, basedOn: 1, to: { ...to, ownerId: 99 } })).body.faults,
    ).toEqual([{ at: 'ownerId', message: 'There is no such person. Choose somebody who answers for it.' }])
    await change({ of: 'exception', id: body.ids[0]!, basedOn: 1, to: null })
  })
  it('are made of a template’s value for the devices of today', async () => {
    expect(
      (
        await house.lead<{ devices: number }>('POST', `/api/templates/${templateId}/keep`, {
          watch: 'silence',
          parameter: 'after',
          reason: 'they restart slowly',
        })
      ).body,
    ).toEqual({ devices: 3 })
    const now = await page()
    await change({
      of: 'template',
      id: templateId,
      basedOn: now.revision,
      note: '',
      to: {
        ...bodyOf(now),
        watches: now.watches.map((watch) =>
          watch.key === 'silence' ? { ...watch, values: { ...watch.values, after: 10 * minute } } : watch,
        ),
      },
    })
    const late = await house.enrol(house.sites[0], 'tm-late-1')
    expect(
      [await roster(web), await roster(late)].map(
        (watches) => watches.find((watch) => watch.key === 'silence')!.values.after,
      ),
    ).toEqual([5 * minute, 10 * minute])
  })
})

describe('what a device would get', () => {
  it('with another role, at another site, without a tag; nothing is saved', async () => {
    await house.lead('POST', '/api/assignments', {
      templateId,
      target: { on: 'site', siteId: house.sites[1] },
      values: { cpu: { warning: 0.5, notice: 0.4 } },
    })
    const ask = async (body: object) =>
      (await house.technician<Impact>('POST', `/api/devices/${web.id}/roster/what-if`, body)).body
    expect((await ask({ siteId: house.sites[1] })).watches).toMatchObject([
      { key: 'cpu', change: 'altered', parameters: ['notice', 'warning'] },
    ])
    expect(await ask({ roles: ['web', 'database'], tags: [] })).toMatchObject({ devices: 0, watches: [] })
    expect((await house.technician('POST', `/api/devices/${web.id}/roster/what-if`, { siteId: 999 })).body.code).toBe(
      'no-such-site',
    )
  })
})

describe('policy as text', () => {
  const text = async () => (await house.lead<ExportedPolicy>('GET', '/api/policy/text')).body.text
  const check = async (of: string) => (await house.lead<TextTrial>('POST', '/api/policy/text/check', { text: of })).body
  it('goes out and in again without a change', async () => {
    expect(await check(await text())).toMatchObject({ faults: [], steps: [], impact: { devices: 0 } })
  })
  it('edited it shows the impact of an edit, applies as a whole, and gives the same text again', async () => {
    const edited = (await text()).replace('hold: 60 s', 'hold: 3 min')
    expect(await check(edited)).toMatchObject({
      faults: [],
      steps: [{ of: 'template', change: 'changed', name: 'Base server', words: ['Services: Hold 60 s → 3 min'] }],
      impact: { devices: 4, altered: 4 },
    })
    expect(
      (await house.lead('POST', '/api/policy/text/apply', { text: edited, note: 'from the repository' })).status,
    ).toBe(200)
    expect((await roster(web)).find((watch) => watch.key === 'services')!.values.hold).toBe(3 * minute)
    expect(await text()).toBe(edited)
    expect((await page()).revisions[0]).toMatchObject({ note: 'from the repository' })
  })
  it('says what is wrong at its line, and nothing of it is applied', async () => {
    const good = await text()
    const lines = good.split('\n')
    const line = lines.findIndex((line) => line.includes('warning.percent: 10 %')) + 1
    const bad = good.replace('warning.percent: 10 %', 'warning.percent: 400 %').replace('hold: 3 min', 'hold: 4 min')
    expect((await check(bad)).faults).toEqual([
      {
        line,
        at: 'templates.0.watches.disk.space.warning.percent',
        message: 'Warning below must lie between 0 % and 100 %; 400 % does not.',
      },
    ])
    const refused = await house.lead('POST', '/api/policy/text/apply', { text: bad })
    expect([refused.status, refused.body.detail]).toEqual([
      400,
      `Line ${line}: Warning below must lie between 0 % and 100 %; 400 % does not.`,
    ])
    expect(await text()).toBe(good)
  })
  it('is bounded as forms are', async () => {
    const good = await text()
    const lineOf = (words: string) => good.split('\n').findIndex((line) => line.includes(words)) + 1
    const much = 'very '.repeat(500)
    expect(
      (await check(good.replace('for: What any', `for: ${much}What any`).replace('name: Silence', `name: ${much}long`)))
        .faults,
    ).toMatchObject([
      {
        line: lineOf('for: What any'),
        at: 'templates.0.for',
        message: expect.stringContaining('2000 characters') as string,
      },
      {
        line: lineOf('name: Silence'),
        at: 'templates.0.watches.silence.name',
        message: expect.stringContaining('100 characters') as string,
      },
    ])
  })
  it.each([
    ['templates: [', 'Flow sequence'],
    ['a: 1\na: 2', 'unique'],
    ['a: &x 1\nb: *x', 'alias'],
    ['"', 'quote'],
  ])('that is no YAML, or more than plain data, is refused: %s', async (broken, words) => {
    const [fault] = (await check(broken)).faults
    expect(fault!.line).toBeGreaterThan(0)
    expect(fault!.message.toLowerCase()).toContain(words.toLowerCase())
  })
  it('is a lead’s', async () => {
    expect((await house.technician('GET', '/api/policy/text')).status).toBe(403)
  })
})

describe('the agent', () => {
  const longPoll = (agent: Agent, roster: string) =>
    house.app.inject({
      method: 'POST',
      url: '/api/agent/changes',
      headers: { authorization: `Bearer ${agent.key}` },
      payload: { roster },
    })
  const told = async (agent: Agent) => (await house.lead<DevicePage>('GET', `/api/devices/${agent.id}`)).body.roster
  it('of version 0.4.0 waits under the address of that time', async () => {
    const waiting = await house.app.inject({
      method: 'POST',
      url: '/api/agent/attend',
      headers: { authorization: `Bearer ${plant.key}` },
      payload: { roster: 'another' },
    })
    expect(waiting.json<ChangeAnswer>()).toMatchObject({ work: false, settings: { deviceName: 'bb-plant-1' } })
  })
  it('that waits is told of another roster at once, and what it says back is the confirmation', async () => {
    const first = (await longPoll(plant, '')).json<ChangeAnswer>().settings.roster
    expect(await told(plant)).toMatchObject({ sentAt: expect.any(Number) as number, confirmedAt: null })
    const waiting = longPoll(plant, first)
    const now = await page()
    await change({
      of: 'template',
      id: templateId,
      basedOn: now.revision,
      note: '',
      to: {
        ...bodyOf(now),
        watches: now.watches.map((watch) =>
          watch.key.startsWith('disk.') ? { ...watch, values: { ...watch.values, every: 2 * minute } } : watch,
        ),
      },
    })
    const { settings, work } = (await waiting).json<ChangeAnswer>()
    expect([settings.every, work, settings.roster === first]).toEqual([{ disks: 2 * minute }, false, false])
    expect(await told(plant)).toMatchObject({ confirmedAt: null })
    await plant.send([plant.report(5, { roster: settings.roster })])
    expect(await told(plant)).toMatchObject({
      sentAt: expect.any(Number) as number,
      confirmedAt: expect.any(Number) as number,
    })
  })
  it('looks again sooner while a check fails and is not confirmed', async () => {
    const now = await page()
    await change({
      of: 'template',
      id: templateId,
      basedOn: now.revision,
      note: '',
      to: {
        ...bodyOf(now),
        watches: now.watches.map((watch) =>
          watch.key === 'cpu' ? { ...watch, values: { ...watch.values, recheck: 15_000 } } : watch,
        ),
      },
    })
    const every = async (minutes: number, busy: number) =>
      (await office.send([office.report(minutes, { readings: [['cpu.busy', '', busy]] })])).body.settings.every
        .performance
    expect([await every(6, 0.1), await every(7, 1), await every(8, 0.1)]).toEqual([undefined, 15_000, undefined])
  })
  it('that lets a collector rest loses nothing by it: the watch waits for its next turn, and the page shows what was read last', async () => {
    const disk = (free: number) => ({
      readings: [
        ['disk.size', '/', 1e11],
        ['disk.free', '/', free],
      ] as [string, string, number][],
    })
    await office.send([office.report(10, disk(1_024_000_000))])
    for (let at = 11; at < 30; at++)
      await office.send([office.report(at, at % 2 ? { rested: ['disks'] } : disk(1_024_000_000))])
    expect(
      (await house.lead<{ watch: string; status: string }[]>('GET', `/api/devices/${office.id}/alerts`)).body,
    ).toMatchObject([{ watch: 'disk.space', status: 'open' }])
    const { latest, disks } = (await house.lead<DevicePage>('GET', `/api/devices/${office.id}`)).body
    expect([latest!.readings.find(([metric]) => metric === 'disk.free'), disks[0]?.free]).toEqual([
      ['disk.free', '/', 1_024_000_000],
      1_024_000_000,
    ])
  })
})

describe('levels in the wrong order', () => {
  it('are refused by every way in: template, assignment, exception and text', async () => {
    const watch = {
      key: 'cpu.order',
      kind: 'cpu-busy',
      name: 'CPU order',
      why: '',
      osFamilies: [],
      values: { notice: null, warning: 0.97, critical: 0.99 },
    }
    const template = (values: object) => ({
      name: `Order ${JSON.stringify(values).length}`,
      description: '',
      includes: [],
      watches: [{ ...watch, values: { ...watch.values, ...values } }],
    })
    expect((await house.lead('POST', '/api/templates', template({ critical: 0.96 }))).body.code).toBe('invalid')
    // Against the default of the kind, too.
    expect(
      (
        await house.lead('POST', '/api/templates', {
          ...template({}),
          watches: [{ ...watch, values: { critical: 0.96 } }],
        })
      ).body.code,
    ).toBe('invalid')
    const { id } = (await house.lead<{ id: number }>('POST', '/api/templates', template({}))).body
    const assignment = { templateId: id, target: { on: 'everyone' }, rank: 100, values: {}, dormant: false, reason: '' }
    expect(
      (await house.lead('POST', '/api/assignments', { ...assignment, values: { 'cpu.order': { critical: 0.96 } } }))
        .body.code,
    ).toBe('invalid')
    const assigned = (await house.lead<{ id: number }>('POST', '/api/assignments', assignment)).body.id
    const agent = await house.enrol(house.sites[0], 'tm-order-1')
    const exception = {
      target: { on: 'devices', deviceIds: [agent.id] },
      watch: 'cpu.order',
      values: { critical: 0.96 },
      leftOut: false,
      reason: 'because',
    }
    const refused = await house.lead('POST', '/api/exceptions', exception)
    expect([refused.status, refused.body.code, refused.body.detail]).toEqual([
      400,
      'invalid',
      expect.stringContaining('make critical (96 %) larger than warning (97 %)'),
    ])
    expect(
      (
        await house.lead('POST', '/api/policy/impact', {
          steps: [{ of: 'exception', id: -1, basedOn: 0, to: { ...exception, ownerId: null, reviewAt: null } }],
        })
      ).status,
    ).toBe(400)
    // An exception that stands keeps a template from overtaking it.
    const made = (
      await house.lead<{ id: number }>('POST', '/api/exceptions', { ...exception, values: { critical: 0.98 } })
    ).body.id
    const overtaking = await house.lead('POST', '/api/policy/changes', {
      steps: [{ of: 'template', id, basedOn: 1, note: '', to: template({ warning: 0.985 }) }],
    })
    expect([overtaking.status, overtaking.body.detail]).toEqual([
      400,
      expect.stringContaining('The more urgent level is reached before the milder one'),
    ])
    for (const path of [`/api/exceptions/${made}`, `/api/assignments/${assigned}`]) await house.lead('DELETE', path)
  })
})
