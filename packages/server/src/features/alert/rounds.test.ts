import { afterAll, beforeAll, expect, it } from 'vitest'
import type { AlertView, Rounds, RoundsPart, TodoCount } from '#contract'
import { minute, urgency } from '#core'
import { openHouse, type House } from '../../testing/house'

let house: House
const count = 130
beforeAll(async () => {
  house = await openHouse()
  const devices = [await house.enrol(house.sites[0], 'tm-first'), await house.enrol(house.sites[1], 'sv-second')]
  const rule = `'{"name":"Service","kind":"service-state","sentence":[],"sources":[]}'`
  await house.pool.query(
    `insert into alert (device_id, client_id, watch, instance, severity, status, began, raised_at, rule)
     select ($1::int[])[1 + i % 2], ($2::int[])[1 + i % 2], 'w', case when i = 7 then 'sp_%ol' else 'svc-' || i end,
       (array['notice', 'warning', 'critical'])[1 + i % 3], case when i % 10 = 0 then 'taken' else 'open' end,
       now() - (i % 40) * interval '1 minute', now() + interval '1 second', ${rule}
     from generate_series(1, ${count}) i`,
    [devices.map(({ id }) => id), house.clients],
  )
})
afterAll(() => house.close())

const rounds = async (query = '', ask: House['lead'] = house.lead) =>
  (await ask<Rounds>('GET', `/api/rounds?${query}`)).body

async function whole(group: string, query = ''): Promise<AlertView[]> {
  const found: AlertView[] = []
  for (let after: string | null = ''; after !== null;) {
    const url: string = `/api/rounds/part?group=${group}&limit=17&${query}${after ? `&after=${after}` : ''}`
    const { body } = await house.lead<RoundsPart<AlertView>>('GET', url)
    found.push(...body.rows)
    after = body.next
  }
  return found
}

it('parts of a group hold each alert once, the worst first and then the newest, and say how many there are', async () => {
  const first = await rounds('limit=50')
  expect(first.todo).toMatchObject({ total: 117 })
  expect(first.todo.rows).toHaveLength(50)
  expect(first.working).toMatchObject({ total: 13, next: null })
  expect(first.fresh).toBe(117)
  const all = await whole('todo')
  expect(new Set(all.map(({ id }) => id)).size).toBe(117)
  const wanted = all.toSorted((a, b) => urgency(b.severity) - urgency(a.severity) || b.began - a.began || b.id - a.id)
  expect(all.map(({ id }) => id)).toEqual(wanted.map(({ id }) => id))
  expect(first.todo.rows.map(({ id }) => id)).toEqual(all.slice(0, 50).map(({ id }) => id))
  expect((await rounds('limit=0')).todo).toEqual({ rows: [], total: 117, next: null })
})

it('is narrowed by client, by what went on within a span, and by words, in which no sign is a wildcard', async () => {
  const { todo } = await rounds(`client=${house.clients[1]}&limit=500`)
  expect(new Set(todo.rows.map(({ deviceName }) => deviceName))).toEqual(new Set(['sv-second']))
  expect(todo.total).toBe(todo.rows.length)
  const until = Date.now() - 30 * minute
  const old = (await rounds(`until=${until}&limit=500`)).todo
  expect(old.rows.every(({ began }) => began <= until)).toBe(true)
  expect(old.total).toBe((await whole('todo')).filter(({ began }) => began <= until).length)
  expect((await rounds('words=SV-SEC')).todo.total).toBe(todo.total)
  expect((await rounds('words=p_%25o')).todo.rows.map(({ instance }) => instance)).toEqual(['sp_%ol'])
  expect((await rounds('words=_')).todo.total).toBe(1)
})

it('shows and counts to whoever is limited only what is of their clients', async () => {
  const all = await whole('todo')
  const theirs = await rounds('limit=500', house.contact)
  const own = all.filter(({ clientId }) => clientId === house.clients[1])
  expect(theirs.todo.rows.map(({ id }) => id)).toEqual(own.map(({ id }) => id))
  expect(theirs.todo.total).toBe(own.length)
  expect(theirs.fresh).toBe(own.length)
  expect((await house.contact<TodoCount>('GET', '/api/rounds/count')).body).toEqual({ todo: own.length })
  expect((await house.contact<TodoCount>('GET', `/api/rounds/count?client=${house.clients[0]}`)).body).toEqual({
    todo: 0,
  })
  const foreign = all.filter(({ clientId }) => clientId === house.clients[0]).map(({ id }) => id)
  const ids = [...foreign.slice(0, 3), own[0]!.id]
  const { body } = await house.contact<AlertView[]>('GET', `/api/alert-rows?ids=${ids.join(',')}`)
  expect(body.map(({ id }) => id)).toEqual([own[0]!.id])
  expect((await house.contact<RoundsPart<AlertView>>('GET', '/api/rounds/part?group=todo')).body.total).toBe(own.length)
})

it('says what is wrong with a place in the list that is none', async () => {
  for (const after of ['x', '1_2', '1_2_x', '99_1_1', '1_1e400_3'])
    expect((await house.lead('GET', `/api/rounds/part?group=todo&after=${after}`)).body.code).toBe('invalid')
})
