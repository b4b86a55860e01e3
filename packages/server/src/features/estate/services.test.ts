import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import type { ServiceActionView, ServiceOnDevice, ServiceOnDevices, ServicesPage } from '#contract'
import { minute, second, type Facts, type Service } from '#core'
import { assignToAll, openHouse, type Agent, type House } from '../../testing/house'

let house: House
const devices: Agent[] = []
const service = (name: string, more: Partial<Service> = {}): Service => ({
  name,
  title: `The ${name} service`,
  start: 'automatic',
  state: 'running',
  account: 'root',
  ...more,
})
const facts = (services: Service[], remediates = true): Facts => ({
  services,
  system: {
    osFamily: 'linux',
    osName: 'Debian 12',
    hostName: 'h',
    cores: 2,
    agentVersion: '1',
    serviceManager: 'systemd',
    takesTasks: true,
    remediates,
  },
})

beforeAll(async () => {
  house = await openHouse()
  const values = { hold: 0, 'clear.hold': 0 }
  const watch = { key: 'services', kind: 'service-state', name: 'Services', why: '', osFamilies: [], values }
  await assignToAll(house, { name: 'Services', description: '', includes: [], watches: [watch] })
  for (let i = 0; i < 12; i++) {
    const agent = await house.enrol(house.sites[i % 2]!, `host-${String(i).padStart(2, '0')}`)
    devices.push(agent)
    await agent.send([
      agent.report(1, {
        facts: facts([
          service('cron'),
          service('web', {
            state: i === 3 ? 'failed' : i === 4 ? 'stopped' : 'running',
            start: i === 4 ? 'manual' : 'automatic',
            account: i === 5 ? 'www-data' : 'root',
            since: 1_790_000_000_000 + i * second,
          }),
          ...(i < 5 ? [service('100%_odd')] : []),
        ]),
      }),
    ])
  }
})
afterAll(() => house.close())

const names = async (query = '', ask = house.lead) => (await ask<ServicesPage>('GET', `/api/services?${query}`)).body
const across = async (query: string, ask = house.lead) =>
  (await ask<ServiceOnDevices>('GET', `/api/services/devices?${query}`)).body
const shown = ({ name, devices: on, running, stopped, failed, wrong }: ServicesPage['services'][number]) =>
  `${name}: ${on} = ${running} + ${stopped} + ${failed}, ${wrong} wrong`

describe('services by their names', () => {
  it('tell on how many devices they are and how, what is not as it should be first', async () => {
    const page = await names()
    expect(page.services.map(shown)).toEqual([
      'web: 12 = 10 + 1 + 1, 1 wrong',
      'cron: 12 = 12 + 0 + 0, 0 wrong',
      '100%_odd: 5 = 5 + 0 + 0, 0 wrong',
    ])
    expect([page.total, page.devices, page.services[0]!.title]).toEqual([3, 12, 'The web service'])
  })
  it('in any order and in parts of any size, each once', async () => {
    for (const order of ['needs', 'name', 'devices']) {
      const whole = (await names(`order=${order}`)).services.map(({ name }) => name)
      const parts: string[] = []
      for (let after: string | null = ''; after !== null;) {
        const part: ServicesPage = await names(`order=${order}&limit=1${after ? `&after=${after}` : ''}`)
        expect(part.services).toHaveLength(1)
        expect(part.total).toBe(3)
        parts.push(...part.services.map(({ name }) => name))
        after = part.next
      }
      expect([order, parts]).toEqual([order, whole])
    }
    const nul = Buffer.from(JSON.stringify([0, 0, 'a\0'])).toString('base64url')
    for (const after of ['bm8', nul]) expect((await house.lead('GET', `/api/services?after=${after}`)).status).toBe(400)
  })
  it('narrowed by words, in which nothing stands for anything else; by client, site and what is wrong', async () => {
    expect((await names('words=100%25_')).services.map(({ name }) => name)).toEqual(['100%_odd'])
    expect((await names('words=%25')).services.map(({ name }) => name)).toEqual(['100%_odd'])
    expect((await names('words=CRON%20serv')).services.map(({ name }) => name)).toEqual(['cron'])
    expect((await names('wrong=true')).services.map(shown)).toEqual(['web: 12 = 10 + 1 + 1, 1 wrong'])
    expect((await names(`client=${house.clients[0]}`)).services.map(shown)[1]).toBe('web: 6 = 5 + 1 + 0, 0 wrong')
    expect((await names(`site=${house.sites[1]}&words=web`)).services.map(shown)).toEqual([
      'web: 6 = 5 + 0 + 1, 1 wrong',
    ])
  })
})

describe('one service on all its devices', () => {
  it('stands side by side, what is not as it should be first, with what differs counted', async () => {
    const page = await across('name=web')
    expect([page.total, page.title]).toEqual([12, 'The web service'])
    expect(page.starts).toEqual([
      { value: 'automatic', count: 11 },
      { value: 'manual', count: 1 },
    ])
    expect(page.states.map(({ value, count }) => `${value} ${count}`)).toEqual(['running 10', 'failed 1', 'stopped 1'])
    expect(page.accounts).toEqual([
      { value: 'root', count: 11 },
      { value: 'www-data', count: 1 },
    ])
    expect(page.rows[0]).toEqual({
      deviceId: devices[3]!.id,
      deviceName: 'host-03',
      clientName: expect.any(String),
      siteName: expect.any(String),
      silent: false,
      start: 'automatic',
      state: 'failed',
      account: 'root',
      since: 1_790_000_003_000,
      severity: 'critical',
      alertId: expect.any(Number),
      held: false,
    } satisfies Record<keyof ServiceOnDevice, unknown>)
    expect(page.rows.slice(1, 3).map(({ deviceName }) => deviceName)).toEqual(['host-00', 'host-01'])
  })
  it('in parts, and narrowed by start, state and account', async () => {
    const found: string[] = []
    for (let after: string | null = ''; after !== null;) {
      const part: ServiceOnDevices = await across(`name=web&limit=5${after ? `&after=${after}` : ''}`)
      found.push(...part.rows.map(({ deviceName }) => deviceName))
      after = part.next
    }
    expect(found).toEqual((await across('name=web')).rows.map(({ deviceName }) => deviceName))
    expect((await across('name=web&account=www-data')).rows.map(({ deviceName }) => deviceName)).toEqual(['host-05'])
    const manual = await across('name=web&start=manual&state=stopped')
    expect([manual.total, manual.rows.length, manual.starts.length]).toEqual([1, 1, 2])
    expect(await across('name=nobody')).toMatchObject({ total: 0, rows: [], next: null })
  })
  it('follows what its devices tell: changed, gone, told twice in one fact', async () => {
    const agent = await house.enrol(house.sites[0]!, 'host-turns')
    const turn = async (step: number, services: Service[]) => {
      await agent.send([agent.report(step, { facts: facts(services) })])
      return (await across('name=turning')).rows.map(({ state, account }) => `${state} ${account}`)
    }
    expect(await turn(1, [service('turning')])).toEqual(['running root'])
    expect(await turn(2, [service('turning', { state: 'stopped', start: 'manual', account: 'x' })])).toEqual([
      'stopped x',
    ])
    expect(await turn(3, [service('turning'), service('turning')])).toEqual(['running root'])
    expect(await turn(4, [service('other')])).toEqual([])
  })
  it('as of a time that is over', async () => {
    const agent = await house.enrol(house.sites[0]!, 'host-past')
    await agent.send([agent.report(1, { facts: facts([service('past', { state: 'running' })]) })])
    await house.pool.query(`update device_fact set at = at - interval '2 hours' where device_id = $1`, [agent.id])
    await house.pool.query(
      `update device set enrolled_at = now() - interval '1 day', first_at = now() - interval '1 day' where id = $1`,
      [agent.id],
    )
    await agent.send([agent.report(2, { facts: facts([service('past', { state: 'failed' })]) })])
    const at = new Date(Date.now() - 60 * minute).toUTCString()
    const { body } = await house.lead<ServiceOnDevices>('GET', '/api/services/devices?name=past', undefined, {
      'accept-datetime': at,
    })
    expect(body.rows.map(({ state }) => state)).toEqual(['running'])
    expect((await across('name=past')).rows.map(({ state }) => state)).toEqual(['failed'])
  })
  it('goes along when two devices are merged', async () => {
    const [before, now] = [await house.enrol(house.sites[0]!, 'host-a'), await house.enrol(house.sites[0]!, 'host-b')]
    await before.send([before.report(1, { facts: facts([service('merged')]) })])
    const { status } = await house.lead('POST', `/api/devices/${now.id}/merge`, { from: before.id })
    expect(status).toBe(200)
    expect((await across('name=merged')).rows.map(({ deviceName }) => deviceName)).toEqual(['host-b'])
  })
})

describe('from the list of a device', () => {
  const actions = async (agent: Agent) =>
    (await house.technician<ServiceActionView[]>('GET', `/api/devices/${agent.id}/service-actions`)).body
  const ask = (agent: Agent, verb: string, name = 'cron', caller = house.technician) =>
    caller<ServiceActionView[]>('POST', `/api/devices/${agent.id}/service-actions`, { verb, service: name })
  it('a technician has a service restarted; who asked and how it went stands there and in the trail', async () => {
    const agent = devices[0]!
    expect((await ask(agent, 'restart', 'cron', house.contact)).status).toBe(403)
    expect((await ask(agent, 'restart')).body).toMatchObject([
      { verb: 'restart', service: 'cron', by: 'Tech', state: 'asked', endedAt: null, text: '' },
    ])
    expect((await ask(agent, 'stop')).body).toMatchObject({ code: 'asked-already' })
    // Another service of the same device has its own turn.
    expect((await ask(agent, 'stop', 'web')).status).toBe(200)
    const task = await agent.handed()
    expect(task.command).toEqual({ kind: 'service', verb: 'restart', service: 'cron' })
    await agent.did(task, { before: 'running' })
    expect((await actions(agent)).find(({ service: name }) => name === 'cron')).toMatchObject({
      state: 'done',
      text: 'still running',
    })
    const trail = (await house.lead<{ entries: { action: string; by: string }[] }>('GET', `/api/audit?kind=service`))
      .body
    expect(JSON.stringify(trail)).toContain('asked to restart')
  })
  it('what nobody answered in its time says so, and may be asked again', async () => {
    const agent = devices[1]!
    await ask(agent, 'stop')
    await house.pool.query(`update response set at = at - interval '10 minutes' where device_id = $1`, [agent.id])
    expect(await actions(agent)).toMatchObject([{ state: 'unanswered' }])
    expect((await ask(agent, 'stop')).body).toHaveLength(2)
  })
  it('is refused for what is not there, and where the agent may not', async () => {
    expect((await ask(devices[2]!, 'start', 'nowhere')).body).toMatchObject({
      code: 'invalid',
      detail: expect.stringContaining('has no service “nowhere”'),
    })
    const looks = await house.enrol(house.sites[0]!, 'host-looks')
    await looks.send([looks.report(1, { facts: facts([service('cron')], false) })])
    expect((await ask(looks, 'start')).body).toMatchObject({ detail: expect.stringContaining('cannot start or stop') })
  })
})
