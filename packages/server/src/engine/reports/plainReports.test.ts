import { afterAll, beforeAll, expect, it } from 'vitest'
import pg from 'pg'
import { openHouse, type Agent, type House } from '../../testing/house'

let house: House
let agents: Agent[]
let other: pg.Client
beforeAll(async () => {
  house = await openHouse()
  other = new pg.Client({ connectionString: house.url })
  await other.connect()
  agents = await Promise.all(Array.from({ length: 12 }, (_, i) => house.enrol(house.sites[0], `tm-many-${i}`)))
  // What they are, so that the next reports are plain.
  for (const agent of agents) await agent.send([agent.report(0, { at: Date.now() - 60_000 })])
})
afterAll(async () => {
  await other.end()
  await house.close()
})
const send = async (agent: Agent) => (await agent.send([agent.report(0, { at: Date.now() })])).status
const stored = async () =>
  Number((await house.pool.query<{ n: number }>('select count(*)::int as n from report')).rows[0]!.n)

it('reports of many at once are all stored, each once', async () => {
  expect(await Promise.all(agents.map(send))).toEqual(agents.map(() => 200))
  expect(await stored()).toBe(24)
})

it('a device that another transaction holds keeps only its own report waiting', async () => {
  const [held, ...others] = agents
  await other.query('begin')
  await other.query('select from device where id = $1 for update', [held!.id])
  let isIn = false
  const late = send(held!).then((status) => {
    isIn = true
    return status
  })
  for (let round = 0; round < 3; round++) expect(await Promise.all(others.map(send))).toEqual(others.map(() => 200))
  expect(isIn).toBe(false)
  await other.query('rollback')
  expect(await late).toBe(200)
  expect(await stored()).toBe(24 + 1 + 3 * others.length)
})
