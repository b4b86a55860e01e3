import { afterAll, beforeAll, expect, it } from 'vitest'
import type { SavedView } from '#contract'
import { openHouse, type House } from '../../testing/house'

let house: House
beforeAll(async () => {
  house = await openHouse()
})
afterAll(() => house.close())

const view = (name: string, query = 'state=silent') => ({ place: 'estate', name, query })
const listed = async (ask: House['lead']) => (await ask<SavedView[]>('GET', '/api/views?place=estate')).body

it('a view is its person’s own: nobody else sees it, replaces it or removes it', async () => {
  const { body: mine } = await house.technician<{ id: number }>('POST', '/api/views', view('Mornings'))
  await house.lead('POST', '/api/views', view('Mornings', 'order=disks'))
  expect(await listed(house.technician)).toEqual([{ id: mine.id, name: 'Mornings', query: 'state=silent' }])
  for (const other of [house.lead, house.contact]) {
    expect((await other('DELETE', `/api/views/${mine.id}`)).status).toBe(404)
    expect((await listed(other)).map(({ id }) => id)).not.toContain(mine.id)
  }
  // The same name is the same view.
  await house.technician('POST', '/api/views', view('Mornings', 'state=held'))
  expect(await listed(house.technician)).toEqual([{ id: mine.id, name: 'Mornings', query: 'state=held' }])
  expect((await house.technician('DELETE', `/api/views/${mine.id}`)).status).toBe(200)
  expect(await listed(house.technician)).toEqual([])
})

it('takes fifty of a place, also when they come at once, and nothing that is no part of an address', async () => {
  const answers = await Promise.all(
    Array.from({ length: 55 }, (_, i) => house.contact('POST', '/api/views', view(`View ${i}`))),
  )
  expect(answers.filter(({ status }) => status === 200)).toHaveLength(50)
  expect((await house.contact('POST', '/api/views', view('View 3', 'order=log'))).status).toBe(200)
  for (const query of ['javascript:alert(1)', '/elsewhere', 'a"b', '<b>'])
    expect((await house.lead('POST', '/api/views', view('x', query))).status).toBe(400)
})
