import { afterAll, beforeAll, expect, it } from 'vitest'
import type { WindowList } from '#contract'
import { hour } from '#core'
import { openHouse, type House } from '../../testing/house'

let house: House
const now = Date.now()
beforeAll(async () => {
  house = await openHouse()
  // More than a part of each, beside one of the other client.
  await house.pool.query(
    `with wanted as (
       select 1000 * i + n as id, g || ' ' || n as name,
         to_timestamp($1::float8 / 1000) + case g when 'over' then -10 when 'open' then -1 else 1 end * interval '1 hour'
           + n / 10 * interval '1 second' + interval '3 microseconds' as f,
         to_timestamp($1::float8 / 1000) + case g when 'over' then -5 else 9 end * interval '1 hour' as u
       from unnest('{over,open,coming}'::text[]) with ordinality t (g, i), generate_series(1, 230) n
     ), made as (
       insert into window_revision (id, revision, name, reason, target, subject, starts, length_ms, client_id, created_at)
       select id, 1, name, '', '{"on":"everyone"}', '{"of":"all"}', '2026-01-01T00:00:00', 3600000, $2::int, now()
       from wanted
     )
     insert into window_occurrence (window_id, start, from_at, until_at, known, begun, over)
     select id, f, f, u, true, f < now(), u < now() from wanted`,
    [now, house.clients[0]],
  )
  await house.lead('POST', '/api/windows', {
    name: 'Of the bakery',
    reason: '',
    target: { on: 'client', clientId: house.clients[1] },
    subject: { of: 'all' },
    from: now + 2 * hour,
    until: now + 3 * hour,
  })
})
afterAll(() => house.close())

async function all(query: string): Promise<{ names: string[]; parts: number; total: number }> {
  const names: string[] = []
  for (let parts = 1, after = ''; ; parts++) {
    const { body } = await house.technician<WindowList>('GET', `/api/windows?${query}${after}`)
    names.push(...body.windows.map(({ name }) => name))
    if (body.next === null) return { names, parts, total: body.total }
    after = `&after=${body.next}`
  }
}

it('windows come in parts by group, each once, however many begin at the same moment', async () => {
  for (const group of ['over', 'open', 'coming']) {
    const { names, parts, total } = await all(`group=${group}&client=${house.clients[0]}`)
    expect([group, total, parts, new Set(names).size, names.length]).toEqual([group, 230, 3, 230, 230])
    expect(names.every((name) => name.startsWith(group))).toBe(true)
  }
})
it('those to come begin with the next one, the others with the newest', async () => {
  const first = async (group: string) => (await all(`group=${group}`)).names[0]!
  expect([await first('coming'), await first('over')]).toEqual(['coming 1', 'over 230'])
})
it('are counted for a client with those of all clients', async () => {
  expect((await all(`client=${house.clients[1]}`)).names).toEqual(['Of the bakery'])
  // Not a place in a list, or one beyond what a date or a number of the database can be.
  for (const after of ['yesterday', '999999999999999 1', '1 9999999999'])
    expect([after, (await house.technician('GET', `/api/windows?after=${after}`)).status]).toEqual([after, 400])
})
