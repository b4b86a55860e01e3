import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import type { Backlog, Storage, UpdateOnDevices, UpdatesByClient, UpdatesPage } from '#contract'
import { day, hour, minute, type Facts, type Millis, type Updates, type WaitingUpdate } from '#core'
import { sumBacklog } from '../../store/backlog'
import { openHouse, type Agent, type House } from '../../testing/house'

let house: House
const devices: Agent[] = []
const now = Date.now()
const waitingFor = (days: number, name = 'libssl', more: Partial<WaitingUpdate> = {}): WaitingUpdate => ({
  name,
  from: '1.0',
  to: '1.1',
  origin: 'Debian-Security:12/stable-security',
  security: true,
  since: now - days * day,
  ...more,
})
/** As an agent tells of what waits. */
function facts(waiting: WaitingUpdate[], more: Partial<Updates> = {}): Facts {
  const of = (chosen: (update: WaitingUpdate) => boolean) => waiting.filter(chosen)
  const security = of(({ security, held }) => security && !held)
  const other = of(({ security, held }) => !security && !held)
  const held = of((update) => update.held !== undefined)
  const oldest = (updates: WaitingUpdate[]) => (updates.length ? Math.min(...updates.map(({ since }) => since)) : null)
  return {
    waiting,
    updates: {
      security: security.length,
      other: other.length,
      leftover: 0,
      oldestSecurityAt: oldest(security),
      oldestOtherAt: oldest(other),
      held: held.length,
      restartPending: false,
      checkedAt: now,
      listsAt: now - hour,
      names: [],
      ...more,
    },
  }
}

beforeAll(async () => {
  house = await openHouse()
  const told: [site: number, facts: Facts | null][] = [
    [0, facts([waitingFor(3), waitingFor(3, 'vim', { security: false, to: '9' })])],
    [0, facts([waitingFor(20, 'libssl', { to: '1.2' })], { restartPending: true })],
    [0, facts([waitingFor(40)], { refresh: { since: now - day, reason: 'no route' } })],
    [
      0,
      facts([waitingFor(90, 'php', { held: 'asked', rating: 'important' })], {
        outdated: [
          { name: 'nginx', service: true, files: [], since: now },
          { name: 'bash', service: false, files: [], since: now },
        ],
      }),
    ],
    [0, facts([], { listsAt: null })],
    [0, facts([], { checkedAt: now - 8 * day })],
    [0, null],
    [
      1,
      facts([waitingFor(1), waitingFor(2, '100%_odd')], {
        outdated: [{ name: 'bash', service: false, files: [], since: now }],
      }),
    ],
  ]
  for (const [i, [site, some]] of told.entries()) {
    const agent = await house.enrol(house.sites[site]!, `host-${i}`)
    devices.push(agent)
    await agent.send([agent.report(1, some ? { facts: some } : {})])
  }
})
afterAll(() => house.close())

const clients = async (query = '', ask = house.lead) =>
  (await ask<UpdatesByClient>('GET', `/api/updates/clients?${query}`)).body
const named = async (query = '', ask = house.lead) => (await ask<UpdatesPage>('GET', `/api/updates?${query}`)).body
const across = async (query: string, ask = house.lead) =>
  (await ask<UpdateOnDevices>('GET', `/api/updates/devices?${query}`)).body
const backlog = async (query = '', ask = house.lead) =>
  (await ask<Backlog>('GET', `/api/updates/backlog?${query}`)).body.days

describe('clients', () => {
  it('stand by how many of their devices are behind, and nobody knows is not “none”', async () => {
    const { clients: found, total } = await clients()
    expect(total).toBe(2)
    expect(found[0]).toMatchObject({
      clientId: house.clients[0],
      devices: 7,
      unknown: 3,
      none: 1,
      fresh: 1,
      behind: 1,
      farBehind: 1,
      security: 3,
      other: 1,
      held: 1,
      restart: 1,
      outdated: 1,
      failing: 1,
      oldestSecurityAt: now - 40 * day,
    })
    expect(found[1]).toMatchObject({ devices: 1, unknown: 0, fresh: 1, outdated: 0, security: 2 })
  })
  it.each(['behind', 'name', 'security', 'oldest'])('in the order of %s come in parts that join', async (order) => {
    const whole = (await clients(`order=${order}`)).clients.map(({ clientId }) => clientId)
    const first = await clients(`order=${order}&limit=1`)
    const second = await clients(`order=${order}&limit=1&after=${first.next}`)
    expect([...first.clients, ...second.clients].map(({ clientId }) => clientId)).toEqual(whole)
    expect(second.next).toBeNull()
  })
})

describe('updates', () => {
  const shown = ({ updates }: UpdatesPage) => updates.map(({ name, devices: on }) => `${name} ${on}`)
  it('by name, on most devices first, with the version most would get', async () => {
    const page = await named()
    expect(shown(page)).toEqual(['libssl 4', 'php 1', '100%_odd 1', 'vim 1'].sort(byOldest(page)))
    expect(page).toMatchObject({ total: 4, devices: 7 })
    expect(page.updates[0]).toMatchObject({ name: 'libssl', to: '1.1', versions: 2, oldestAt: now - 40 * day, held: 0 })
    expect(page.updates.find(({ name }) => name === 'php')).toMatchObject({ rating: 'important', held: 1 })
  })
  const byOldest =
    ({ updates }: UpdatesPage) =>
    (a: string, b: string) => {
      const of = (text: string) => updates.find(({ name }) => name === text.split(' ')[0])!
      return of(b).devices - of(a).devices || of(a).oldestAt - of(b).oldestAt
    }
  it.each([
    ['security=true&order=name', ['100%_odd 1', 'libssl 4', 'php 1']],
    ['held=true', ['php 1']],
    ['order=oldest', ['php 1', 'libssl 4', 'vim 1', '100%_odd 1']],
    ['words=%25_o', ['100%_odd 1']],
    ['words=LIB', ['libssl 4']],
  ])('can be narrowed and sorted: %s', async (query, expected) => {
    expect(shown(await named(query))).toEqual(expected)
  })
  it.each(['devices', 'oldest', 'name'])('come in parts that join: %s', async (order) => {
    const whole = shown(await named(`order=${order}`))
    const parts: string[] = []
    for (let after: string | null = ''; after !== null;) {
      const page: UpdatesPage = await named(`order=${order}&limit=1${after && `&after=${after}`}`)
      parts.push(...shown(page))
      after = page.next
    }
    expect(parts).toEqual(whole)
  })
})

describe('one update', () => {
  it('on all devices, the longest waiting first, in parts', async () => {
    const first = await across('name=libssl&limit=2')
    expect(first.total).toBe(4)
    const rest = await across(`name=libssl&after=${first.next}`)
    expect([...first.rows, ...rest.rows].map(({ deviceName, to }) => `${deviceName} ${to}`)).toEqual([
      'host-2 1.1',
      'host-1 1.2',
      'host-0 1.1',
      'host-7 1.1',
    ])
    expect(first.rows[0]).toMatchObject({ from: '1.0', security: true, held: null, since: now - 40 * day })
  })
  it('that was installed is no longer there; what is told again is written once', async () => {
    const agent = await house.enrol(house.sites[0]!, 'host-turn')
    const turn = async (seq: number, waiting: WaitingUpdate[]) => {
      await agent.send([agent.report(seq, { facts: facts(waiting) })])
      const { rows: found } = await across('name=turning')
      return found.map(({ to, since }) => `${to} ${Math.round((now - since) / day)}`)
    }
    expect(await turn(1, [waitingFor(5, 'turning')])).toEqual(['1.1 5'])
    expect(await turn(2, [waitingFor(5, 'turning', { to: '2' })])).toEqual(['2 5'])
    expect(await turn(3, [waitingFor(5, 'turning', { to: '2' })])).toEqual(['2 5'])
    const { rows: history } = await house.pool.query<{ n: number }>(
      `select count(*)::int as n from device_fact where device_id = $1 and subject = 'waiting'`,
      [agent.id],
    )
    expect(history[0]!.n).toBe(2)
    expect(await turn(4, [])).toEqual([])
  })
  it('as of a time that is over', async () => {
    const agent = await house.enrol(house.sites[0]!, 'host-past')
    await agent.send([agent.report(1, { facts: facts([waitingFor(5, 'past')]) })])
    await house.pool.query(`update device_fact set at = at - interval '2 hours' where device_id = $1`, [agent.id])
    await house.pool.query(
      `update device set enrolled_at = now() - interval '1 day', first_at = now() - interval '1 day' where id = $1`,
      [agent.id],
    )
    await agent.send([agent.report(2, { facts: facts([]) })])
    const asOf = { 'accept-datetime': new Date(Date.now() - 60 * minute).toUTCString() }
    const { body } = await house.lead<UpdateOnDevices>('GET', '/api/updates/devices?name=past', undefined, asOf)
    expect(body.rows.map(({ deviceName }) => deviceName)).toEqual(['host-past'])
    expect((await across('name=past')).rows).toEqual([])
  })
  it('goes along when two devices are merged, and so does what waited before', async () => {
    const [before, after] = [await house.enrol(house.sites[0]!, 'host-a'), await house.enrol(house.sites[0]!, 'host-b')]
    await before.send([before.report(1, { facts: facts([waitingFor(5, 'merged')]) })])
    expect((await house.lead('POST', `/api/devices/${after.id}/merge`, { from: before.id })).status).toBe(200)
    expect((await across('name=merged')).rows.map(({ deviceId }) => deviceId)).toEqual([after.id])
    const { rows: days } = await house.pool.query('select device_id from backlog_day where device_id = any($1)', [
      [before.id, after.id],
    ])
    expect(days).toEqual([{ device_id: after.id }])
  })
})

describe('the backlog', () => {
  const today = now - (now % day)
  it('is what each device told last, for a week; then nobody knows', async () => {
    const agent = await house.enrol(house.sites[1]!, 'host-slow')
    const put = (daysAgo: number, security: number, oldest: Millis | null) =>
      house.pool.query(
        `insert into backlog_day select $1, d::date, d::date + 7, $3, 0, 0, to_timestamp($4::float8 / 1000)
         from (select to_timestamp($2::float8 / 1000) at time zone 'UTC' as d) d`,
        [agent.id, today - daysAgo * day, security, oldest],
      )
    await put(30, 2, today - 50 * day)
    await put(20, 5, today - 28 * day)
    await sumBacklog(house.pool, now)
    const days = await backlog(`site=${house.sites[1]}&days=60`)
    const of = (daysAgo: number) => days.find((row) => row.day === today - daysAgo * day)
    expect([31, 30, 24, 23, 20, 14, 13].map((ago) => of(ago)?.security)).toEqual([
      undefined,
      2,
      2,
      undefined,
      5,
      5,
      undefined,
    ])
    expect([30, 20, 14].map((ago) => of(ago)!.behind)).toEqual([1, 0, 1])
    expect(of(0)).toMatchObject({ devices: 1, security: 2 })
  })
  it('of days that are over stays as it was when a device goes, however often they are summed up', async () => {
    const agent = await house.enrol(house.sites[1]!, 'host-gone')
    const at = today - 2 * day + hour
    await agent.send([{ ...agent.report(1, { facts: facts([waitingFor(50, 'gone')]) }), at }])
    await sumBacklog(house.pool, now)
    const of = async (daysAgo: number) =>
      (await backlog(`site=${house.sites[1]}&days=7`)).find((row) => row.day === today - daysAgo * day)
    const [before, todays] = [await of(1), await of(0)]
    expect((await house.lead('POST', `/api/devices/${agent.id}/retire`)).status).toBe(200)
    await sumBacklog(house.pool, now)
    await sumBacklog(house.pool, now)
    expect(await of(1)).toEqual(before)
    expect((await of(0))!.devices).toBe(todays!.devices - 1)
  })
  it('is caught up with after the server was away for long', async () => {
    await house.pool.query(`delete from site_backlog where day > (now() at time zone 'UTC')::date - 20`)
    await sumBacklog(house.pool, now)
    const days = await backlog(`site=${house.sites[1]}&days=60`)
    expect([20, 17, 14].map((ago) => days.find((row) => row.day === today - ago * day)?.security)).toEqual([5, 5, 5])
  })
  it('leaves out those that have never fetched a list', async () => {
    const { rows: found } = await house.pool.query('select from backlog_day where device_id = $1', [devices[4]!.id])
    expect(found).toEqual([])
  })
  it('by the reports of days that are caught up with, each day by its last', async () => {
    const agent = await house.enrol(house.sites[1]!, 'host-late')
    const at = (daysAgo: number, hours: number) => today - daysAgo * day + hours * hour
    const reports = [at(3, 1), at(3, 9), at(2, 1)].map((time, i) => ({
      ...agent.report(i + 1, {
        facts: facts([waitingFor(50), ...Array.from({ length: i }, (_, n) => waitingFor(50, `n${n}`))]),
      }),
      at: time,
    }))
    expect((await agent.send(reports)).status).toBe(200)
    const { rows: found } = await house.pool.query<{ security: number; held: number }>(
      'select security, until - day as held from backlog_day where device_id = $1 order by day',
      [agent.id],
    )
    expect(found).toEqual([
      { security: 2, held: 1 },
      { security: 3, held: 7 },
    ])
  })
})

describe('whoever may see one client', () => {
  it('reads its updates alone', async () => {
    const { ask } = await house.personWith('contact', [house.clients[1]!])
    expect((await clients('', ask)).clients.map(({ clientId }) => clientId)).toEqual([house.clients[1]])
    expect((await named('', ask)).updates.find(({ name }) => name === 'php')).toBeUndefined()
    expect((await across('name=libssl', ask)).rows.map(({ deviceName }) => deviceName)).not.toContain('host-0')
    const [theirs, all] = [await backlog('days=7', ask), await backlog('days=7')]
    expect(theirs.at(-1)!.security).toBeLessThan(all.at(-1)!.security)
    expect(await backlog(`days=7&client=${house.clients[0]}`, ask)).toEqual([])
  })
})

it('what they take to store is told', async () => {
  const { body } = await house.lead<Storage>('GET', '/api/storage')
  expect(body.kinds.map(({ kind }) => kind)).toContain('backlog')
})
