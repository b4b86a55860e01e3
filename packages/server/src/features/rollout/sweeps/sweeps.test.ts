import { createPublicKey, verify } from 'node:crypto'
import { mkdtempSync, readFileSync, rmSync, statSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, beforeAll, describe, expect, it, vi } from 'vitest'
import type { SweepPage, SweepPlanView, SweepView, SweepProgress, SweepCommand, Task, TaskReceipt } from '#contract'
import { day, hour, minute, type Facts } from '#core'
import { rows } from '../../../db'
import { openHouse, type Agent, type Answer, type House } from '../../../testing/house'
import { nextOf } from './recurrence'
import { openSigner } from '../../../secrets/signer'
import { advanceSweeps } from './sweeps'

let house: House
let agent: Agent
beforeAll(async () => {
  house = await openHouse()
  await house.technician('PUT', `/api/sites/${house.sites[0]}/networks`, { networks: ['192.0.2.0/24'] })
  agent = await house.enrol(house.sites[0], 'tm-sweeper')
  await agent.send([agent.report(0, { facts: system() })])
})
afterAll(() => house.close())

let minutes = 0
const system = (addresses: string[] = []): Facts => ({
  system: {
    osFamily: 'linux',
    osName: 'Debian 12',
    hostName: 'x',
    cores: 1,
    agentVersion: '1',
    serviceManager: null,
    takesTasks: true,
    addresses,
  },
})
const start = (more: object = {}) =>
  house.technician<{ id: number }>('POST', '/api/sweeps', {
    siteId: house.sites[0],
    deviceId: agent.id,
    network: '192.0.2.0/28',
    ...more,
  })
const page = async (id: number) => (await house.technician<SweepPage>('GET', `/api/sweeps/${id}`)).body
/** Reports until work comes along: the board is looked at every two seconds. */
async function work(): Promise<Task> {
  return vi.waitFor(
    async () => {
      const [signed] = (await agent.send([agent.report(++minutes)])).body.tasks ?? []
      expect(signed).toBeDefined()
      return JSON.parse(signed!.text) as Task
    },
    { timeout: 8000, interval: 500 },
  )
}
async function reportProgress(
  sweeper: Agent,
  taskId: number,
  progress: Partial<SweepProgress>,
): Promise<Answer<TaskReceipt>> {
  const response = await house.app.inject({
    method: 'POST',
    url: `/api/agent/tasks/${taskId}`,
    headers: { authorization: `Bearer ${sweeper.key}` },
    payload: { sweep: { state: 'running', reason: '', scanned: 0, total: 14, found: [], ...progress } },
  })
  return { status: response.statusCode, body: response.json(), type: '' }
}

describe('a sweep', () => {
  it('is handed to the agent with its next report, once, and shows what it found and who of them is known', async () => {
    await house.technician('PUT', `/api/devices/${agent.id}`, { tags: ['sweeps'] })
    await agent.send([agent.report(++minutes, { facts: system(['192.0.2.3']) })])
    const { id } = (await start()).body
    expect(await page(id)).toMatchObject({ state: 'waiting', total: 14, hosts: [] })
    const task = await work()
    expect(task).toMatchObject({ deviceId: agent.id, command: { kind: 'sweep', network: '192.0.2.0/28' } })
    // Agents of version 0.4.0 read it under another name.
    expect(task).toMatchObject({ order: task.command })
    expect((await agent.send([agent.report(++minutes)])).body.tasks).toBeUndefined()
    await reportProgress(agent, task.id, {
      scanned: 6,
      found: [{ address: '192.0.2.3', name: null, ports: [22], banner: 'SSH-2.0-OpenSSH_9.2p1 Debian' }],
    })
    expect(await page(id)).toMatchObject({
      state: 'running',
      scanned: 6,
      answered: 1,
      unknown: 0,
      hosts: [{ address: '192.0.2.3', seems: 'Linux or Unix', device: { id: agent.id, name: 'tm-sweeper' } }],
    })
    await reportProgress(agent, task.id, {
      state: 'done',
      scanned: 14,
      found: [{ address: '192.0.2.9', name: 'printer.tidemill.example', ports: [80, 9100], banner: null }],
    })
    expect(await page(id)).toMatchObject({
      state: 'done',
      scanned: 14,
      answered: 2,
      unknown: 1,
      hosts: [{}, { address: '192.0.2.9', seems: 'printer', device: null }],
    })
    // It is over: more words about it change nothing.
    expect((await reportProgress(agent, task.id, { scanned: 1 })).status).toBe(404)
  })
  it('signs in where it was given sign-ins, in their order; each use is on record, and the keys that hosts show are remembered', async () => {
    const store = async (name: string) =>
      (
        await house.technician<{ id: number }>('POST', '/api/credentials', {
          clientId: 1,
          siteId: null,
          name,
          userName: 'root',
          kind: 'password',
          secret: `secret of ${name}`,
        })
      ).body.id
    const credentialIds = [await store('second'), await store('first')].reverse()
    const { id } = (await start({ credentialIds })).body
    const task = await work()
    expect((task.command as SweepCommand).trials).toEqual([
      { id: credentialIds[0], name: 'first', user: 'root', password: 'secret of first' },
      { id: credentialIds[1], name: 'second', user: 'root', password: 'secret of second' },
    ])
    const kept = (
      await house.pool.query<{ command: object }>('select command from device_task where id = $1', [task.id])
    ).rows[0]!.command
    expect(JSON.stringify(kept)).not.toContain('secret of')
    const signedIn = {
      trial: credentialIds[1]!,
      system: 'Debian 12, x86_64',
      agent: true,
      hostKey: 'key-of-5',
      reason: '',
    }
    await reportProgress(agent, task.id, {
      state: 'done',
      scanned: 14,
      found: [
        { address: '192.0.2.5', name: null, ports: [22], banner: null, signedIn },
        {
          address: '192.0.2.6',
          name: null,
          ports: [22],
          banner: null,
          signedIn: {
            trial: null,
            system: '',
            agent: false,
            hostKey: null,
            reason: 'Both sign-ins were refused: “first” and “second”.',
          },
        },
      ],
    })
    expect((await page(id)).hosts.map((host) => host.signedIn)).toEqual([
      { with: 'second', system: 'Debian 12, x86_64', agent: true, reason: '' },
      { with: null, system: '', agent: false, reason: 'Both sign-ins were refused: “first” and “second”.' },
    ])
    const used = (
      await house.pool.query<{ action: string; object_id: number; detail: { addresses?: string[] } }>(
        `select action, object_id, detail from audit
         where object_kind = 'credential' and action like '%used%' or action = 'signed in with' order by id`,
      )
    ).rows
    expect(used.map((row) => [row.action, Number(row.object_id)])).toEqual([
      ['used', credentialIds[0]],
      ['used', credentialIds[1]],
      ['signed in with', credentialIds[1]],
    ])
    expect(used[2]!.detail.addresses).toEqual(['192.0.2.5'])
    // Seen is not accepted.
    await start({ credentialIds: [credentialIds[0]] })
    expect((await work()).command as SweepCommand).toMatchObject({ hostKeys: {}, passwordsToUnknown: false })
    expect((await start({ credentialIds: [9999] })).body.detail).toContain('One of these sign-ins is not there')
  })
  describe('and the key that a host shows', () => {
    const showing = async (key: string, more: object = {}): Promise<{ id: number; command: SweepCommand }> => {
      const [credential] = (await house.pool.query<{ id: number }>(`select id from credential where name = 'first'`))
        .rows
      const { id } = (await start({ credentialIds: [credential!.id], ...more })).body
      const task = await work()
      await reportProgress(agent, task.id, {
        state: 'done',
        scanned: 14,
        found: [
          {
            address: '192.0.2.7',
            name: null,
            ports: [22],
            banner: null,
            signedIn: { trial: null, system: '', agent: false, hostKey: key, reason: 'x' },
          },
        ],
      })
      return { id, command: task.command as SweepCommand }
    }
    const accept = (fingerprint: string, by = house.technician, address = '192.0.2.7') =>
      by<{ accepted: number }>('POST', `/api/sites/${house.sites[0]}/host-keys`, { keys: [{ address, fingerprint }] })
    const keyOn = async (id: number) => (await page(id)).hosts.find((host) => host.address === '192.0.2.7')!.key
    const onRecord = async () =>
      (
        await house.pool.query<{ name: string | null; detail: object }>(`
      select p.name, a.detail from audit a left join person p on p.id = a.person_id
      where a.action = 'accepted keys of machines' order by a.id`)
      ).rows

    it('is accepted by a person who has looked at it, on record; from then on the host gets passwords, and with another key it does not', async () => {
      const first = await showing('S2V5IG9uZQ==')
      expect(await keyOn(first.id)).toEqual({ fingerprint: 'S2V5IG9uZQ==', state: 'new' })
      expect((await accept('S2V5IG9uZQ==')).body).toEqual({ accepted: 1 })
      expect(await keyOn(first.id)).toEqual({ fingerprint: 'S2V5IG9uZQ==', state: 'accepted' })
      const second = await showing('S2V5IHR3bw==')
      expect(second.command).toMatchObject({ hostKeys: { '192.0.2.7': 'S2V5IG9uZQ==' }, passwordsToUnknown: false })
      // What is shown since is not the accepted one, and does not become it by itself.
      expect(await keyOn(second.id)).toEqual({ fingerprint: 'S2V5IHR3bw==', state: 'changed' })
      expect((await showing('S2V5IHR3bw==')).command.hostKeys).toEqual({ '192.0.2.7': 'S2V5IG9uZQ==' })
      expect((await accept('S2V5IHR3bw==')).body).toEqual({ accepted: 1 })
      expect((await accept('S2V5IHR3bw==')).body).toEqual({ accepted: 0 })
      expect((await showing('S2V5IHR3bw==')).command.hostKeys).toEqual({ '192.0.2.7': 'S2V5IHR3bw==' })
      expect(await onRecord()).toEqual([
        { name: 'Tech', detail: { keys: [{ address: '192.0.2.7', seen: 'S2V5IG9uZQ==', before: null }] } },
        { name: 'Tech', detail: { keys: [{ address: '192.0.2.7', seen: 'S2V5IHR3bw==', before: 'S2V5IG9uZQ==' }] } },
      ])
    })
    it('is not accepted when the host shows another by now, was never met, or is another client’s', async () => {
      expect((await accept('S2V5IG9uZQ==')).body).toMatchObject({ code: 'changed-meanwhile' })
      expect((await accept('S2V5IHR3bw==', house.technician, '192.0.2.99')).body).toMatchObject({
        code: 'changed-meanwhile',
      })
      const { ask } = await house.personWith('technician', [house.clients[1]])
      expect((await accept('S2V5IHR3bw==', ask)).status).toBe(404)
      expect((await accept('S2V5IHR3bw==', house.contact)).status).toBe(403)
    })
    it('is accepted by whoever said that unknown hosts get passwords too, but never in place of another', async () => {
      await house.pool.query('delete from host_key')
      expect((await showing('S2V5IG9uZQ==', { passwordsToUnknown: true })).command.passwordsToUnknown).toBe(true)
      expect((await showing('S2V5IHR3bw==', { passwordsToUnknown: true })).command.hostKeys).toEqual({
        '192.0.2.7': 'S2V5IG9uZQ==',
      })
      const { id, command } = await showing('S2V5IHR3bw==')
      expect([command.hostKeys, await keyOn(id)]).toEqual([
        { '192.0.2.7': 'S2V5IG9uZQ==' },
        { fingerprint: 'S2V5IHR3bw==', state: 'changed' },
      ])
      expect((await onRecord()).at(-1)).toMatchObject({ name: 'Tech', detail: { keys: [{ seen: 'S2V5IG9uZQ==' }] } })
    })
    it('is taken from the device that sweeps for what it was to sweep only', async () => {
      const [credential] = (await house.pool.query<{ id: number }>(`select id from credential where name = 'first'`))
        .rows
      const { id } = (await start({ credentialIds: [credential!.id], passwordsToUnknown: true })).body
      const signedIn = { trial: null, system: '', agent: false, hostKey: 'S2V5IG9uZQ==', reason: 'x' }
      await reportProgress(agent, (await work()).id, {
        state: 'done',
        scanned: 14,
        found: ['192.0.2.8', '192.0.2.99', '2001:db8::8'].map((address) => ({
          address,
          name: null,
          ports: [22],
          banner: null,
          signedIn,
        })),
      })
      expect((await page(id)).hosts.map((host) => host.address)).toEqual(['192.0.2.8'])
      expect(
        (await house.pool.query<{ address: string }>(`select address from host_key where address <> '192.0.2.7'`)).rows,
      ).toEqual([{ address: '192.0.2.8' }])
    })
    it('cannot be left open for sweeps that come again', async () => {
      expect((await start({ passwordsToUnknown: true, rule: 'FREQ=DAILY', at: '03:00' })).body.detail).toContain(
        'only to machines whose key somebody has accepted',
      )
    })
  })
  it('is told only by the device that does it', async () => {
    const { id } = (await start()).body
    const task = await work()
    const other = await house.enrol(house.sites[0], 'tm-meddler')
    expect((await reportProgress(other, task.id, { state: 'done' })).status).toBe(404)
    expect(await page(id)).toMatchObject({ state: 'waiting' })
    await reportProgress(agent, task.id, { state: 'failed', reason: 'no way to that network' })
    expect(await page(id)).toMatchObject({ state: 'failed', reason: 'no way to that network' })
  })
  it.each<[string, object, string]>([
    ['outside the networks of the site', { network: '198.51.100.0/28' }, 'not within the networks'],
    ['that is too large', { network: '10.0.0.0/16' }, 'too large'],
    ['that is no range', { network: '192.0.2.1/28' }, 'is no range'],
    ['from a device of another client', { deviceId: 2_000_000 }, 'must be one of this client'],
    ['with a rule that is none', { rule: 'NOW AND THEN' }, 'no recurrence rule'],
  ])('%s is refused with a sentence', async (_, more, words) => {
    const answer = await start(more)
    expect([answer.status, answer.body.detail]).toEqual([400, expect.stringContaining(words)])
  })
  it('is not asked of an agent that takes no tasks', async () => {
    const old = await house.enrol(house.sites[0], 'tm-enrolled-long-ago')
    expect((await start({ deviceId: old.id })).body.detail).toContain(
      'The agent of tm-enrolled-long-ago takes no tasks',
    )
  })
  it('of which nothing is heard is given up, and says why', async () => {
    const { id } = (await start()).body
    await advanceSweeps(house.pool, Date.now() + 29 * minute)
    expect((await page(id)).state).toBe('waiting')
    await advanceSweeps(house.pool, Date.now() + 31 * minute)
    expect(await page(id)).toMatchObject({
      state: 'failed',
      reason: expect.stringContaining('did not come for it') as string,
    })
  })
  it('that comes again is started when it is due, once, whatever many processes try', async () => {
    expect((await start({ rule: 'FREQ=DAILY', at: '03:00' })).status).toBe(200)
    const [plan] = (await house.technician<SweepPlanView[]>('GET', '/api/sweep-plans')).body
    expect(plan).toMatchObject({ rule: 'FREQ=DAILY', zone: 'Europe/Lisbon' })
    const before = (await house.technician<SweepView[]>('GET', '/api/sweeps')).body.length
    await Promise.all([1, 2, 3].map(() => advanceSweeps(house.pool, plan!.nextAt! + 1000)))
    const sweeps = (await house.technician<SweepView[]>('GET', '/api/sweeps')).body
    expect(sweeps.length).toBe(before + 1)
    expect(sweeps[0]).toMatchObject({ startedBy: null, network: '192.0.2.0/28' })
    const [next] = (await house.technician<SweepPlanView[]>('GET', '/api/sweep-plans')).body
    expect(Math.round((next!.nextAt! - plan!.nextAt!) / hour)).toBeGreaterThanOrEqual(23)
    await house.technician('DELETE', `/api/sweep-plans/${plan!.id}`)
    expect((await house.technician<SweepPlanView[]>('GET', '/api/sweep-plans')).body).toEqual([])
  })
})

describe('a recurrence', () => {
  const at = (text: string) => Date.parse(text)
  it('is that of RFC 5545, section 3.8.5.3, in the zone of the site', () => {
    // Its first example, daily for ten occurrences, crosses the end of daylight saving time in none of them…
    expect(nextOf('FREQ=DAILY;COUNT=10', '19970902T090000', 'America/New_York', at('1997-09-05T13:00:00Z'))).toBe(
      at('1997-09-06T13:00:00Z'),
    )
    expect(nextOf('FREQ=DAILY;COUNT=10', '19970902T090000', 'America/New_York', at('1997-09-11T13:00:00Z'))).toBeNull()
    // …and the second, daily until December, does: October 25 at 9:00 EDT, October 26 at 9:00 EST.
    expect(
      nextOf('FREQ=DAILY;UNTIL=19971224T000000Z', '19970902T090000', 'America/New_York', at('1997-10-25T13:00:00Z')),
    ).toBe(at('1997-10-26T14:00:00Z'))
  })
  it('that never comes, or comes all the time, is refused in a moment', () => {
    for (const rule of [
      'FREQ=DAILY;BYMONTH=2;BYMONTHDAY=30',
      'FREQ=HOURLY;BYMONTH=2;BYMONTHDAY=30',
      'FREQ=WEEKLY;BYMONTH=2;BYMONTHDAY=30',
    ])
      expect(() => nextOf(rule, '20250101T030000', 'Europe/Lisbon', at('2026-01-01T00:00:00Z'))).toThrow('never')
    for (const rule of [
      'FREQ=SECONDLY;BYMONTH=2;BYMONTHDAY=30',
      'FREQ=MINUTELY',
      'FREQ=HOURLY;BYMINUTE=1,2',
      'FREQ=DAILY;BYSECOND=1',
    ])
      expect(() => nextOf(rule, '20250101T030000', 'Europe/Lisbon', at('2026-01-01T00:00:00Z'))).toThrow('once an hour')
  })
  it('keeps its local time when the clocks change', () => {
    const first = nextOf('FREQ=WEEKLY;BYDAY=SU', '20270301T030000', 'Europe/Lisbon', at('2027-03-20T00:00:00Z'))!
    expect([first, nextOf('FREQ=WEEKLY;BYDAY=SU', '20270301T030000', 'Europe/Lisbon', first)! - first]).toEqual([
      at('2027-03-21T03:00:00Z'),
      7 * day - hour,
    ])
  })
})

describe('plans', () => {
  it('each fail alone: one whose rule cannot be worked out any more starts no sweep again, says why, and holds up nobody', async () => {
    for (let i = 0; i < 2; i++) expect((await start({ rule: 'FREQ=DAILY', at: '03:00' })).status).toBe(200)
    const [broken, good] = (
      await rows<{ id: number }>(house.pool, 'select id from sweep_plan where removed_at is null order by id')
    ).map((row) => row.id)
    await house.pool.query(
      `update sweep_plan set next_at = now() - interval '1 minute', rule = case when id = $1 then 'FREQ=NEVER'
       else rule end`,
      [broken],
    )
    await advanceSweeps(house.pool, Date.now())
    const plans = (await house.lead<SweepPlanView[]>('GET', '/api/sweep-plans')).body
    expect(plans.find((plan) => plan.id === broken)).toMatchObject({
      nextAt: null,
      trouble: expect.stringMatching(/\w/) as string,
    })
    expect(plans.find((plan) => plan.id === good)).toMatchObject({ nextAt: expect.any(Number) as number, trouble: '' })
  })
})

describe('the signing key', () => {
  it('is made once, is readable by its owner only, and what it signs can be verified', () => {
    const folder = mkdtempSync(join(tmpdir(), 'custode-keys-'))
    const signer = openSigner(join(folder, 'keys'))
    const again = openSigner(join(folder, 'keys'))
    expect(again.publicKey).toBe(signer.publicKey)
    expect(statSync(join(folder, 'keys', 'signing-key.pem')).mode & 0o777).toBe(0o600)
    const key = createPublicKey({ key: Buffer.from(signer.publicKey, 'base64'), format: 'der', type: 'spki' })
    expect(key.asymmetricKeyType).toBe('ed25519')
    expect(verify(null, Buffer.from('text'), key, Buffer.from(again.sign('text'), 'base64'))).toBe(true)
    expect(readFileSync(join(folder, 'keys', 'signing-key.pem'), 'utf8')).toContain('PRIVATE KEY')
    rmSync(folder, { recursive: true })
  })
})
