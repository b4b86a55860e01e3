import pg from 'pg'
import { afterAll, beforeAll, describe, expect, it, vi } from 'vitest'
import type {
  CollectRuleView,
  CoveragePage,
  Filled,
  GapDevice,
  GapView,
  LiveEvent,
  RemedyPreview,
  RosterWatch,
  TemplateSummary,
  WaiverList,
} from '#contract'
import { sentenceText, type Facts } from '#core'
import { openHouse, type Agent, type House } from '../../../testing/house'

let house: House
let one: Agent
let two: Agent
const system = {
  osFamily: 'linux' as const,
  osName: 'Debian 12',
  hostName: 'h',
  cores: 2,
  agentVersion: '1',
  serviceManager: 'systemd',
  optional: [],
}
const facts = (logs: Facts['logs'] = [{ name: 'nginx/error.log', collected: false }]): Facts => ({
  system,
  logs,
  services: [{ name: 'nginx', title: '', start: 'automatic', state: 'running' }],
})
beforeAll(async () => {
  house = await openHouse()
  one = await house.enrol(house.sites[0], 'tm-gate-1', { roles: ['web'] })
  two = await house.enrol(house.sites[1], 'bb-plant-web', { roles: ['web'] })
  for (const agent of [one, two]) await agent.send([agent.report(1, { facts: facts() })])
})
afterAll(() => house.close())

const page = async (query = ''): Promise<CoveragePage> =>
  (await house.technician<CoveragePage>('GET', `/api/coverage${query}`)).body
const gaps = async (): Promise<GapView[]> => (await page()).groups.flatMap((group) => group.gaps)
const needs = async (): Promise<string[]> =>
  (await gaps()).map((gap) => `${gap.instance}: ${gap.devices.map((device) => device.name).join(' ')}`)
const on = (instance: string, need: string, everywhere: boolean, ...agents: Agent[]) => ({
  gaps: [{ need, instance }],
  everywhere,
  deviceIds: agents.map((agent) => agent.id),
})
const roster = async (agent: Agent): Promise<string[]> =>
  (await house.technician<RosterWatch[]>('GET', `/api/devices/${agent.id}/roster`)).body.map((watch) =>
    sentenceText(watch.sentence),
  )

describe('coverage', () => {
  it('tells what roles need and nobody collects or watches, the same thing once with all its devices', async () => {
    expect(await needs()).toEqual([
      'certificates: bb-plant-web tm-gate-1',
      'nginx/error.log: bb-plant-web tm-gate-1',
      'nginx: bb-plant-web tm-gate-1',
    ])
    const mine = (await house.technician<GapView[]>('GET', `/api/devices/${one.id}/coverage`)).body
    expect(mine.map((gap) => gap.devices.map((device) => device.id))).toEqual([[one.id], [one.id], [one.id]])
  })
  it('comes by client and by device in parts, each with only its own, and names all devices of a gap on request', async () => {
    const titles = async (query: string) =>
      (await page(query)).groups.map(({ title, gaps: of }) => [title, ...of.map((gap) => gap.total)])
    expect(await titles('?by=client')).toEqual([
      ['Tidemill Ferries', 1, 1, 1],
      ['Brindle Bakeries', 1, 1, 1],
    ])
    expect(await titles(`?by=device&client=${house.clients[1]}`)).toEqual([['bb-plant-web', 1, 1, 1]])
    const first = await page('?by=device&after=3 0')
    expect([first.total, first.groups.map(({ title }) => title), first.rest, first.next]).toEqual([
      3,
      ['tm-gate-1', 'bb-plant-web'],
      0,
      null,
    ])
    expect(await titles(`?by=device&after=3 ${one.id}`)).toEqual([['bb-plant-web', 1, 1, 1]])
    const [{ gaps: of }] = first.groups as [CoveragePage['groups'][number]]
    const { need, instance, uncollected, unwatched, trouble } = of[0]!
    const named = async (clientId: number | null, reason = trouble) =>
      (
        await house.technician<GapDevice[]>('POST', '/api/coverage/devices', {
          gaps: [{ need, instance, uncollected, unwatched, trouble: reason }],
          clientId,
          deviceId: null,
        })
      ).body.map(({ name }) => name)
    expect(await named(null)).toEqual(['bb-plant-web', 'tm-gate-1'])
    expect(await named(house.clients[0])).toEqual(['tm-gate-1'])
    expect(await named(null, 'another reason')).toEqual([])
  })
  it('what a device tells first of itself is announced, so that an open page shows its gaps without being asked', async () => {
    const listener = new pg.Client({ connectionString: house.url })
    await listener.connect()
    const heard: LiveEvent[] = []
    listener.on('notification', ({ payload }) => {
      heard.push(JSON.parse(payload!) as LiveEvent)
    })
    await listener.query('listen custode_live')
    const three = await house.enrol(house.sites[1], 'bb-plant-plain', { roles: ['web'] })
    const told = () =>
      vi.waitFor(
        () => expect(heard.some((event) => event.topic === 'estate' && event.deviceIds.includes(three.id))).toBe(true),
        { timeout: 20_000 },
      )
    await told()
    heard.length = 0
    await three.send([three.report(1, { facts: { system } })])
    await told()
    expect((await gaps()).find((gap) => gap.instance === 'certificates')!.devices.map((device) => device.id)).toContain(
      three.id,
    )
    await listener.end()
    await house.lead('POST', `/api/devices/${three.id}/retire`, { reason: 'was only seen' })
  })
  it('shows what a remedy adds and saves nothing', async () => {
    const { body } = await house.technician<RemedyPreview>(
      'POST',
      '/api/coverage/preview',
      on('nginx/error.log', 'web.log.linux', false, one),
    )
    expect(body).toMatchObject({
      collect: { logs: ['nginx/error.log'], collectors: [] },
      templates: [{ name: 'What a web server needs', made: true, targetText: 'tm-gate-1' }],
      impact: { devices: 1, added: 1 },
    })
    expect(body.watches.map((watch) => sentenceText(watch.sentence))).toEqual([
      'In the nginx/error.log log, when error or worse from any source appears 10 times within 10 min, raise warning; clear after 2 h with no new entry.',
    ])
    expect(await needs()).toHaveLength(3)
    expect(await roster(one)).toEqual([])
  })
  it('is closed for one device in one action: its agent hears what to read with its next report, and its roster has the watch', async () => {
    expect(
      (await house.technician<Filled>('POST', '/api/coverage/fill', on('nginx/error.log', 'web.log.linux', false, one)))
        .body,
    ).toEqual({ devices: 1 })
    expect(await roster(one)).toEqual([expect.stringContaining('nginx/error.log') as string])
    expect((await one.send([one.report(2)])).body.settings.collect).toEqual({
      logs: ['nginx/error.log'],
      collectors: [],
    })
    expect((await two.send([two.report(2)])).body.settings.collect).toEqual({ logs: [], collectors: [] })
    expect((await gaps()).find((gap) => gap.trouble)).toMatchObject({
      uncollected: false,
      unwatched: false,
      trouble: 'asked for, and not begun yet',
      devices: [{ name: 'tm-gate-1' }],
    })
    await one.send([one.report(3, { facts: { logs: [{ name: 'nginx/error.log', collected: true }] } })])
    expect(await needs()).toEqual([
      'certificates: bb-plant-web tm-gate-1',
      'nginx: bb-plant-web tm-gate-1',
      'nginx/error.log: bb-plant-web',
    ])
  })
  it('for every device of a role only by a lead; a template that is made once gets the next watch', async () => {
    const everywhere = on('nginx', 'web.service', true, one)
    expect(await house.technician('POST', '/api/coverage/fill', everywhere)).toMatchObject({ status: 403 })
    expect((await house.lead('POST', '/api/coverage/fill', everywhere)).status).toBe(200)
    expect(await needs()).toEqual(['certificates: bb-plant-web tm-gate-1', 'nginx/error.log: bb-plant-web'])
    const made = (await house.lead<TemplateSummary[]>('GET', '/api/templates')).body.filter(
      (template) => template.name === 'What a web server needs',
    )
    expect(made.map((template) => [template.watchCount, template.revision])).toEqual([[2, 2]])
  })
  it('is refused to a technician where a template would change devices that were not chosen', async () => {
    const certificates = on('certificates', 'web.certificates', false, two)
    const refused = await house.technician('POST', '/api/coverage/preview', certificates)
    expect([refused.status, refused.body.detail]).toEqual([
      403,
      'The template for this is assigned elsewhere, too: 1 device that you did not choose would change. That is decided by a lead.',
    ])
    expect((await house.technician('POST', '/api/coverage/fill', certificates)).status).toBe(403)
    expect((await house.lead('POST', '/api/coverage/preview', certificates)).status).toBe(200)
  })
  it('that is closed already says so and adds nothing', async () => {
    const again = await house.lead('POST', '/api/coverage/fill', on('nginx', 'web.service', true, one))
    expect([again.status, again.body.detail]).toEqual([
      400,
      'Nothing is missing there any more. Somebody may have added it meanwhile.',
    ])
  })
  it('a device whose agent cannot read a log says why', async () => {
    await one.send([
      one.report(4, {
        facts: { logs: [{ name: 'nginx/error.log', collected: false, trouble: 'EACCES: permission denied' }] },
      }),
    ])
    expect((await gaps()).find((gap) => gap.trouble?.startsWith('cannot'))).toMatchObject({
      instance: 'nginx/error.log',
      uncollected: false,
      unwatched: false,
      trouble: 'cannot be read there: EACCES: permission denied',
      devices: [{ name: 'tm-gate-1' }],
    })
  })
  it('said not to be needed, with a reason, is not told again until somebody takes that back', async () => {
    const waiver = { need: 'web.certificates', instance: 'certificates', deviceIds: [two.id], reason: '' }
    expect(await house.technician('POST', '/api/coverage/waivers', waiver)).toMatchObject({ status: 400 })
    await house.technician('POST', '/api/coverage/waivers', {
      ...waiver,
      reason: 'It speaks plain HTTP behind a proxy.',
    })
    expect((await gaps()).find((gap) => gap.on === 'collector')!.devices.map((device) => device.name)).toEqual([
      'tm-gate-1',
    ])
    expect((await house.technician<WaiverList>('GET', '/api/coverage/waivers')).body.waivers).toMatchObject([
      { reason: 'It speaks plain HTTP behind a proxy.', by: 'Tech', device: { name: 'bb-plant-web' } },
    ])
    await house.technician('DELETE', `/api/devices/${two.id}/waivers`)
    expect((await gaps()).find((gap) => gap.on === 'collector')!.devices).toHaveLength(2)
  })
  it('several gaps are closed at once, by one revision of one template', async () => {
    const three = await house.enrol(house.sites[0], 'tm-office-dc', { roles: ['directory'] })
    await house.pool.query(`update device set os_family = 'windows' where id = $1`, [three.id])
    await three.send([
      three.report(1, {
        facts: {
          logs: ['DNS Server', 'Directory Service', 'DFS Replication'].map((name) => ({ name, collected: false })),
        },
      }),
    ])
    const all = ['DNS Server', 'Directory Service', 'DFS Replication'].map((instance) => ({
      need: 'directory.log.windows',
      instance,
    }))
    const body = { gaps: all, everywhere: false, deviceIds: [three.id] }
    expect((await house.technician<RemedyPreview>('POST', '/api/coverage/preview', body)).body).toMatchObject({
      templates: [{ made: true }],
      impact: { devices: 1, added: 3 },
    })
    expect((await house.technician('POST', '/api/coverage/fill', body)).status).toBe(200)
    expect((await three.send([three.report(2)])).body.settings.collect.logs).toEqual([
      'DFS Replication',
      'DNS Server',
      'Directory Service',
    ])
    expect(await roster(three)).toHaveLength(3)
    expect(
      (await house.lead<TemplateSummary[]>('GET', '/api/templates')).body.filter(
        (template) => template.name === 'What a directory server needs',
      ),
    ).toMatchObject([{ revision: 1, watchCount: 3 }])
  })
  it('what is collected by rule is listed and can be removed, and the agent hears of that too, unless a watch of its roster names it', async () => {
    const rules = (await house.technician<CollectRuleView[]>('GET', '/api/collect-rules')).body
    const rule = rules.at(-1)!
    expect(rule).toMatchObject({ targetText: 'tm-gate-1', logs: ['nginx/error.log'], devices: 1, by: 'Tech' })
    await house.technician('DELETE', `/api/collect-rules/${rule.id}`)
    expect((await one.send([one.report(5)])).body.settings.collect).toEqual({
      logs: ['nginx/error.log'],
      collectors: [],
    })
    const watching = (await house.technician<RosterWatch[]>('GET', `/api/devices/${one.id}/roster`)).body.find(
      (watch) => watch.values.channel === 'nginx/error.log',
    )!.key
    await house.technician('POST', '/api/exceptions', {
      target: { on: 'devices', deviceIds: [one.id] },
      watch: watching,
      values: {},
      leftOut: true,
      reason: 'too loud',
    })
    expect((await one.send([one.report(6)])).body.settings.collect).toEqual({ logs: [], collectors: [] })
    expect((await house.technician('DELETE', `/api/collect-rules/${rule.id}`)).status).toBe(404)
  })
})
