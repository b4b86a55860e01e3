import { afterAll, beforeAll, expect, it, vi } from 'vitest'
import type { FastifyInstance } from 'fastify'
import type { BoardDevice, BoardPage, LiveEvent, Rounds } from '#contract'
import { fromLibrary, libraryTemplates, minute } from '#core'
import { buildApp } from '../app'
import { openPool, type Pool } from '../db'
import { Agent, openHouse, type House } from '../testing/house'

// Two server processes on one database, each with pools of its own, as behind a balancer that knows nothing of them.
let house: House
let second: FastifyInstance
let pool: Pool
beforeAll(async () => {
  house = await openHouse()
  pool = openPool(house.url, 4)
  second = await buildApp({ pool, databaseUrl: house.url, agentFolder: '', pastWindows: true })
})
afterAll(async () => {
  // What a browser has kept open would be waited for.
  second.server.closeAllConnections()
  await second.close()
  await pool.end()
  await house.close()
})

const atSecond = (agent: Agent): Agent => {
  const twin = new Agent(second, { deviceId: agent.id, deviceKey: agent.key, firstSeq: 1 } as never, agent.began)
  twin.seq = agent.seq
  return twin
}
async function ask<T>(cookie: string, url: string): Promise<T> {
  return (await second.inject({ url, headers: { cookie } })).json()
}

it('an agent may report to either, in turn and at once; each report is stored once and each alert raised once', async () => {
  const base = libraryTemplates.find(({ name }) => name === 'Base server')!
  const disks = base.watches.find(({ kind }) => kind === 'disk-space')!
  const template = await house.lead<{ id: number }>('POST', '/api/templates', fromLibrary(base))
  const assigned = await house.lead('POST', '/api/assignments', {
    templateId: template.body.id,
    target: { on: 'everyone' },
    rank: 100,
    values: { [disks.key]: { hold: 1000 } },
    dormant: false,
    reason: '',
  })
  expect(assigned.status).toBe(200)
  const agent = await house.enrol(house.sites[0], 'tm-two')
  const twin = atSecond(agent)
  const full = {
    readings: [
      ['disk.size', '/', 100e9],
      ['disk.free', '/', 4e9],
    ] as never,
  }
  for (let i = 1; i <= 12; i++) {
    const through = i % 2 ? agent : twin
    through.seq = i - 1
    const report = through.report(i, { at: Date.now() - (13 - i) * minute, ...full })
    // Every third one goes to both at the same moment, as after a lost answer.
    const sent = i % 3 ? [through.send([report])] : [agent.send([report]), twin.send([report])]
    for (const { status } of await Promise.all(sent)) expect([200, 503]).toContain(status)
  }
  const { rows } = await house.pool.query<{ reports: number; alerts: number }>(
    `select (select count(*) from report where device_id = $1)::int as reports,
       (select count(*) from alert where device_id = $1)::int as alerts`,
    [agent.id],
  )
  expect(rows[0]).toEqual({ reports: 12, alerts: 1 })
})

it('what is changed at one is seen at the other: lists, counts, policy, and by browsers that are connected there', async () => {
  const { cookie } = await house.personWith('lead', null)
  const before = await ask<BoardPage>(cookie, '/api/devices')
  const heard: LiveEvent[] = []
  const address = await second.listen({ port: 0, host: '127.0.0.1' })
  const gone = new AbortController()
  const stream = await fetch(`${address}/api/live`, { headers: { cookie }, signal: gone.signal })
  const reading = (async () => {
    for await (const part of stream.body!.pipeThrough(new TextDecoderStream()))
      for (const line of part.split('\n'))
        if (line.startsWith('data: ')) heard.push(JSON.parse(line.slice(6)) as LiveEvent)
  })().catch(() => undefined)
  const agent = await house.enrol(house.sites[1], 'tm-new')
  for (const ago of [2, 1, 0]) {
    const readings = [
      ['disk.size', '/', 100e9],
      ['disk.free', '/', 4e9],
    ] as never
    await agent.send([agent.report(0, { at: Date.now() - ago * minute, readings })])
  }
  await vi.waitFor(() => {
    expect(heard.some(({ topic, deviceIds }) => topic === 'alerts' && deviceIds.includes(agent.id))).toBe(true)
    expect(heard.some(({ topic, deviceIds }) => topic === 'reports' && deviceIds.includes(agent.id))).toBe(true)
  }, 5000)
  gone.abort()
  await reading
  const after = await ask<BoardPage>(cookie, '/api/devices')
  expect(after.counts!.total).toBe(before.counts!.total + 1)
  const [row] = await ask<BoardDevice[]>(cookie, `/api/device-rows?ids=${agent.id}`)
  expect(row).toMatchObject({ name: 'tm-new', disks: [{ mount: '/', free: 4e9 }] })
  expect((await ask<Rounds>(cookie, '/api/rounds')).todo.rows.map(({ deviceName }) => deviceName)).toContain('tm-new')
})
