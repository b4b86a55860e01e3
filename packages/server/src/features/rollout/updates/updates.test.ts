import { mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, beforeAll, describe, expect, it, vi } from 'vitest'
import type {
  NewUpdateRun,
  Task,
  UpdateProgress,
  UpdateCommand,
  UpdateRunPage,
  VersionDevice,
  VersionPage,
} from '#contract'
import { openHouse, type Agent, type House } from '../../../testing/house'
import { advanceUpdates } from './updateRun'

const folder = mkdtempSync(join(tmpdir(), 'custode-releases-'))
let house: House
let agents: Agent[]
const system = (agentVersion: string, updatable = true) => ({
  osFamily: 'linux' as const,
  osName: 'Debian 12',
  hostName: 'x',
  cores: 1,
  serviceManager: 'systemd',
  takesTasks: true,
  agentVersion,
  updatable,
})
beforeAll(async () => {
  writeFileSync(join(folder, 'version'), '1.0.0\n')
  writeFileSync(join(folder, 'custode-agent-linux-x64.gz'), 'current')
  mkdirSync(join(folder, 'releases', '1.1.0-rc.1'), { recursive: true })
  writeFileSync(join(folder, 'releases', '1.1.0-rc.1', 'custode-agent-linux-arm64.gz'), 'next')
  mkdirSync(join(folder, 'releases', 'notes'))
  for (const file of ['custode-agent-linux-x64.gz', 'releases/1.1.0-rc.1/custode-agent-linux-arm64.gz'])
    writeFileSync(join(folder, `${file}.signed`), JSON.stringify({ text: file, signature: 's' }))
  // Without a statement of the release key's holder it is no release.
  mkdirSync(join(folder, 'releases', '1.2.0'))
  writeFileSync(join(folder, 'releases', '1.2.0', 'custode-agent-linux-x64.gz'), 'unsigned')
  house = await openHouse(folder)
  agents = []
  for (const name of ['tm-a', 'tm-b', 'tm-c', 'tm-d']) {
    const agent = await house.enrol(house.sites[0], name)
    await agent.send([agent.report(1, { facts: { system: system('0.9.0') } })])
    agents.push(agent)
  }
})
afterAll(async () => {
  await house.close()
  rmSync(folder, { recursive: true })
})

const start = (more: Partial<NewUpdateRun> = {}) =>
  house.technician<{ id: number }>('POST', '/api/update-runs', {
    version: '1.0.0',
    deviceIds: agents.map((agent) => agent.id),
    waves: [1],
    mostFailed: 0,
    minutes: 5,
    ...more,
  })
const page = async (id: number) => (await house.technician<UpdateRunPage>('GET', `/api/update-runs/${id}`)).body
const states = async (id: number) => (await page(id)).devices.map((device) => device.state)
const turn = () => advanceUpdates(house.pool, Date.now())
let minutes = 1
async function command(agent: Agent): Promise<{ task: Task; command: UpdateCommand }> {
  const task = await vi.waitFor(
    async () => {
      const [signed] = (await agent.send([agent.report(++minutes)])).body.tasks ?? []
      expect(signed).toBeDefined()
      return JSON.parse(signed!.text) as Task
    },
    { timeout: 8000, interval: 300 },
  )
  return { task, command: task.command as UpdateCommand }
}
const reportProgress = async (agent: Agent, taskId: number, state: UpdateProgress['state'], reason = '') =>
  (
    await house.app.inject({
      method: 'POST',
      url: `/api/agent/tasks/${taskId}`,
      headers: { authorization: `Bearer ${agent.key}` },
      payload: { update: { state, step: state === 'running' ? 'downloading' : '', reason } },
    })
  ).statusCode

describe('versions of the agent', () => {
  it('tell who runs which, and which this server has, the newest first', async () => {
    const { body } = await house.technician<VersionPage>('GET', '/api/agent-versions')
    expect(body.releases).toEqual([
      { version: '1.1.0-rc.1', architectures: ['arm64'] },
      { version: '1.0.0', architectures: ['x64'] },
    ])
    expect([body.total, body.fixed, body.counts.map(({ version, total }) => [version, total])]).toEqual([
      4,
      0,
      [['0.9.0', 4]],
    ])
    const behind = async (version: string) =>
      (await house.technician<VersionDevice[]>('GET', `/api/agent-versions/devices?behind=${version}`)).body.map(
        ({ name }) => name,
      )
    expect(await behind('1.0.0')).toEqual(['tm-a', 'tm-b', 'tm-c', 'tm-d'])
    expect(await behind('0.9.0')).toEqual([])
  })
  it('are handed out by version, and nothing else of the folder is', async () => {
    expect((await house.nobody('GET', '/agent/releases/1.0.0/custode-agent-linux-x64.gz')).status).toBe(200)
    expect((await house.nobody('GET', '/agent/releases/1.0.0/custode-agent-linux-x64.gz/statement')).body).toEqual({
      text: 'custode-agent-linux-x64.gz',
      signature: 's',
    })
    expect((await house.nobody('GET', '/agent/release-keys')).body).toEqual([])
    for (const path of [
      '1.0.0/version',
      '1.0.0/custode-agent-linux-arm64.gz',
      '9.9.9/custode-agent-linux-x64.gz',
      '..%2f..%2fetc/passwd',
      'notes/custode-agent-linux-x64.gz',
      '1.2.0/custode-agent-linux-x64.gz',
      '1.2.0/custode-agent-linux-x64.gz/statement',
    ])
      expect((await house.nobody('GET', `/agent/releases/${path}`)).status).toBe(404)
  })
})

describe('an update', () => {
  it('goes in waves by signed tasks, pauses when too many went back, and tries again only those', async () => {
    const { id } = (await start()).body
    await turn()
    expect(await states(id)).toEqual(['going', 'waiting', 'waiting', 'waiting'])
    const first = await command(agents[0]!)
    expect(first.command).toEqual({ kind: 'update', version: '1.0.0', within: 300_000 })
    await reportProgress(agents[0]!, first.task.id, 'running')
    expect((await page(id)).devices[0]).toMatchObject({ state: 'going', step: 'downloading', fromVersion: '0.9.0' })
    expect(await reportProgress(agents[1]!, first.task.id, 'done')).toBe(404)
    await reportProgress(agents[0]!, first.task.id, 'done', 'reported 2 s after its start')
    await turn()
    await turn()
    expect(await states(id)).toEqual(['updated', 'going', 'going', 'going'])

    const second = await command(agents[1]!)
    await reportProgress(agents[1]!, second.task.id, 'failed', 'version 1.0.0 did not report in time; 0.9.0 runs again')
    for (const agent of agents.slice(2)) await reportProgress(agent, (await command(agent)).task.id, 'done')
    await turn()
    expect(await page(id)).toMatchObject({ state: 'done', updated: 3, failed: 1 })
    expect((await house.technician('POST', `/api/update-runs/${id}/retry`)).status).toBe(200)
    await turn()
    expect(await states(id)).toEqual(['updated', 'going', 'updated', 'updated'])
    const again = await command(agents[1]!)
    // The news may be lost: a report under the new version is proof enough.
    await agents[1]!.send([agents[1]!.report(++minutes, { facts: { system: system('1.0.0') } })])
    await advanceUpdates(house.pool, Date.now() + 2 * 60_000)
    expect(await page(id)).toMatchObject({ state: 'done', updated: 4, failed: 0 })
    expect(await reportProgress(agents[1]!, again.task.id, 'done')).toBe(404)
    // It had proved itself, came down again and again since, and was given up.
    expect(await reportProgress(agents[1]!, again.task.id, 'failed')).toBe(200)
    expect(await page(id)).toMatchObject({ updated: 3, failed: 1 })
  })
  it('pauses before the next wave when more failed than may, and stopped it takes back what nobody took', async () => {
    const { id } = (await start({ waves: [2] })).body
    await turn()
    for (const agent of agents.slice(0, 2)) await reportProgress(agent, (await command(agent)).task.id, 'failed', 'no')
    await turn()
    expect(await page(id)).toMatchObject({
      state: 'paused',
      reason: expect.stringContaining('2 of 2 machines of wave 1 failed') as string,
    })
    await house.technician('POST', `/api/update-runs/${id}/resume`)
    await turn()
    expect(await states(id)).toEqual(['failed', 'failed', 'going', 'going'])
    await house.technician('POST', `/api/update-runs/${id}/stop`)
    expect(await states(id)).toEqual(['failed', 'failed', 'waiting', 'waiting'])
  })
  it('of which nothing is heard any more counts as failed', async () => {
    const { id } = (await start({ deviceIds: [agents[3]!.id], version: '1.1.0-rc.1' })).body
    await turn()
    await command(agents[3]!)
    await advanceUpdates(house.pool, Date.now() + 21 * 60_000)
    expect((await page(id)).devices[0]).toMatchObject({
      state: 'failed',
      reason: expect.stringContaining('Nothing was heard') as string,
    })
  })
  it('is refused for a version that is not here, for agents that could not go back, and for devices in another update', async () => {
    expect((await start({ version: '3.0.0' })).body.detail).toContain('no agent of version “3.0.0”')
    await agents[0]!.send([agents[0]!.report(++minutes, { facts: { system: system('0.9.0', false) } })])
    expect((await start()).body.detail).toContain('The agent of tm-a cannot be updated from here')
    const { id } = (await start({ deviceIds: [agents[1]!.id] })).body
    expect((await start({ deviceIds: [agents[1]!.id] })).body.detail).toContain('tm-b is in another update')
    await house.technician('POST', `/api/update-runs/${id}/stop`)
    expect((await house.contact('GET', '/api/agent-versions')).status).toBe(403)
  })
})
