import { afterAll, beforeAll, expect, it } from 'vitest'
import { rows } from '../../db'
import { openHouse, type House } from '../../testing/house'

let house: House
beforeAll(async () => {
  house = await openHouse()
})
afterAll(() => house.close())

it('what a device was stays known when it is renamed, moved, tagged or given roles; a report adds nothing', async () => {
  const agent = await house.enrol(house.sites[0], 'tm-past-1')
  const past = () =>
    rows<{ name: string; site_id: number; tags: string[]; roles: string[]; is_retired: boolean }>(
      house.pool,
      'select name, site_id, tags, roles, is_retired from device_past where device_id = $1 order by since',
      [agent.id],
    )
  const first = { name: 'tm-past-1', site_id: house.sites[0], tags: [], roles: [], is_retired: false }
  expect(await past()).toEqual([first])
  await agent.send([agent.report(1), agent.report(2)])
  expect(await past()).toHaveLength(1)
  for (const [method, path, body] of [
    ['PUT', '', { tags: ['lab'] }],
    ['PUT', '', { tags: ['lab'] }],
    ['PUT', '/roles', { roles: ['web'] }],
    ['PUT', '', { siteId: house.sites[1], name: 'bb-past-1' }],
    ['POST', '/retire', {}],
  ] as const)
    expect((await house.lead(method, `/api/devices/${agent.id}${path}`, body)).status).toBe(200)
  const tagged = { ...first, tags: ['lab'] }
  const moved = { ...tagged, roles: ['web'], name: 'bb-past-1', site_id: house.sites[1] }
  expect(await past()).toEqual([first, tagged, { ...tagged, roles: ['web'] }, moved, { ...moved, is_retired: true }])
})

it('what networks a site had stays known', async () => {
  const [site] = house.sites
  await house.lead('PUT', `/api/sites/${site}/networks`, { networks: ['192.0.2.0/24'] })
  await house.lead('PUT', `/api/sites/${site}/networks`, { networks: ['192.0.2.0/24'] })
  const found = await rows<{ networks: string[] }>(
    house.pool,
    'select networks from site_past where site_id = $1 order by since',
    [site],
  )
  expect(found.map(({ networks }) => networks)).toEqual([[], ['192.0.2.0/24']])
})
