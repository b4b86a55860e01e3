import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import type {
  AlertView,
  DevicePage,
  Enrolment,
  EnrolmentAttempt,
  EnrolmentKeyPage,
  MadeEnrolmentKey,
  NewEnrolmentKey,
  NewStandingRule,
  Notice,
  ReportReceipt,
  RetiredList,
  RoleFindingPage,
  RosterWatch,
  StandingRulePreview,
} from '#contract'
import { minute, type Facts, type Service } from '#core'
import {
  assignFromLibrary,
  newKey,
  openHouse,
  throughProxy,
  type Agent,
  type Answer,
  type House,
} from '../../testing/house'

let house: House
let count = 0
beforeAll(async () => {
  house = await openHouse()
  await assignFromLibrary(house, 'Base server')
})
afterAll(() => house.close())

const newName = () => `tm-new-${++count}`
async function key(more: Partial<NewEnrolmentKey> = {}): Promise<MadeEnrolmentKey> {
  const answer = await house.technician<MadeEnrolmentKey>('POST', '/api/enrolment-keys', newKey(house.sites[0], more))
  expect(answer.body.detail).toBeUndefined()
  return answer.body
}
const tryKey = (secret: string, name: string, more: object = {}): Promise<Answer<Enrolment>> =>
  house.nobody<Enrolment>('POST', '/api/agent/enrol', {
    version: 1,
    key: secret,
    name,
    osFamily: 'linux',
    osName: 'Debian 12',
    sentAt: Date.now(),
    ...more,
  })
const attempts = async (id: number): Promise<EnrolmentAttempt[]> =>
  (await house.technician<EnrolmentKeyPage>('GET', `/api/enrolment-keys/${id}`)).body.attempts
const device = async (id: number): Promise<DevicePage> =>
  (await house.lead<DevicePage>('GET', `/api/devices/${id}`)).body
const service = (name: string): Service => ({ name, title: '', start: 'automatic', state: 'running' })
const facts = (...services: string[]): Facts => ({ services: services.map(service) })

describe('an enrolment key', () => {
  it('lets in as many as it has uses, and tells how far each has come', async () => {
    const { id, key: secret } = await key({ uses: 2, roles: ['web'], tags: ['lab'] })
    const name = newName()
    const { body } = await tryKey(secret, name)
    expect((await attempts(id))[0]).toMatchObject({
      name,
      outcome: 'enrolled',
      reason: '',
      device: { name, heardAt: null, startsAtBoot: null },
    })
    expect(await device(body.deviceId)).toMatchObject({ roles: ['web'], tags: ['lab'], siteName: 'Harbour' })
    const agent = await house.agentOf(body)
    await agent.send([
      agent.report(1, {
        facts: {
          system: {
            osFamily: 'linux',
            osName: 'Debian 12',
            hostName: name,
            cores: 4,
            agentVersion: '1',
            serviceManager: 'systemd',
            startsAtBoot: false,
            addresses: ['192.0.2.7'],
          },
        },
      }),
    ])
    const [attempt] = await attempts(id)
    expect(attempt!.device).toMatchObject({ startsAtBoot: false })
    expect(attempt!.device!.heardAt).toBeGreaterThan(0)
    expect(attempt!.device!.watches).toBe(
      (await house.lead<RosterWatch[]>('GET', `/api/devices/${body.deviceId}/roster`)).body.filter(
        (watch) => watch.standing === 'active',
      ).length,
    )
    expect(await house.technician('GET', `/api/enrolment-keys/${id}`)).toMatchObject({
      body: { uses: 2, usesLeft: 1, state: 'good' },
    })
  })
  it('that is wrong tells the technician why, and whoever tried it only that it is refused', async () => {
    const usedUp = await key()
    await tryKey(usedUp.key, newName())
    const revoked = await key()
    await house.technician('DELETE', `/api/enrolment-keys/${revoked.id}`)
    const expired = await key()
    await house.pool.query(`update enrolment_key set expires_at = now() - interval '1 minute' where id = $1`, [
      expired.id,
    ])
    const answers = []
    for (const secret of [usedUp.key, revoked.key, expired.key, 'no-such-key'])
      answers.push(await tryKey(secret, newName()))
    expect(new Set(answers.map((answer) => `${answer.status} ${answer.body.code} ${answer.body.detail}`)).size).toBe(1)
    expect(answers[0]!.body.code).toBe('enrolment-key-refused')
    expect((await attempts(usedUp.id))[0]!.reason).toContain('no uses left')
    expect((await attempts(revoked.id))[0]!.reason).toContain('revoked')
    expect((await attempts(expired.id))[0]!.reason).toContain('expired')
    const refused = (await house.technician<EnrolmentAttempt[]>('GET', '/api/enrolment-attempts')).body
    expect(refused[0]).toMatchObject({
      outcome: 'refused',
      reason: expect.stringContaining('no such key') as string,
      address: '127.0.0.1',
      device: null,
    })
  })
  it('says that a name is in use in another case, and which device has it; no use is lost', async () => {
    const { id, key: secret } = await key({ uses: 2 })
    const name = newName()
    const first = (await tryKey(secret, name)).body
    const again = await tryKey(secret, name.toUpperCase())
    expect(again.body).toMatchObject({ code: 'name-in-use', detail: expect.stringContaining(`“${name}”`) as string })
    expect((await attempts(id))[0]).toMatchObject({ outcome: 'refused', device: { id: first.deviceId } })
    expect((await house.technician<EnrolmentKeyPage>('GET', `/api/enrolment-keys/${id}`)).body.usesLeft).toBe(1)
  })
  it('tells how far the clock is off', async () => {
    const { id, key: secret } = await key()
    await tryKey(secret, newName(), { sentAt: Date.now() - 7 * minute })
    expect((await attempts(id))[0]!.reason).toBe('Its clock is 7 min behind; times are corrected.')
  })
  it('does not let anybody guess: after thirty keys that do not exist their address has to wait', async () => {
    const address = async (ip: string, secret: string) =>
      (
        await house.app.inject({
          method: 'POST',
          url: '/api/agent/enrol',
          ...throughProxy(ip),
          payload: { version: 1, key: secret, name: newName(), osFamily: 'linux', osName: '', sentAt: Date.now() },
        })
      ).statusCode
    for (let i = 0; i < 30; i++) expect(await address('203.0.113.66', `guess-${i}`)).toBe(403)
    const { key: good } = await key()
    expect(await address('203.0.113.66', good)).toBe(429)
    expect(await address('203.0.113.67', good)).toBe(200)
  })
  it('is used once when many enrol at the same time', async () => {
    const { id, key: secret } = await key({ uses: 3 })
    const answers = await Promise.all(Array.from({ length: 12 }, () => tryKey(secret, newName())))
    expect(answers.filter((answer) => answer.status === 200)).toHaveLength(3)
    expect((await attempts(id)).filter((attempt) => attempt.outcome === 'enrolled')).toHaveLength(3)
  })
  it('without a site leaves it to the address, among sites that declare their networks', async () => {
    expect((await house.technician('POST', '/api/enrolment-keys', newKey(null))).body.detail).toContain(
      'Declare them first',
    )
    expect(
      (await house.technician('PUT', `/api/sites/${house.sites[0]}/networks`, { networks: ['192.0.2.9/24'] })).body
        .detail,
    ).toContain('is no network')
    await house.technician('PUT', `/api/sites/${house.sites[0]}/networks`, { networks: ['192.0.2.0/24'] })
    await house.technician('PUT', `/api/sites/${house.sites[1]}/networks`, { networks: ['198.51.100.0/24'] })
    const { id, key: secret } = (
      await house.lead<MadeEnrolmentKey>('POST', '/api/enrolment-keys', newKey(null, { uses: 5 }))
    ).body
    const placed = await tryKey(secret, 'bb-by-address', { addresses: ['198.51.100.44'] })
    expect(placed.body.settings).toMatchObject({ clientName: 'Brindle Bakeries', siteName: 'Plant' })
    expect((await tryKey(secret, newName(), { addresses: ['203.0.113.1'] })).body).toMatchObject({ code: 'no-place' })
    expect((await house.lead<EnrolmentKeyPage>('GET', `/api/enrolment-keys/${id}`)).body.attempts).toHaveLength(2)
    expect((await house.contact('GET', `/api/enrolment-keys/${id}`)).status).toBe(403)
  })
})

describe('the install script', () => {
  it.each(['install.sh', 'install.ps1'])(
    '%s speaks to the address that the server was given, whatever the request says',
    async (name) => {
      const { body } = await house.app.inject({
        url: `/agent/${name}`,
        headers: { host: `a'$(reboot)'.example`, 'x-forwarded-host': 'evil.example', 'x-forwarded-proto': 'https' },
      })
      expect(body).toContain(`'http://127.0.0.1:7700'`)
      expect(body).not.toMatch(/evil|reboot/)
    },
  )
  it('tells a proxy’s clients apart, so that one who guesses keys does not lock out the others', async () => {
    const tryKeyFrom = async (client: string, secret: string) =>
      (
        await house.app.inject({
          method: 'POST',
          url: '/api/agent/enrol',
          ...throughProxy(client),
          payload: { version: 1, key: secret, name: newName(), osFamily: 'linux', osName: '', sentAt: Date.now() },
        })
      ).statusCode
    for (let i = 0; i < 30; i++) await tryKeyFrom('203.0.113.80', `guess-${i}`)
    const { key: good } = await key()
    expect([await tryKeyFrom('203.0.113.80', good), await tryKeyFrom('203.0.113.81', good)]).toEqual([429, 200])
  })
})

describe('roles from what runs there', () => {
  const all = ({ suggested, gone }: RoleFindingPage) => [...suggested, ...gone].flatMap((group) => group.findings)
  const findings = async (agent: Agent) =>
    all((await house.technician<RoleFindingPage>('GET', '/api/role-findings')).body).filter(
      (finding) => finding.deviceId === agent.id,
    )
  const decide = (decision: string, agent: Agent, role: string) =>
    house.technician('POST', '/api/role-findings/decide', { decision, findings: [{ deviceId: agent.id, role }] })

  it('are suggested with the evidence; accepted, they are given and the roster follows', async () => {
    await house.lead('POST', '/api/assignments', {
      templateId: (
        await house.lead<{ id: number }>('POST', '/api/templates', {
          name: 'For databases',
          description: '',
          watches: [{ key: 'db.load', kind: 'load', name: 'Load', why: '', osFamilies: [], values: {} }],
        })
      ).body.id,
      target: { on: 'role', role: 'database' },
      rank: 100,
      values: {},
      dormant: false,
      reason: '',
    })
    const agent = await house.enrol(house.sites[0], newName())
    await agent.send([agent.report(1, { facts: facts('mariadb') })])
    expect(await findings(agent)).toMatchObject([
      { role: 'database', evidence: ['the service mariadb is running'], decision: null },
    ])
    expect((await decide('accepted', agent, 'database')).body).toMatchObject({ decided: 1 })
    expect((await device(agent.id)).roles).toEqual(['database'])
    expect(
      (await house.lead<RosterWatch[]>('GET', `/api/devices/${agent.id}/roster`)).body.map((watch) => watch.key),
    ).toContain('db.load')
    expect(await findings(agent)).toEqual([])
    // The next report meets a device that has changed, and is taken all the same.
    expect((await agent.send([agent.report(2)])).body.acknowledged).toBe(2)
  })
  it('declined, are not suggested again, also when they go and come back', async () => {
    const agent = await house.enrol(house.sites[0], newName())
    await agent.send([agent.report(1, { facts: facts('nginx') })])
    await decide('declined', agent, 'web')
    await agent.send([agent.report(2, { facts: facts() }), agent.report(3, { facts: facts('nginx') })])
    expect(await findings(agent)).toEqual([])
    expect((await device(agent.id)).roles).toEqual([])
  })
  it('taken once and no longer showing, are asked about; pinned, they are not', async () => {
    const agent = await house.enrol(house.sites[0], newName())
    await agent.send([agent.report(1, { facts: facts('nginx', 'smbd') })])
    await decide('accepted', agent, 'web')
    await decide('pinned', agent, 'file')
    await agent.send([agent.report(2, { facts: facts() })])
    expect(await findings(agent)).toMatchObject([{ role: 'web', evidence: [], decision: 'accepted' }])
    await decide('declined', agent, 'web')
    expect((await device(agent.id)).roles).toEqual(['file'])
  })
  it('are decided for every device of a client at once, whatever part of them was shown', async () => {
    const { body: client } = await house.lead<{ id: number }>('POST', '/api/clients', { name: 'Oriel', code: 'or' })
    const { body: site } = await house.lead<{ id: number }>('POST', '/api/sites', {
      clientId: client.id,
      name: 'Hall',
      zone: 'Europe/Lisbon',
      networks: [],
    })
    const agents: Agent[] = []
    for (let i = 0; i < 3; i++) {
      const agent = await house.enrol(site.id, newName())
      await agent.send([agent.report(1, { facts: facts('postgresql') })])
      agents.push(agent)
    }
    const page = async () =>
      (await house.technician<RoleFindingPage>('GET', `/api/role-findings?client=${client.id}&limit=2`)).body
    expect((await page()).suggested.map((group) => [group.role, group.total, group.findings.length])).toEqual([
      ['database', 3, 2],
    ])
    const { body } = await house.technician('POST', '/api/role-findings/decide', {
      decision: 'accepted',
      role: 'database',
      clientId: client.id,
    })
    expect(body).toEqual({ decided: 3 })
    expect((await page()).total).toBe(0)
    for (const agent of agents) expect((await device(agent.id)).roles).toEqual(['database'])
  })
  it('that nobody decided about go when they no longer show', async () => {
    const agent = await house.enrol(house.sites[0], newName())
    await agent.send([agent.report(1, { facts: facts('nginx') }), agent.report(2, { facts: facts('smbd') })])
    expect((await findings(agent)).map((finding) => finding.role)).toEqual(['file'])
  })
  it('of others’ devices are refused', async () => {
    const agent = await house.enrol(house.sites[0], newName())
    await agent.send([agent.report(1, { facts: facts('nginx') })])
    expect(
      (
        await house.contact('POST', '/api/role-findings/decide', {
          decision: 'accepted',
          findings: [{ deviceId: agent.id, role: 'web' }],
        })
      ).status,
    ).toBe(403)
    expect(
      (
        await house.technician('POST', '/api/role-findings/decide', {
          decision: 'accepted',
          findings: [{ deviceId: 999_999, role: 'web' }],
        })
      ).status,
    ).toBe(404)
  })
})

describe('a standing rule', () => {
  const rule = (
    more: Partial<Omit<NewStandingRule, 'when'>> = {},
    when: Partial<NewStandingRule['when']> = {},
  ): NewStandingRule => ({
    name: 'Newcomers',
    roles: [],
    tags: [],
    takeDetected: false,
    notify: [],
    ...more,
    when: { clientId: null, siteId: null, kind: null, osFamily: null, namePattern: null, network: null, ...when },
  })

  it('gives a newcomer its roles and tags, takes what its facts speak for, and tells who asked', async () => {
    const people = (await house.lead<{ id: number; name: string }[]>('GET', '/api/people')).body
    const tech = people.find((person) => person.name === 'Tech')!.id
    const made = await house.lead<{ id: number }>(
      'POST',
      '/api/standing-rules',
      rule({ roles: ['file'], tags: ['fresh'], takeDetected: true, notify: [tech] }, { namePattern: 'zero-*' }),
    )
    const agent = await house.enrol(house.sites[0], 'zero-touch-1')
    expect(await device(agent.id)).toMatchObject({ roles: ['file'], tags: ['fresh'] })
    await agent.send([agent.report(1, { facts: facts('nginx', 'postgresql') })])
    expect((await device(agent.id)).roles).toEqual(['file', 'database', 'web'])
    expect((await agent.send([agent.report(2)])).body.acknowledged).toBe(2)
    const notices = (await house.technician<Notice[]>('GET', '/api/notices')).body
    expect(notices).toMatchObject([{ deviceId: agent.id, text: 'zero-touch-1 appeared at Tidemill Ferries, Harbour' }])
    expect((await house.lead<Notice[]>('GET', '/api/notices')).body).toEqual([])
    await house.technician('POST', '/api/notices/seen')
    expect((await house.technician<Notice[]>('GET', '/api/notices')).body).toEqual([])
    await house.lead('DELETE', `/api/standing-rules/${made.body.id}`)
    expect((await device((await house.enrol(house.sites[0], 'zero-touch-2')).id)).tags).toEqual([])
  })
  it('is previewed on the devices of today, and changes none of them', async () => {
    const agent = await house.enrol(house.sites[0], 'preview-1', { roles: ['web'] })
    await agent.send([agent.report(1, { facts: facts('mariadb') })])
    const { body } = await house.technician<StandingRulePreview>(
      'POST',
      '/api/standing-rules/preview',
      rule({ roles: ['web', 'file'] }, { namePattern: 'PREVIEW-?' }),
    )
    expect(body).toMatchObject({ matching: 1, gaining: 1, devices: [{ id: agent.id, roles: ['file'], tags: [] }] })
    const taking = await house.technician<StandingRulePreview>(
      'POST',
      '/api/standing-rules/preview',
      rule({ takeDetected: true }, { namePattern: 'PREVIEW-?' }),
    )
    expect(taking.body.devices).toMatchObject([{ roles: ['database'] }])
    expect((await device(agent.id)).roles).toEqual(['web'])
  })
  it.each<[string, NewStandingRule, string]>([
    ['gives nothing', rule(), 'gives nothing'],
    ['names a network that is none', rule({ tags: ['a'] }, { network: '192.0.2.7/24' }), 'is no network'],
    ['gives a role that is not there', rule({ roles: ['wizard'] }), 'no role “wizard”'],
    ['tells somebody who is not here', rule({ notify: [999] }), 'not here'],
  ])('that %s is refused with a sentence', async (_, body, words) => {
    const answer = await house.lead('POST', '/api/standing-rules', body)
    expect([answer.status, answer.body.detail]).toEqual([400, expect.stringContaining(words)])
  })
  it('that no device could ever fit is refused', async () => {
    const answer = await house.lead(
      'POST',
      '/api/standing-rules',
      rule({ tags: ['a'] }, { clientId: 2, siteId: house.sites[0] }),
    )
    expect(answer.body.detail).toContain('another client')
  })
})

describe('the life of a device', () => {
  const failing = async (agent: Agent) =>
    agent.send([
      agent.report(1, { facts: { services: [{ name: 'orders', title: '', start: 'automatic', state: 'stopped' }] } }),
      agent.report(2),
      agent.report(3),
    ])
  const alertsOf = async (id: number) => (await house.lead<AlertView[]>('GET', `/api/devices/${id}/alerts`)).body

  it('moved to another client, it takes what is open along; its name must be free there', async () => {
    const agent = await house.enrol(house.sites[0], 'tm-mover')
    await failing(agent)
    const taken = await house.enrol(house.sites[1], 'bb-mover')
    expect(
      (await house.technician('PUT', `/api/devices/${agent.id}`, { siteId: house.sites[1], name: 'BB-Mover' })).body
        .code,
    ).toBe('name-in-use')
    expect(
      (
        await house.technician('PUT', `/api/devices/${agent.id}`, {
          siteId: house.sites[1],
          name: 'bb-moved',
          tags: ['moved'],
        })
      ).status,
    ).toBe(200)
    expect(await device(agent.id)).toMatchObject({
      name: 'bb-moved',
      clientName: 'Brindle Bakeries',
      siteName: 'Plant',
      tags: ['moved'],
    })
    expect((await house.contact<AlertView[]>('GET', `/api/devices/${agent.id}/alerts`)).body).toMatchObject([
      { status: 'open', clientName: 'Brindle Bakeries' },
    ])
    expect((await agent.send([agent.report(4)])).body.settings).toMatchObject({
      deviceName: 'bb-moved',
      siteName: 'Plant',
    })
    await house.technician('POST', `/api/devices/${taken.id}/retire`)
  })
  it('retired, its key is refused and its alerts are closed; its history is kept, and its name is free', async () => {
    const agent = await house.enrol(house.sites[0], 'tm-old')
    await failing(agent)
    await house.technician('POST', `/api/devices/${agent.id}/retire`)
    expect((await agent.send([agent.report(4)])).body.code).toBe('device-key-refused')
    expect((await house.lead<RetiredList>('GET', '/api/retired-devices')).body.devices[0]).toMatchObject({
      id: agent.id,
      name: 'tm-old',
      mergedInto: null,
    })
    expect(
      (await house.pool.query('select status, close_reason from alert where device_id = $1', [agent.id])).rows,
    ).toEqual([{ status: 'closed', close_reason: 'retired' }])
    const next = await house.enrol(house.sites[0], 'tm-old')
    expect(next.id).not.toBe(agent.id)
    expect((await house.technician('POST', `/api/devices/${agent.id}/bring-back`)).body.code).toBe('name-in-use')
    await house.technician('PUT', `/api/devices/${next.id}`, { name: 'tm-newer' })
    expect((await house.technician('POST', `/api/devices/${agent.id}/bring-back`)).status).toBe(200)
    // Its agent enrols anew under its name, and is the same device.
    expect((await house.enrol(house.sites[0], 'TM-Old')).id).toBe(agent.id)
    expect(
      (await house.pool.query<{ n: number }>('select count(*)::int as n from report where device_id = $1', [agent.id]))
        .rows[0]!.n,
    ).toBe(3)
  })
  it('reinstalled, it goes on as itself when somebody said so, and its old key is dead', async () => {
    const agent = await house.enrol(house.sites[0], 'tm-again')
    const line = {
      at: agent.at(0),
      channel: 'syslog',
      source: 'cron',
      id: null,
      level: 'informational' as const,
      text: 'ran',
    }
    await agent.send([agent.report(1, { events: [line] }), agent.report(2)])
    await house.technician('POST', `/api/devices/${agent.id}/expect-reinstall`)
    const anew = await house.enrol(house.sites[0], 'tm-again')
    expect(anew.id).toBe(agent.id)
    expect((await agent.send([agent.report(3)])).body.code).toBe('device-key-refused')
    // It reads the same log again.
    const receipt = await anew.send([anew.report(5, { events: [line] }), anew.report(6)])
    expect(receipt.body).toMatchObject({ acknowledged: 4, refused: [] } satisfies Partial<ReportReceipt>)
    // Once: the permission is used.
    expect((await tryKey((await key()).key, 'tm-again')).body.code).toBe('name-in-use')
  })
  it('merged, it has the readings, events, facts and alerts of what it was before; that is over', async () => {
    const old = await house.enrol(house.sites[0], 'tm-was', { roles: ['web'] })
    const line = {
      at: old.at(0),
      channel: 'syslog',
      source: 'cron',
      id: null,
      level: 'informational' as const,
      text: 'ran',
    }
    await failing(old)
    await old.send([old.report(4, { events: [line] })])
    const agent = await house.enrol(house.sites[0], 'tm-is')
    for (let i = 0; i < 3; i++) await agent.send([agent.report(20 + i)])
    await agent.send([agent.report(25, { events: [line] })])
    expect(
      (await house.technician('POST', `/api/devices/${agent.id}/merge`, { from: agent.id })).body.detail,
    ).toContain('itself')
    expect((await house.technician('POST', `/api/devices/${agent.id}/merge`, { from: old.id })).status).toBe(200)
    expect(
      (await house.pool.query<{ n: number }>('select count(*)::int as n from report where device_id = $1', [agent.id]))
        .rows[0]!.n,
    ).toBe(8)
    expect((await house.pool.query('select text from log_event where device_id = $1', [agent.id])).rows).toEqual([
      { text: 'ran' },
    ])
    // One of each is enough for the board, too.
    expect(
      (
        await house.pool.query('select device_id, entries from log_hour where device_id in ($1, $2)', [
          agent.id,
          old.id,
        ])
      ).rows,
    ).toEqual([{ device_id: agent.id, entries: 1 }])
    expect(await alertsOf(agent.id)).toMatchObject([{ status: 'closed', closeReason: 'merged' }])
    expect(await device(agent.id)).toMatchObject({ roles: ['web'], facts: { services: [{ name: 'orders' }] } })
    expect((await old.send([old.report(30)])).body.code).toBe('device-key-refused')
    expect((await agent.send([agent.report(30)])).body.acknowledged).toBe(5)
    expect((await house.technician('POST', `/api/devices/${old.id}/bring-back`)).body.code).toBe('still-used')
    const foreign = await house.enrol(house.sites[1], 'bb-other')
    expect(
      (await house.technician('POST', `/api/devices/${agent.id}/merge`, { from: foreign.id })).body.detail,
    ).toContain('same client')
  })
})
