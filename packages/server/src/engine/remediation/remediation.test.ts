import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import type { AlertEntry, AlertView, RemediationView, Rounds } from '#contract'
import { minute, second, type Service, type ServiceAction, type System } from '#core'
import { assignToAll, openHouse, type Agent, type House } from '../../testing/house'
import { advanceRemediations } from './remediation'

let house: House
let count = 0
beforeAll(async () => {
  house = await openHouse()
  const watch = {
    key: 'services.web',
    kind: 'service-state',
    name: 'Web service',
    why: '',
    osFamilies: [],
    values: {
      which: 'named',
      names: ['nginx'],
      expected: 'running',
      hold: minute,
      'clear.hold': 0,
      tries: 2,
      'tries.wait': minute,
    },
  }
  await assignToAll(house, { name: 'Web', description: '', includes: [], watches: [watch] })
})
afterAll(() => house.close())

const system = (remediates: boolean): System => ({
  osFamily: 'linux',
  osName: 'Debian 12',
  hostName: 'h',
  cores: 2,
  agentVersion: '1',
  serviceManager: 'systemd',
  takesTasks: true,
  remediates,
})
const nginx = (state: Service['state'], remediates = true) => ({
  facts: { system: system(remediates), services: [{ name: 'nginx', title: '', start: 'automatic', state } as Service] },
})
const alertsOf = async (agent: Agent) => (await house.lead<AlertView[]>('GET', `/api/devices/${agent.id}/alerts`)).body
const remediationsOf = async (agent: Agent) =>
  (await house.lead<RemediationView[]>('GET', `/api/devices/${agent.id}/remediations`)).body
const later = (more: number) => advanceRemediations(house.pool, Date.now() + more)

/** A device whose web service has just been stopped for its hold time. */
async function stopped(remediates = true): Promise<Agent> {
  const agent = await house.enrol(house.sites[0], `tm-mend-${++count}`)
  await agent.send([
    agent.report(0, { at: Date.now() - 2 * minute, ...nginx('running', remediates) }),
    agent.report(0, { at: Date.now() - minute - second, ...nginx('stopped', remediates) }),
    agent.report(0, { at: Date.now() }),
  ])
  return agent
}

describe('a stopped service that its agent may start', () => {
  it('is started before anybody is told; well again, it stands with what settled by itself', async () => {
    const agent = await stopped()
    expect(await alertsOf(agent)).toEqual([])
    await later(0)
    const task = await agent.handed()
    expect(task.command).toEqual({ kind: 'service', verb: 'start', service: 'nginx' })
    expect((await house.lead<Rounds>('GET', '/api/rounds')).body.remediation.rows).toMatchObject([
      { deviceId: agent.id, instance: 'nginx', attempts: [{ verb: 'start', state: 'asked' }] },
    ])
    expect((await house.contact<Rounds>('GET', '/api/rounds')).body.remediation).toEqual({
      rows: [],
      total: 0,
      next: null,
    })
    expect(await agent.did(task)).toBe(200)
    expect(await agent.did(task)).toBe(404)
    await agent.send([agent.report(0, { at: Date.now(), ...nginx('running') })])
    expect(await alertsOf(agent)).toEqual([])
    expect(await remediationsOf(agent)).toMatchObject([
      { outcome: 'cleared', attempts: [{ state: 'done', text: 'was stopped, is running' }] },
    ])
    expect((await house.lead<Rounds>('GET', '/api/rounds')).body).toMatchObject({
      remediation: { rows: [], total: 0 },
      remediated: { rows: [{ deviceId: agent.id }], total: 1 },
    })
  })
  it('goes back to a person when its device falls silent: nobody can judge any more whether a try helped', async () => {
    const agent = await stopped()
    await later(0)
    expect(await alertsOf(agent)).toEqual([])
    await house.pool.query(`update device set heard_at = now() - interval '3 minutes' where id = $1`, [agent.id])
    // Looked at again within half a minute, however long the try has to show.
    await later(31 * second)
    expect(await alertsOf(agent)).toMatchObject([{ instance: 'nginx', status: 'open' }])
    expect(await remediationsOf(agent)).toMatchObject([{ outcome: 'raised' }])
  })
  it('raises when the attempts did not help, with its true beginning and what was tried', async () => {
    const agent = await stopped()
    for (const turn of [0, 1]) {
      await later(turn * 2 * minute)
      expect(
        await agent.did(await agent.handed(), {
          state: 'failed',
          after: 'stopped',
          reason: 'port 80 is taken',
        }),
      ).toBe(200)
      await house.pool.query(
        `update response set at = at - interval '3 minutes', ended_at = ended_at - interval '3 minutes'
         where device_id = $1`,
        [agent.id],
      )
      await agent.send([agent.report(0, { at: Date.now() })])
      expect(await alertsOf(agent)).toEqual([])
    }
    await later(3 * minute)
    const [alert] = await alertsOf(agent)
    expect(alert).toMatchObject({ status: 'open', instance: 'nginx' })
    expect(alert!.raisedAt - alert!.began).toBeGreaterThan(minute)
    const page = (await house.lead<{ entries: AlertEntry[] }>('GET', `/api/alerts/${alert!.id}`)).body
    expect(page.entries.map((entry) => [entry.event, entry.detail.succeeded, entry.text])).toEqual([
      ['attempted', false, 'still stopped; port 80 is taken'],
      ['attempted', false, 'still stopped; port 80 is taken'],
      ['raised', undefined, 'nginx is stopped'],
    ])
    expect(await remediationsOf(agent)).toMatchObject([{ outcome: 'raised', alertId: alert!.id }])
  })
  it('raises at once when the agent says that trying is of no use', async () => {
    const agent = await stopped()
    await later(0)
    await agent.did(await agent.handed(), {
      state: 'failed',
      after: 'stopped',
      reason: 'the agent has no right to',
      hopeless: true,
    })
    await later(second)
    expect(await alertsOf(agent)).toMatchObject([{ status: 'open' }])
  })
  it('is left alone in maintenance, and by agents that look only or bring old news', async () => {
    const held = await stopped()
    await house.lead('POST', '/api/windows', {
      name: 'w',
      reason: '',
      target: { on: 'devices', deviceIds: [held.id] },
      subject: { of: 'all' },
      from: null,
      until: null,
    })
    await later(0)
    expect((await held.send([held.report(0, { at: Date.now() })])).body.tasks).toBeUndefined()
    expect([(await remediationsOf(held)).map((remediation) => remediation.outcome), await alertsOf(held)]).toEqual([
      ['held'],
      [],
    ])
    expect(await alertsOf(await stopped(false))).toMatchObject([{ status: 'open' }])
    const late = await house.enrol(house.sites[0], `tm-mend-${++count}`)
    await late.send([late.report(1, nginx('stopped')), late.report(3)])
    expect([await alertsOf(late), await remediationsOf(late)]).toMatchObject([[{ status: 'open' }], []])
  })
})

describe('by hand, from an alert', () => {
  it('a technician has the service started; asking and answer stand in the alert; twice at once is refused', async () => {
    const agent = await house.enrol(house.sites[1], `bb-mend-${++count}`)
    await agent.send([agent.report(1, nginx('stopped')), agent.report(3)])
    const [alert] = await alertsOf(agent)
    const respond = (caller = house.technician, verb = 'start') =>
      caller<{ actions: ServiceAction[] }>('POST', `/api/alerts/${alert!.id}/respond`, { verb })
    expect((await respond(house.contact)).status).toBe(403)
    expect((await respond(house.technician, 'stop')).body.detail).toContain('cannot be asked')
    expect((await respond()).body.actions).toEqual([
      { verb: 'start', service: 'nginx' },
      { verb: 'restart', service: 'nginx' },
    ])
    expect((await respond()).body.code).toBe('asked-already')
    await agent.did(await agent.handed(), {})
    const { entries } = (await house.lead<{ entries: AlertEntry[] }>('GET', `/api/alerts/${alert!.id}`)).body
    expect(entries.slice(1).map((entry) => [entry.event, entry.by, entry.text, entry.detail])).toEqual([
      ['asked', 'Tech', '', { verb: 'start', service: 'nginx' }],
      ['attempted', 'Tech', 'was stopped, is running', { verb: 'start', service: 'nginx', succeeded: true }],
    ])
  })
})
