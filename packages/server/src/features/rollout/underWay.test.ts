import { afterAll, beforeAll, expect, it } from 'vitest'
import type { WorkUnderWay } from '#contract'
import { openHouse, type Agent, type House } from '../../testing/house'

let house: House
let own: Agent
let other: Agent
beforeAll(async () => {
  house = await openHouse()
  own = await house.enrol(house.sites[1], 'bb-till-1')
  other = await house.enrol(house.sites[0], 'tm-quay-1')
})
afterAll(() => house.close())

it('tells of updates, sweeps and devices that follow a change, to the limited of what is theirs, until it is over', async () => {
  await house.pool.query(
    `insert into update_run (version, most_failed, minutes, state, waves) values ('9.9.9', 0.2, 10, 'paused', 1)`,
  )
  await house.pool.query(
    `insert into update_device (run_id, device_id, wave, state, from_version)
     select (select max(id) from update_run), id, 1, state, ''
     from unnest($1::int[], '{updated,waiting}'::text[]) d (id, state)`,
    [[own.id, other.id]],
  )
  await house.pool.query(
    `with task as (
       insert into device_task (device_id, command, expires_at, state) values ($2, '{}', now(), 'over') returning id
     )
     insert into sweep (site_id, device_id, task_id, network, state, scanned, total)
     select $1, $2, task.id, network, state, scanned, 254
     from task, (values ('192.0.2.0/24', 'running', 14), ('198.51.100.0/24', 'done', 254)) v (network, state, scanned)`,
    [house.sites[0], other.id],
  )
  await house.pool.query('insert into settle_due (device_id, at) select id, now() from unnest($1::int[]) id', [
    [own.id, other.id],
  ])
  const { ask } = await house.personWith('technician', [house.clients[1]])
  const told = async (by: typeof ask) =>
    (await by<WorkUnderWay[]>('GET', '/api/under-way')).body.map(({ kind, title, done, total, isPaused }) =>
      [kind, title, done, total, isPaused].join(' '),
    )
  expect(await told(house.technician)).toEqual([
    'settling  0 2 false',
    'sweep 192.0.2.0/24 14 254 false',
    'update 9.9.9 1 2 true',
  ])
  expect(await told(ask)).toEqual(['settling  0 1 false', 'update 9.9.9 1 1 true'])
  await house.pool.query(`update update_run set state = 'done'`)
  await house.pool.query(`update sweep set state = 'failed'`)
  await house.pool.query('delete from settle_due')
  expect(await told(house.technician)).toEqual([])
})
