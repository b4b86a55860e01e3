import { afterAll, beforeAll, expect, it } from 'vitest'
import type { AlertView, HeldView, Made } from '#contract'
import type { Service } from '#core'
import { assignFromLibrary, openHouse, type House } from '../testing/house'
import { advanceWindows } from './windows'

let house: House
beforeAll(async () => {
  house = await openHouse()
  await assignFromLibrary(house, 'Base server')
})
afterAll(() => house.close())

const orders = (state: Service['state']) => ({
  facts: { services: [{ name: 'orders', title: 'orders', start: 'automatic', state } as Service] },
})

it('an end that is made up for later raises nothing that began to fail after it, within the next window', async () => {
  const agent = await house.enrol(house.sites[0], 'tm-two-windows')
  const plan = async (name: string, from: number, until: number) =>
    (
      await house.lead<Made>('POST', '/api/windows', {
        name,
        reason: '',
        target: { on: 'devices', deviceIds: [agent.id] },
        subject: { of: 'all' },
        from: agent.at(from),
        until: agent.at(until),
      })
    ).body.id
  await agent.send([agent.report(1, orders('running'))])
  await plan('First', 2, 10)
  const second = await plan('Second', 12, 200)
  // As if no process had been there to carry out what was due.
  await house.pool.query('update window_occurrence set begun = false, over = false')
  await agent.send([agent.report(13, orders('stopped')), agent.report(14), agent.report(15), agent.report(16)])
  const held = async () => (await house.lead<HeldView[]>('GET', `/api/devices/${agent.id}/held`)).body
  expect(await held()).toMatchObject([{ windowId: second, endedAt: null }])
  expect(await advanceWindows(house.pool, Date.now())).toBe(2)
  expect((await house.lead<AlertView[]>('GET', `/api/devices/${agent.id}/alerts`)).body).toEqual([])
  expect(await held()).toMatchObject([{ windowId: second, endedAt: null }])
})
