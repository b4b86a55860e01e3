import { setTimeout as wait } from 'node:timers/promises'
import { afterAll, beforeAll, expect, it } from 'vitest'
import type { Made } from '#contract'
import { second, type Millis, type Service } from '#core'
import { rows } from '../db'
import { assignFromLibrary, openHouse, type Agent, type House } from '../testing/house'
import { Killing } from '../testing/killing'

// Two processes that begin and end windows on one database; one of them is ended with SIGKILL again and again.
let house: House
let killing: Killing
let agents: Agent[]

beforeAll(async () => {
  killing = await Killing.prepare('windows')
  house = await openHouse()
  await assignFromLibrary(house, 'Base server')
  agents = await Promise.all(Array.from({ length: 6 }, (_, i) => house.enrol(house.sites[0], `tm-kill-${i}`)))
  await house.lead('POST', '/api/exceptions', {
    target: { on: 'client', clientId: house.clients[0] },
    watch: 'services',
    values: { hold: 0, 'clear.hold': 0 },
    leftOut: false,
    reason: 'at once',
  })
}, 180_000)
afterAll(async () => {
  killing.end()
  await house.close()
})

const orders = (state: Service['state']) => ({
  facts: { services: [{ name: 'orders', title: '', start: 'automatic', state } as Service] },
})
/** As an agent does: what was not taken is sent again. The locks of a process that was killed stand for a moment. */
async function send(agent: Agent, state: Service['state']): Promise<void> {
  const report = { ...agent.report(0, orders(state)), at: Date.now() }
  await expect.poll(async () => (await agent.send([report])).status, { timeout: 30_000, interval: 50 }).toBe(200)
}

interface Alerted {
  device_id: number
  status: string
  began: Millis
  raised_at: Millis
  from_at: Millis
  until_at: Millis
}

it('with one of them killed a hundred times: nothing is raised inside, nothing lost after, none doubled', async () => {
  const killed = killing.kill(house.url, 100)
  let rounds = 0
  for (; killing.kills < 100 || rounds < 5; rounds++) {
    const from = Math.ceil((Date.now() + 300) / second) * second
    const until = from + second
    const { body } = await house.technician<Made>('POST', '/api/windows', {
      name: `Round ${rounds}`,
      reason: '',
      target: { on: 'devices', deviceIds: agents.map((agent) => agent.id) },
      subject: { of: 'all' },
      from,
      until,
    })
    await wait(from - Date.now() + killing.random() * 300)
    // All fail while it lasts; every third is well again before it ends.
    for (const agent of agents) await send(agent, 'stopped')
    const inTime = Date.now() < until - 250
    if (inTime) for (const agent of agents.filter((_, i) => i % 3 === 0)) await send(agent, 'running')
    const failing = agents.filter((_, i) => !inTime || i % 3 !== 0).map((agent) => agent.id)
    const alerts = () =>
      rows<Alerted>(
        house.pool,
        `select a.device_id, a.status, a.began, a.raised_at, o.from_at, o.until_at from alert a, window_occurrence o
         where o.window_id = $1 and a.began >= o.from_at order by a.device_id`,
        [body.id],
      )
    // Told within two seconds of its end while a process is there; here both are away at times.
    await expect.poll(async () => (await alerts()).length, { timeout: 60_000, interval: 50 }).toBe(failing.length)
    const found = await alerts()
    expect(found.map(({ device_id }) => device_id)).toEqual(failing.toSorted((a, b) => a - b))
    for (const { raised_at, until_at } of found) expect(raised_at).toBeGreaterThanOrEqual(until_at)
    const left = await rows(house.pool, 'select from held where window_id = $1 and ended_at is null', [body.id])
    expect(left).toEqual([])
    for (const agent of agents) await send(agent, 'running')
    const open = await rows(house.pool, `select from alert where status <> 'closed'`)
    expect(open).toEqual([])
    // Long ago: what fails every few seconds would flip, and keep one alert.
    await house.pool.query(`update alert set began = began - interval '25 hours'`)
  }
  await killed
  expect(killing.kills).toBeGreaterThanOrEqual(100)
  const twice = await rows(
    house.pool,
    'select device_id, began from alert group by 1, 2, watch, instance having count(*) > 1',
  )
  expect(twice).toEqual([])
}, 900_000)
