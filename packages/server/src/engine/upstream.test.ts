import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest'
import type { AlertPage, AlertView, DeviceMove, DevicePage, Rounds } from '#contract'
import { hour, minute, second, type ServiceState, type Service } from '#core'
import { rows, time as instant } from '../db'
import { assignFromLibrary, openHouse, type Agent, type House } from '../testing/house'
import { silenceRound } from './silence'
import { settleSites } from './sites'

let house: House
let count = 0
/** A host, and two that are reached through it. */
let host: Agent, web: Agent, mail: Agent
let siteId: number
beforeAll(async () => {
  house = await openHouse()
  await assignFromLibrary(house, 'Base server')
})
afterAll(() => house.close())

const newSite = async () =>
  (
    await house.lead<{ id: number }>('POST', '/api/sites', {
      clientId: house.clients[0],
      name: `Weir ${++count}`,
      zone: 'Europe/Lisbon',
      networks: [],
    })
  ).body.id
async function newAgent(site: number, name: string): Promise<Agent> {
  const agent = await house.enrol(site, `tm-${name}-${++count}`)
  await agent.send([agent.report(44)])
  return agent
}
const change = (agent: Agent, body: DeviceMove) => house.lead('PUT', `/api/devices/${agent.id}`, body)
const pageOf = async (agent: Agent) => (await house.lead<DevicePage>('GET', `/api/devices/${agent.id}`)).body
const quiet = (agent: Agent, seconds: number) =>
  house.pool.query('update device set heard_at = $2, last_at = $2 where id = $1', [
    agent.id,
    instant(Date.now() - seconds * second),
  ])
const heard = (agent: Agent) => agent.send([{ ...agent.report(0), at: Date.now() }])
/** One round of what notices silence, of devices and of sites, as if somebody had been there for an hour. */
async function round(now = Date.now()): Promise<void> {
  const since = Date.now() - hour
  await house.pool.query(
    'insert into hearing (since, last) values ($1, now()) on conflict (id) do update set since = $1, last = now()',
    [instant(since)],
  )
  await silenceRound(house.pool)(Date.now())
  await settleSites(house.pool, since, now)
}
const silenceOf = async (agent: Agent) =>
  (await house.lead<AlertView[]>('GET', `/api/devices/${agent.id}/alerts`)).body.find(
    ({ watch, status }) => watch === 'silence' && status !== 'closed',
  )
/** Of these devices, those with an alert that waits for a person in its own place. */
async function standing(agents: readonly Agent[]): Promise<number[]> {
  const { rows: todo } = (await house.lead<Rounds>('GET', '/api/rounds')).body.todo
  return agents.map(({ id }) => id).filter((id) => todo.some(({ deviceId }) => deviceId === id))
}

beforeEach(async () => {
  siteId = await newSite()
  host = await newAgent(siteId, 'host')
  web = await newAgent(siteId, 'web')
  mail = await newAgent(siteId, 'mail')
  // Enough others that it is not the site that is silent.
  for (let i = 0; i < 4; i++) await newAgent(siteId, 'desk')
})

describe('what is reached through a silent device', () => {
  beforeEach(async () => {
    for (const agent of [web, mail]) expect((await change(agent, { dependsOn: host.id })).status).toBe(200)
  })

  it('has its alert carried by that of the device, with all that is carried there, and comes back with it', async () => {
    const stopped = { facts: { services: [{ name: 'orders', title: 'orders', start: 'automatic', state: 'stopped' }] } }
    await web.send([
      web.report(45, stopped as { facts: { services: (Service & { state: ServiceState })[] } }),
      web.report(47),
    ])
    for (const agent of [host, web, mail]) await quiet(agent, 900)
    await round()
    const cause = (await silenceOf(host))!
    expect(cause).toMatchObject({ carrier: null, members: 3 })
    const name = (await pageOf(host)).name
    expect((await silenceOf(web))!.carrier).toEqual({ id: cause.id, kind: 'upstream', name })
    expect(await standing([host, web, mail])).toEqual([host.id])
    const members = (await house.lead<AlertView[]>('GET', `/api/alerts/${cause.id}/members`)).body
    expect(members.map(({ deviceId }) => deviceId).toSorted()).toEqual([web.id, mail.id].toSorted())

    // The host is heard first: the others have some intervals to follow.
    await heard(host)
    await round()
    expect(await standing([host, web, mail])).toEqual([])
    await heard(web)
    await round()
    expect(await silenceOf(web)).toBeUndefined()
    expect(await standing([host, mail])).toEqual([])
    await round(Date.now() + 4 * minute)
    expect(await standing([host, mail])).toEqual([mail.id])
    expect((await silenceOf(mail))!.carrier).toBeNull()
    const { body } = await house.lead<{ steps: { code: string }[] }>('GET', `/api/devices/${mail.id}/why?watch=silence`)
    expect(body.steps.map(({ code }) => code).slice(-2)).toEqual(['alert', 'not-told'])
  })
  it('stands for itself when it fell silent long before', async () => {
    await quiet(web, 3000)
    await round()
    await quiet(host, 900)
    await quiet(mail, 890)
    await round()
    expect(await standing([host, web, mail])).toEqual([host.id, web.id])
  })
  it('goes to the farthest of those that are silent, also of another site, whose silence then is not its own', async () => {
    const branch = await newSite()
    const far = [await newAgent(branch, 'far'), await newAgent(branch, 'far'), await newAgent(branch, 'far')]
    for (const agent of far) await change(agent, { dependsOn: web.id })
    for (const agent of [host, web, ...far]) await quiet(agent, 900)
    await round()
    const { id } = (await silenceOf(host))!
    for (const agent of far) expect((await silenceOf(agent))!.carrier).toMatchObject({ id, kind: 'upstream' })
    expect(await rows(house.pool, 'select from alert where site_id = $1', [branch])).toEqual([])
    // Once it is heard, the branch is silent by itself.
    await heard(host)
    await heard(web)
    await round(Date.now() + 4 * minute)
    await round(Date.now() + 4 * minute)
    expect(await rows(house.pool, `select status from alert where site_id = $1`, [branch])).toEqual([
      { status: 'open' },
    ])
    for (const agent of far) expect((await silenceOf(agent))!.carrier).toMatchObject({ kind: 'site' })
  })
  it('is part of the silence of its site where that is silent, and stays so from round to round', async () => {
    const all = (
      await rows<{ id: number }>(house.pool, 'select id from device where site_id = $1 order by id', [siteId])
    ).map(({ id }) => id)
    await house.pool.query('update device set heard_at = $2, last_at = $2 where id = any($1)', [
      all,
      instant(Date.now() - 900 * second),
    ])
    await round()
    await round()
    const carriers = await rows<{ kind: string }>(
      house.pool,
      `select distinct case when r.site_id is null then 'device' else 'site' end as kind
       from alert a join alert r on r.id = a.carried_by where a.device_id = any($1)`,
      [all],
    )
    expect(carriers).toEqual([{ kind: 'site' }])
    const writes = () =>
      rows<{ count: number }>(
        house.pool,
        'select count(*)::int as count from carried_past where alert_id in (select id from alert where device_id = any($1))',
        [all],
      )
    const before = await writes()
    await round()
    expect(await writes()).toEqual(before)
  })
  it('is closed with it by hand', async () => {
    for (const agent of [host, web]) await quiet(agent, 900)
    await round()
    const { id } = (await silenceOf(host))!
    const behind = (await silenceOf(web))!
    await house.technician('POST', `/api/alerts/${id}/close`, { reason: 'the rack is being moved' })
    await round()
    expect((await house.lead<AlertPage>('GET', `/api/alerts/${behind.id}`)).body).toMatchObject({
      status: 'closed',
      closeReason: 'by-hand',
    })
    expect(await standing([host, web])).toEqual([])
  })
  it('stands for itself once what it is reached through is out of use, or somewhere else', async () => {
    await quiet(host, 900)
    await quiet(web, 900)
    await round()
    expect((await house.lead('POST', `/api/devices/${host.id}/retire`)).status).toBe(200)
    await round()
    expect(await standing([web])).toEqual([web.id])
    expect((await pageOf(web)).dependsOn).toEqual({ device: null, by: 'person' })
  })
})

describe('what a device is reached through', () => {
  const tells = (agent: Agent, gateways: string[], addresses: string[]) => {
    const system = {
      osFamily: 'linux',
      osName: 'Debian 12',
      hostName: 'tm',
      cores: 2,
      agentVersion: '0.7.0',
      serviceManager: 'systemd',
      addresses,
    } as const
    return agent.send([agent.report(46, { facts: { gateways, system } })])
  }
  it('is what its default route leads to, where that is one device of its site, until somebody says otherwise', async () => {
    await tells(host, ['198.51.100.1'], ['192.0.2.1', '198.51.100.7'])
    await tells(web, ['192.0.2.1'], ['192.0.2.10'])
    const { name } = await pageOf(host)
    expect((await pageOf(web)).dependsOn).toEqual({ device: { id: host.id, name }, by: 'routes' })
    expect((await pageOf(host)).behind).toMatchObject({ total: 1, devices: [{ id: web.id }] })
    for (const agent of [host, web]) await quiet(agent, 900)
    await round()
    expect(await standing([host, web])).toEqual([host.id])

    await change(web, { dependsOn: 'nothing' })
    expect((await pageOf(web)).dependsOn).toEqual({ device: null, by: 'person' })
    await round()
    expect(await standing([host, web])).toEqual([host.id, web.id])
    await change(web, { dependsOn: 'routes' })
    await round()
    expect(await standing([host, web])).toEqual([host.id])

    // Two that have the address: nobody can tell which of them it is.
    await tells(mail, [], ['192.0.2.1'])
    expect((await pageOf(web)).dependsOn.device).toBeNull()
    expect((await pageOf(host)).behind.total).toBe(0)
  })
  it('is no device of another site that has the same private address', async () => {
    const other = await newAgent(await newSite(), 'other')
    await tells(other, [], ['192.0.2.1'])
    await tells(web, ['192.0.2.1'], ['192.0.2.10'])
    expect((await pageOf(web)).dependsOn.device).toBeNull()
  })
  it('is refused where it is itself, behind it, of another client, or out of use', async () => {
    await change(web, { dependsOn: host.id })
    await change(mail, { dependsOn: web.id })
    const other = await house.enrol(house.sites[1], `qh-other-${++count}`)
    const refused = async (agent: Agent, dependsOn: number) => {
      const { status, body } = await house.lead<{ detail: string }>('PUT', `/api/devices/${agent.id}`, { dependsOn })
      return [status, body.detail.split(/[.,]/)[0]]
    }
    const { name } = await pageOf(mail)
    expect(await refused(host, mail.id)).toEqual([400, `${name} is reached through this device itself`])
    const another = [400, 'Choose another device of the same client']
    expect(await refused(host, host.id)).toEqual(another)
    expect(await refused(host, other.id)).toEqual(another)
    expect(await refused(host, 2_000_000)).toEqual(another)
    await house.lead('POST', `/api/devices/${mail.id}/retire`)
    expect(await refused(host, mail.id)).toEqual(another)
    expect((await house.technician('PUT', `/api/devices/${host.id}`, { dependsOn: 'elsewhere' })).status).toBe(400)
  })
  it('stays where it was when a device goes to another client, and follows one that was merged', async () => {
    await change(web, { dependsOn: host.id })
    await change(mail, { dependsOn: host.id })
    expect((await change(web, { siteId: house.sites[1] })).status).toBe(200)
    expect((await pageOf(web)).dependsOn).toEqual({ device: null, by: 'routes' })
    const anew = await newAgent(siteId, 'anew')
    expect((await house.lead('POST', `/api/devices/${anew.id}/merge`, { from: host.id })).status).toBe(200)
    expect((await pageOf(mail)).dependsOn.device?.id).toBe(anew.id)
  })
})
