import pg from 'pg'
import { afterAll, beforeAll, expect, it, vi } from 'vitest'
import type { LiveEvent } from '#contract'
import { inTransaction, type Pool } from '../db'
import { openHouse, type House } from '../testing/house'
import { announce, channel, merged } from './announce'

let house: House
let listener: pg.Client
const heard: LiveEvent[] = []
beforeAll(async () => {
  house = await openHouse()
  listener = new pg.Client({ connectionString: house.url })
  await listener.connect()
  listener.on('notification', ({ payload }) => {
    heard.push(JSON.parse(payload!) as LiveEvent)
  })
  await listener.query(`listen ${channel}`)
})
afterAll(async () => {
  await listener.end()
  await house.close()
})

const within = (pool: Pool, event: LiveEvent, fails = false) =>
  inTransaction(pool, async (tx) => {
    announce(tx, event)
    await tx.query('select 1')
    if (fails) throw new Error('no')
  })

it('two announcements are one when they say the same of more; null is every client, no device is any', () => {
  expect(
    merged({ topic: 'estate', clientIds: [1], deviceIds: [7] }, { topic: 'estate', clientIds: [1, 2], deviceIds: [8] }),
  ).toEqual({ topic: 'estate', clientIds: [1, 2], deviceIds: [7, 8] })
  expect(
    merged({ topic: 'estate', clientIds: null, deviceIds: [7] }, { topic: 'estate', clientIds: [2], deviceIds: [] }),
  ).toEqual({ topic: 'estate', clientIds: null, deviceIds: [] })
})

it('what was rolled back is not announced; what was committed within a moment is announced once a topic', async () => {
  heard.length = 0
  await within(house.pool, { topic: 'alerts', clientIds: [1], deviceIds: [3] }, true).catch(() => undefined)
  await Promise.all([1, 2, 3].map((id) => within(house.pool, { topic: 'policy', clientIds: [1], deviceIds: [id] })))
  await vi.waitFor(() => expect(heard).toHaveLength(1), { timeout: 20_000 })
  expect(heard[0]).toMatchObject({ topic: 'policy', clientIds: [1] })
  expect(heard[0]!.deviceIds.toSorted()).toEqual([1, 2, 3])
  announce(house.pool, { topic: 'estate', clientIds: null, deviceIds: Array.from({ length: 2000 }, (_, i) => i + 1) })
  await vi.waitFor(() => expect(heard).toHaveLength(2), { timeout: 20_000 })
  expect(heard[1]!.deviceIds).toEqual([])
})
