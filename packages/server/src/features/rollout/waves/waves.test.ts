import { afterAll, beforeAll, describe, expect, it, vi } from 'vitest'
import type {
  CredentialView,
  DeployProgress,
  DeployCommand,
  Enrolment,
  MachinesRead,
  NewCredential,
  NewWaveRun,
  Task,
  WaveRunPage,
  WorkUnderWay,
} from '#contract'
import { minute } from '#core'
import { openHouse, type Agent, type House } from '../../../testing/house'
import { readMachines } from './machineList'
import { openVault } from '../../../secrets/vault'
import { advanceRuns } from './waveRun'

let house: House
let agent: Agent
let credentialIds: number[]
beforeAll(async () => {
  house = await openHouse()
  await house.technician('PUT', `/api/sites/${house.sites[0]}/networks`, { networks: ['192.0.2.0/24'] })
  agent = await house.enrol(house.sites[0], 'tm-relay')
  await agent.send([
    agent.report(0, {
      facts: {
        system: {
          osFamily: 'linux',
          osName: 'Debian 12',
          hostName: 'x',
          cores: 1,
          agentVersion: '1',
          serviceManager: null,
          takesTasks: true,
        },
      },
    }),
  ])
  credentialIds = [
    (await store()).body.id,
    (await store({ name: 'spare', userName: 'admin', secret: 'spare-secret-word' })).body.id,
  ]
})
afterAll(() => house.close())

const store = (more: Partial<NewCredential> = {}) =>
  house.technician<{ id: number }>('POST', '/api/credentials', {
    clientId: 1,
    siteId: null,
    name: 'servers',
    userName: 'root',
    kind: 'password',
    secret: 'very-secret-word',
    ...more,
  })
const machines = (count: number) =>
  Array.from({ length: count }, (_, i) => ({ address: `192.0.2.${i + 10}`, name: `tm-wave-${i + 1}` }))
const start = (more: Partial<NewWaveRun> = {}) =>
  house.technician<{ id: number }>('POST', '/api/wave-runs', {
    siteId: house.sites[0],
    deviceId: agent.id,
    name: 'First lot',
    kind: 'server',
    roles: ['web'],
    tags: ['lot'],
    machines: machines(5),
    credentialIds,
    waves: [1, 2],
    mostFailed: 0.5,
    hoursFrom: null,
    hoursUntil: null,
    ...more,
  })
const page = async (id: number) => (await house.technician<WaveRunPage>('GET', `/api/wave-runs/${id}`)).body
const control = (id: number, action: string) => house.technician('POST', `/api/wave-runs/${id}/${action}`)
const states = (run: WaveRunPage) => run.machines.map((machine) => machine.state)

let minutes = 0
/** Takes the tasks that wait, as the agent does with its reports. */
async function commands(count: number): Promise<{ task: Task; command: DeployCommand }[]> {
  const found: Task[] = []
  await vi.waitFor(
    async () => {
      for (const signed of (await agent.send([agent.report(++minutes)])).body.tasks ?? [])
        found.push(JSON.parse(signed.text) as Task)
      expect(found.length).toBeGreaterThanOrEqual(count)
    },
    { timeout: 8000, interval: 400 },
  )
  return found.map((task) => ({ task, command: task.command as DeployCommand }))
}
async function reportProgress(taskId: number, progress: Partial<DeployProgress>): Promise<number> {
  const deploy = { state: 'running', step: '', failure: null, reason: '', hostKey: null, trial: null, ...progress }
  return (
    await house.app.inject({
      method: 'POST',
      url: `/api/agent/tasks/${taskId}`,
      headers: { authorization: `Bearer ${agent.key}` },
      payload: { deploy },
    })
  ).statusCode
}
const turn = () => advanceRuns(house.pool, Date.now())

describe('a run of waves', () => {
  it('goes wave by wave; machines enrol with its key and get its roles; what failed is grouped, and only that is tried again', async () => {
    const { id } = (await start()).body
    await turn()
    let run = await page(id)
    expect([states(run), run.machines.map((machine) => machine.wave)]).toEqual([
      ['going', 'waiting', 'waiting', 'waiting', 'waiting'],
      [1, 2, 2, 3, 3],
    ])
    const [first] = await commands(1)
    expect(first!.command).toMatchObject({
      kind: 'deploy',
      address: '192.0.2.10',
      name: 'tm-wave-1',
      hostKey: null,
      trials: [{ user: 'root', password: 'very-secret-word' }, { user: 'admin' }],
    })
    await reportProgress(first!.task.id, { step: 'looking around', hostKey: 'ZmluZ2VycHJpbnQgb2YgMTA=' })
    expect((await page(id)).machines[0]).toMatchObject({ state: 'going', step: 'looking around', attempts: 1 })
    const enrolment = (
      await house.nobody<Enrolment>('POST', '/api/agent/enrol', {
        version: 1,
        key: first!.command.enrolmentKey,
        name: 'TM-Wave-1',
        osFamily: 'linux',
        osName: 'Debian 12',
        sentAt: Date.now(),
      })
    ).body
    await reportProgress(first!.task.id, {
      state: 'done',
      step: 'installed',
      hostKey: 'ZmluZ2VycHJpbnQgb2YgMTA=',
      trial: credentialIds[0]!,
    })
    await turn()
    await turn()
    run = await page(id)
    expect([run.wave, states(run)]).toEqual([2, ['installed', 'going', 'going', 'waiting', 'waiting']])
    expect(run.machines[0]!.device).toMatchObject({ id: enrolment.deviceId, reports: false })
    expect(
      (await house.lead<{ roles: string[]; tags: string[] }>('GET', `/api/devices/${enrolment.deviceId}`)).body,
    ).toMatchObject({ roles: ['web'], tags: ['lot'] })

    const second = await commands(2)
    await reportProgress(second[0]!.task.id, {
      state: 'failed',
      failure: 'sign-in-refused',
      reason: 'Both sign-ins were refused: “root” and “admin”.',
    })
    await reportProgress(second[1]!.task.id, { state: 'failed', failure: 'disk-full', reason: 'Only 10 MB are free.' })
    await turn()
    run = await page(id)
    expect(run).toMatchObject({
      state: 'paused',
      reason: expect.stringContaining('2 of 2 machines of wave 2 failed') as string,
      failed: 2,
    })
    expect(run.machines[1]).toMatchObject({
      failure: 'sign-in-refused',
      reason: 'Both sign-ins were refused: “root” and “admin”.',
    })

    // One that was refused for its name gets another one, and each keeps its reason until its turn comes.
    const rename = (n: number, name: string) => house.technician('PUT', `/api/wave-runs/${id}/machines/${n}`, { name })
    expect([(await rename(2, 'tm-renamed')).status, (await rename(1, 'tm-has-its-agent')).status]).toEqual([200, 400])
    await control(id, 'retry')
    expect((await page(id)).machines[1]).toMatchObject({
      name: 'tm-renamed',
      state: 'waiting',
      reason: 'Both sign-ins were refused: “root” and “admin”.',
    })
    expect((await house.technician<WorkUnderWay[]>('GET', '/api/under-way')).body).toContainEqual({
      kind: 'wave',
      id,
      title: (await page(id)).name,
      done: 1,
      total: 5,
      isPaused: false,
    })
    await turn()
    expect(states(await page(id))).toEqual(['installed', 'going', 'going', 'waiting', 'waiting'])
    expect((await page(id)).machines[1]).toMatchObject({ reason: '', failure: null })
    for (const { task } of await commands(2)) await reportProgress(task.id, { state: 'done', step: 'installed' })
    await turn()
    await turn()
    for (const { task } of await commands(2)) await reportProgress(task.id, { state: 'done', step: 'installed' })
    await turn()
    expect(await page(id)).toMatchObject({ state: 'done', installed: 5, failed: 0 })
    expect((await page(id)).machines.map((machine) => machine.attempts)).toEqual([1, 2, 2, 1, 1])
  })
  it('remembers the keys that machines show; once one is accepted, a machine must show the same', async () => {
    expect(
      (
        await house.technician('POST', `/api/sites/${house.sites[0]}/host-keys`, {
          keys: [{ address: '192.0.2.10', fingerprint: 'ZmluZ2VycHJpbnQgb2YgMTA=' }],
        })
      ).body,
    ).toEqual({ accepted: 1 })
    const { id } = (await start({ machines: [{ address: '192.0.2.10', name: 'tm-once-more' }], waves: [] })).body
    await turn()
    const [command] = await commands(1)
    expect(command!.command).toMatchObject({ hostKey: 'ZmluZ2VycHJpbnQgb2YgMTA=', passwordsToUnknown: false })
    await reportProgress(command!.task.id, {
      state: 'failed',
      failure: 'host-key-changed',
      reason: 'another key',
      hostKey: 'c29tZXRoaW5nIGVsc2U=',
    })
    expect((await page(id)).machines[0]).toMatchObject({
      state: 'failed',
      failure: 'host-key-changed',
      key: { fingerprint: 'c29tZXRoaW5nIGVsc2U=', state: 'changed' },
    })
    const again = (await start({ machines: [{ address: '192.0.2.10', name: 'tm-once-more' }], waves: [] })).body.id
    await turn()
    expect((await commands(1))[0]!.command.hostKey).toBe('ZmluZ2VycHJpbnQgb2YgMTA=')
    await control(again, 'stop')
    await control(id, 'retry')
    await control(id, 'stop')
  })
  it('finds a machine that was left to call itself by the address that was gone to', async () => {
    const { id } = (await start({ machines: [{ address: '192.0.2.77', name: null }], waves: [] })).body
    await turn()
    const [command] = await commands(1)
    expect(command!.command.name).toBeNull()
    const enrolment = (
      await house.nobody<Enrolment>('POST', '/api/agent/enrol', {
        version: 1,
        key: command!.command.enrolmentKey,
        name: 'calls-itself-this',
        osFamily: 'linux',
        osName: '',
        addresses: ['192.0.2.77'],
        sentAt: Date.now(),
      })
    ).body
    await reportProgress(command!.task.id, { state: 'done', step: 'installed' })
    await turn()
    expect((await page(id)).machines[0]!.device).toMatchObject({ id: enrolment.deviceId, name: 'calls-itself-this' })
  })
  it('to devices that are known makes their agents go on as those devices', async () => {
    const known = await house.enrol(house.sites[0], 'tm-known')
    await known.send([known.report(1)])
    const { id } = (await start({ machines: [{ address: '192.0.2.90', name: 'TM-Known' }], waves: [], takeOver: true }))
      .body
    await turn()
    const [command] = await commands(1)
    const enrolAgain = () =>
      house.nobody<Enrolment>('POST', '/api/agent/enrol', {
        version: 1,
        key: command!.command.enrolmentKey,
        name: 'TM-Known',
        osFamily: 'linux',
        osName: '',
        addresses: ['192.0.2.90'],
        sentAt: Date.now(),
      })
    expect((await enrolAgain()).body).toMatchObject({ deviceId: known.id, firstSeq: 2 })
    await reportProgress(command!.task.id, { state: 'done', step: 'installed' })
    await turn()
    expect((await page(id)).machines[0]!.device).toMatchObject({ id: known.id, name: 'tm-known' })
    // Once; whoever enrols again under that name is somebody else.
    expect((await enrolAgain()).status).not.toBe(200)
  })
  it('paused goes to no more machines; stopped it does not even hand over what waits', async () => {
    const { id } = (await start({ waves: [] })).body
    await control(id, 'pause')
    await turn()
    expect(states(await page(id))).toEqual(Array(5).fill('waiting'))
    expect((await control(id, 'pause')).body.detail).toContain('This run is paused')
    await control(id, 'resume')
    await turn()
    expect(states(await page(id))).toEqual(['going', 'going', 'going', 'going', 'waiting'])
    await control(id, 'stop')
    expect(states(await page(id))).toEqual(Array(5).fill('waiting'))
    await new Promise((resolve) => setTimeout(resolve, 2100))
    expect((await agent.send([agent.report(++minutes)])).body.tasks).toBeUndefined()
    expect((await control(id, 'resume')).status).toBe(409)
    expect((await control(id, 'retry')).body.detail).toContain('Nothing failed')
  })
  it('gives up a machine that was on its way when the run was stopped, too', async () => {
    const { id } = (await start({ machines: machines(1), waves: [] })).body
    await turn()
    await commands(1)
    await control(id, 'stop')
    expect(states(await page(id))).toEqual(['going'])
    await advanceRuns(house.pool, Date.now() + 7 * minute)
    expect((await page(id)).machines[0]).toMatchObject({ state: 'failed', failure: 'timed-out' })
  })
  it('gives up a machine of which nothing is heard, and keeps to its hours', async () => {
    const { id } = (await start({ machines: machines(1), waves: [] })).body
    await turn()
    await advanceRuns(house.pool, Date.now() + 7 * minute)
    expect((await page(id)).machines[0]).toMatchObject({ state: 'failed', failure: 'timed-out' })
    const hour = Number(new Date().toLocaleString('en-GB', { timeZone: 'Europe/Lisbon', hour: '2-digit' }))
    const late = (await start({ hoursFrom: (hour + 2) % 24, hoursUntil: (hour + 4) % 24 })).body.id
    await turn()
    expect(await page(late)).toMatchObject({
      state: 'running',
      reason: expect.stringContaining('waits for its hours') as string,
    })
    expect(states(await page(late))).toEqual(Array(5).fill('waiting'))
    await control(late, 'stop')
  })
  it.each<[string, Partial<NewWaveRun>, string]>([
    [
      'to machines outside the site',
      { machines: [{ address: '198.51.100.4', name: null }] },
      'not within the networks',
    ],
    ['with a sign-in that is not there', { credentialIds: [999] }, 'sign-ins is not there'],
    ['from another client’s device', { deviceId: 999 }, 'must be one of this client'],
    ['with a role that is not there', { roles: ['wizard'] }, 'no role'],
  ])('%s is refused with a sentence', async (_, more, words) => {
    expect((await start(more)).body.detail).toContain(words)
  })
})

describe('a stored sign-in', () => {
  it('never comes out again: not by the API, not in the database, not in the audit trail; and every use is there', async () => {
    const text = JSON.stringify([
      (await house.technician<CredentialView[]>('GET', '/api/credentials')).body,
      (await house.pool.query('select * from audit')).rows,
      (await house.pool.query('select * from device_task')).rows,
      (await house.pool.query(`select encode(sealed, 'escape') as a, encode(sealed, 'base64') as b from credential`))
        .rows,
    ])
    expect(text).toContain('servers')
    expect(text).not.toContain('very-secret-word')
    const { rows } = await house.pool.query<{ detail: object }>(
      `select detail from audit where object_kind = 'credential' and action = 'used' order by id`,
    )
    expect(rows[0]!.detail).toMatchObject({ address: '192.0.2.10', device: agent.id })
    expect(
      (await house.technician<CredentialView[]>('GET', '/api/credentials')).body.find(
        (credential) => credential.name === 'servers',
      )!.usedAt,
    ).toBeGreaterThan(0)
  })
  it('has a name of its own at its client, and is destroyed when it is removed', async () => {
    expect((await store({ name: 'SERVERS' })).body.code).toBe('already-exists')
    expect((await store({ name: 'key', kind: 'private key', secret: 'no key at all' })).body.detail).toContain(
      'no private key',
    )
    const { id } = (await store({ name: 'short-lived' })).body
    await house.technician('DELETE', `/api/credentials/${id}`)
    expect(
      (await house.pool.query<{ n: number }>('select length(sealed) as n from credential where id = $1', [id])).rows[0]!
        .n,
    ).toBe(0)
    expect((await house.technician('DELETE', `/api/credentials/${id}`)).status).toBe(404)
  })
})

describe('the vault', () => {
  it('opens what it sealed for the same purpose, and nothing that was changed, moved or sealed by another', () => {
    const vault = openVault(undefined)
    const sealed = vault.seal('Größe 42', 'credential 1 servers')
    expect(vault.open(sealed, 'credential 1 servers')).toBe('Größe 42')
    expect(vault.seal('Größe 42', 'credential 1 servers').equals(sealed)).toBe(false)
    const changed = Buffer.from(sealed)
    changed[changed.length - 1]! ^= 1
    for (const attempt of [
      () => vault.open(changed, 'credential 1 servers'),
      () => vault.open(sealed, 'credential 2 servers'),
      () => openVault(undefined).open(sealed, 'credential 1 servers'),
    ])
      expect(attempt).toThrow()
  })
})

describe('a list of machines as CSV', () => {
  const read = (csv: string) => readMachines(csv)
  it('is read as RFC 4180 has it: quotes, commas and line breaks in quotes, CRLF, with and without a header', () => {
    expect(read('name,address\r\n"tm-a",192.0.2.1\r\ntm-b,"192.0.2.2"\r\n')).toEqual({
      machines: [
        { address: '192.0.2.1', name: 'tm-a' },
        { address: '192.0.2.2', name: 'tm-b' },
      ],
      faults: [],
    })
    expect(read('address,where,name\n192.0.2.1,"shelf 2, ""left""\nbelow",tm-a').machines).toEqual([
      { address: '192.0.2.1', name: 'tm-a' },
    ])
    expect(read('tm-a,192.0.2.1\n192.0.2.2').machines).toEqual([
      { address: '192.0.2.1', name: 'tm-a' },
      { address: '192.0.2.2', name: null },
    ])
  })
  it('keeps the good lines and tells the bad ones by their number', () => {
    const { machines: good, faults } = read(
      'name,address\ntm-a,192.0.2.1\ntm-b,nowhere\n\n-x,192.0.2.3\ntm-c,192.0.2.1\ntm-d,\ntm-e,192.0.2.9',
    )
    expect(good.map((machine) => machine.name)).toEqual(['tm-a', 'tm-e'])
    expect(faults).toEqual([
      { line: 3, message: '“nowhere” is no address.' },
      { line: 5, message: expect.stringContaining('“-x” is no name') as string },
      { line: 6, message: '192.0.2.1 is there already.' },
      { line: 7, message: 'There is no address on this line.' },
    ])
  })
  it('that is none says so', async () => {
    expect(read('a,"b').faults[0]!.message).toContain('This is no CSV (RFC 4180)')
    expect(
      (await house.technician<MachinesRead>('POST', '/api/machine-lists', { csv: '192.0.2.1' })).body.machines,
    ).toEqual([{ address: '192.0.2.1', name: null }])
  })
})
