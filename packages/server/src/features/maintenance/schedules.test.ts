import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import type {
  AlertView,
  HeldView,
  Lanes,
  Made,
  NewWindow,
  OccurrenceAct,
  UncoveredList,
  WindowChange,
  WindowPage,
  WindowPosts,
  WindowPreview,
} from '#contract'
import { day, hour, minute, type Service } from '#core'
import { instantOf, localOf } from '#core/schedule'
import { rows } from '../../db'
import { advanceWindows, extendHorizons } from '../../engine'
import { settleDue } from '../../engine/settling'
import { assignFromLibrary, openHouse, type Agent, type House } from '../../testing/house'

let house: House
let count = 0
const zone = 'Europe/Lisbon'
beforeAll(async () => {
  house = await openHouse()
  await assignFromLibrary(house, 'Base server')
})
afterAll(() => house.close())

const device = (site = house.sites[0]) => house.enrol(site, `tm-plan-${++count}`)
const orders = (state: Service['state']) => ({
  facts: { services: [{ name: 'orders', title: 'orders', start: 'automatic', state } as Service] },
})
const draft = (more: Partial<NewWindow> = {}): NewWindow => ({
  name: 'Patch night',
  reason: 'updates',
  target: { on: 'client', clientId: house.clients[0] },
  subject: { of: 'all' },
  from: '2030-01-01T02:00:00',
  length: 4 * hour,
  zone,
  rule: 'FREQ=WEEKLY;BYDAY=TU',
  ...more,
})
async function make(more: Partial<NewWindow> = {}): Promise<number> {
  const { body, status } = await house.technician<Made>('POST', '/api/windows', draft(more))
  expect([status, body.detail]).toEqual([200, undefined])
  return body.id
}
const page = async (id: number) => (await house.technician<WindowPage>('GET', `/api/windows/${id}`)).body
const act = (id: number, what: Partial<OccurrenceAct> & Pick<OccurrenceAct, 'do' | 'start'>) =>
  house.technician('POST', `/api/windows/${id}/occurrence`, { why: 'ferry was late', ...what })
async function change(id: number, scope: WindowChange['scope'], start: number | null, more: Partial<NewWindow>) {
  const { revision, from: _from, ...window } = await page(id)
  return house.technician<Made>('POST', `/api/windows/${id}/change`, {
    revision,
    scope,
    start,
    why: 'moved',
    window: draft({ from: window.starts, ...more }),
  })
}
const comingOf = async (id: number) =>
  (await page(id)).coming.map(({ from, until }) => [localOf(from, zone), (until! - from) / hour])
const at = (local: string) => instantOf(local, zone)
/** The next Tuesday at two, on the clocks of the zone. */
const tuesdays = async (id: number) => (await page(id)).coming.map(({ start }) => start)

describe('a window that repeats', () => {
  it('has its times written down ahead, on the clocks of its zone', async () => {
    const id = await make()
    const [first] = (await page(id)).coming
    expect(localOf(first!.from, zone)).toBe('2030-01-01T02:00:00')
    // Of a device of its own: on a Tuesday it holds what fails there.
    const target = { on: 'devices' as const, deviceIds: [(await device()).id] }
    const soon = await make({ target, from: localOf(Date.now(), zone).slice(0, 10) + 'T02:00:00' })
    const coming = (await page(soon)).coming
    // Of sixty days.
    expect([8, 9]).toContain(coming.length)
    for (const { from, until } of coming) {
      expect([new Date(`${localOf(from, zone)}Z`).getUTCDay(), localOf(from, zone).slice(11)]).toEqual([2, '02:00:00'])
      expect(until! - from).toBe(4 * hour)
    }
  })
  it('takes the zone of its sites where none is chosen', async () => {
    expect((await page(await make({ zone: null }))).zone).toBe(
      (await rows<{ zone: string }>(house.pool, 'select zone from site where id = $1', [house.sites[0]]))[0]!.zone,
    )
  })
  it.each([
    [{ rule: 'FREQ=SOMETIMES' }, 'rule'],
    [{ rule: 'FREQ=MINUTELY' }, 'rule'],
    [{ rule: 'FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=30' }, 'rule'],
    [{ zone: 'Europe/Atlantis' }, 'zone'],
    [{ from: '2030-02-30T00:00:00' }, 'from'],
    [{ length: null }, 'length'],
    [{ rule: null, length: null, until: 1_000_000 }, 'until'],
    [{ length: hour, until: Date.parse('2031-01-01') }, 'until'],
    [{ ownerId: 999_999 }, 'ownerId'],
  ] as const)('%j is refused at its field', async (more, field) => {
    const { status, body } = await house.technician('POST', '/api/windows', draft(more))
    expect([status, body.code, body.faults?.[0]?.at]).toEqual([400, 'invalid', field])
  })
})

describe('changes of a window', () => {
  it('of one time leave the others', async () => {
    const id = await make()
    const [, second] = await tuesdays(id)
    await change(id, 'one', second!, { from: '2030-01-09T05:00:00', length: 2 * hour })
    expect((await comingOf(id)).slice(0, 3)).toEqual([
      ['2030-01-01T02:00:00', 4],
      ['2030-01-09T05:00:00', 2],
      ['2030-01-15T02:00:00', 4],
    ])
    expect((await page(id)).revisions.map(({ revision, why }) => [revision, why])).toEqual([
      [2, 'moved'],
      [1, ''],
    ])
  })
  it('of that one and all after it end the window and begin another that goes on', async () => {
    const id = await make({ rule: 'FREQ=WEEKLY;BYDAY=TU;COUNT=5' })
    const [, second] = await tuesdays(id)
    const { body } = await change(id, 'following', second!, {
      from: '2030-01-08T22:00:00',
      rule: 'FREQ=WEEKLY;BYDAY=TU;COUNT=5',
      name: 'Patch evening',
    })
    expect(body.id).not.toBe(id)
    expect(await comingOf(id)).toEqual([['2030-01-01T02:00:00', 4]])
    expect((await comingOf(body.id))[0]).toEqual(['2030-01-08T22:00:00', 4])
    const after = await page(body.id)
    expect([after.continues, after.rule, after.name]).toEqual([
      { id, name: 'Patch night' },
      'FREQ=WEEKLY;BYDAY=TU;COUNT=4',
      'Patch evening',
    ])
  })
  it('of the first one and all after it are changes of all', async () => {
    const id = await make()
    const [first] = await tuesdays(id)
    const { body } = await change(id, 'following', first!, { length: hour })
    expect(body.id).toBe(id)
    expect((await comingOf(id))[0]).toEqual(['2030-01-01T02:00:00', 1])
  })
  it('of all keep what was skipped, on its day', async () => {
    const id = await make()
    const [, second] = await tuesdays(id)
    await act(id, { do: 'skip', start: second! })
    expect((await comingOf(id)).map(([from]) => from)).not.toContain('2030-01-08T02:00:00')
    await change(id, 'all', null, { from: '2030-01-01T23:00:00' })
    const coming = await comingOf(id)
    expect(coming[0]).toEqual(['2030-01-01T23:00:00', 4])
    expect(coming.map(([from]) => from)).not.toContain('2030-01-08T23:00:00')
    const { skipped } = await page(id)
    expect(skipped.map((start) => localOf(start, zone))).toEqual(['2030-01-08T23:00:00'])
    await act(id, { do: 'restore', start: skipped[0]! })
    // As many as before, however far away they are.
    expect((await page(id)).coming.length).toBeGreaterThanOrEqual(8)
    expect((await comingOf(id)).map(([from]) => from)).toContain('2030-01-08T23:00:00')
  })
  it('of all make one that comes again come once, and what was to come is gone, also while it is in force', async () => {
    const id = await make({ rule: 'FREQ=DAILY', zone: 'UTC', from: localOf(Date.now() - minute, 'UTC') })
    await advanceWindows(house.pool, Date.now())
    const { starts, past } = await page(id)
    expect((await change(id, 'all', null, { rule: null, zone: 'UTC', from: starts, length: 5 * hour })).status).toBe(
      200,
    )
    const after = await page(id)
    expect([after.coming, after.past.map(({ id: occurrence }) => occurrence)]).toEqual([[], [past[0]!.id]])
    // Its beginning was, whatever is said of it; its end moves.
    const later = { rule: null, zone: 'UTC', from: '2031-01-01T00:00:00', length: 6 * hour }
    expect((await change(id, 'all', null, later)).status).toBe(200)
    const last = await page(id)
    expect([last.from, last.until! - last.from]).toEqual([past[0]!.from, 6 * hour])
    await house.technician('POST', `/api/windows/${id}/end`)
  })
  it('that were made beside another one are refused, and nothing is lost', async () => {
    const id = await make()
    const { revision } = await page(id)
    await change(id, 'all', null, { name: 'First' })
    const { body } = await house.technician('POST', `/api/windows/${id}/change`, {
      revision,
      scope: 'all',
      start: null,
      why: '',
      window: draft({ name: 'Second' }),
    })
    expect([body.code, (await page(id)).name]).toEqual(['changed-meanwhile', 'First'])
  })
  it('reach no time that is gone, and none that is not there', async () => {
    const id = await make()
    const [first] = await tuesdays(id)
    expect((await act(id, { do: 'skip', start: first! + 1000 })).body.code).toBe('no-such-window')
    expect((await act(id, { do: 'restore', start: first! })).body.code).toBe('no-such-window')
    await house.technician('POST', `/api/windows/${id}/end`, { why: 'not needed any more' })
    expect(await page(id)).toMatchObject({ coming: [], endedBy: 'Tech', next: null })
    expect((await change(id, 'all', null, { name: 'again' })).body.code).toBe('already-ended')
    expect((await act(id, { do: 'end', start: first! })).body.code).toBe('already-ended')
  })
  it('bring nothing of a window back that was ended for good, whatever was skipped of it', async () => {
    const id = await make()
    const [first, second, third] = await tuesdays(id)
    await act(id, { do: 'skip', start: second! })
    await house.technician('POST', `/api/windows/${id}/end`, { why: 'over' })
    const tried = [
      await act(id, { do: 'restore', start: second! }),
      await act(id, { do: 'extend', start: first!, until: first! + day }),
      await change(id, 'following', third!, { length: hour }),
      await change(id, 'one', first!, { length: hour }),
    ]
    expect(tried.map(({ body }) => body.code)).toEqual(Array(4).fill('already-ended'))
    expect((await page(id)).coming).toEqual([])
  })
  it('are looked at again on a day that somebody says', async () => {
    const agent = await device()
    const id = await make({ rule: null, length: null, from: null, target: { on: 'devices', deviceIds: [agent.id] } })
    const { reviewAt, advice } = await page(id)
    expect([Math.round((reviewAt! - Date.now()) / day), advice]).toEqual([7, []])
    await house.pool.query(`update window_revision set review_at = now() - interval '1 hour' where id = $1`, [id])
    expect((await page(id)).advice).toEqual(['review'])
    const review = (when: number | null) =>
      house.technician('POST', `/api/windows/${id}/review`, { reviewAt: when, why: 'still being rebuilt' })
    expect([(await review(null)).status, (await review(Date.now() - day)).status]).toEqual([400, 400])
    await review(Date.now() + 3 * day)
    expect(await page(id)).toMatchObject({ advice: [], revision: 2 })
    await house.technician('POST', `/api/windows/${id}/end`)
  })
})

describe('in force', () => {
  const alertsOf = async (agent: Agent) =>
    (await house.lead<AlertView[]>('GET', `/api/devices/${agent.id}/alerts`)).body
  const recordOf = async (id: number) => (await house.lead<HeldView[]>('GET', `/api/windows/${id}/record`)).body
  /** To the second, as schedules are. */
  const whole = (agent: Agent, minutes: number) => Math.floor(agent.at(minutes) / 1000) * 1000
  /** Each hour, from the moment at which the device's history begins. */
  const hourly = (agent: Agent, length: number) => ({
    target: { on: 'devices' as const, deviceIds: [agent.id] },
    from: localOf(agent.at(-180), 'UTC'),
    zone: 'UTC',
    rule: 'FREQ=HOURLY',
    length,
  })

  const one = (agent: Agent) => ({
    target: { on: 'devices' as const, deviceIds: [agent.id] },
    rule: null,
    length: null,
  })

  it('what fails is held by each time of it, and raised at the end that it outlasts', async () => {
    const agent = await device()
    const id = await make(hourly(agent, 10 * minute))
    await agent.send([agent.report(-181, orders('running'))])
    await agent.send([
      agent.report(-179, orders('stopped')),
      agent.report(-178),
      agent.report(-177),
      agent.report(-171),
    ])
    expect(await alertsOf(agent)).toEqual([])
    expect(await recordOf(id)).toMatchObject([{ outcome: null, began: agent.at(-179), windowEnd: whole(agent, -170) }])
    await agent.send([agent.report(-169)])
    expect(await alertsOf(agent)).toMatchObject([
      { status: 'open', began: agent.at(-179), raisedAt: agent.at(-169), windowId: id },
    ])
    // Well again, and failing in the second hour: another record, of another time.
    await agent.send([agent.report(-168, orders('running')), agent.report(-166), agent.report(-164)])
    await agent.send([agent.report(-119, orders('stopped')), agent.report(-118), agent.report(-116, orders('running'))])
    await agent.send([agent.report(-115), agent.report(-114)])
    const record = await recordOf(id)
    expect(record.map(({ outcome, windowEnd }) => [outcome, windowEnd])).toEqual([
      ['cleared', whole(agent, -110)],
      ['raised', whole(agent, -170)],
    ])
    const { past } = await page(id)
    const seen = past.filter(({ held }) => held > 0).map(({ from, held, raised }) => [from, held, raised])
    expect(seen).toEqual([
      [whole(agent, -120), 1, 0],
      [whole(agent, -180), 1, 1],
    ])
  })
  it('what no server was there for is made up for in order: begun, ended, and raised as of then', async () => {
    const agent = await device()
    const id = await make(hourly(agent, 10 * minute))
    await agent.send([agent.report(-181, orders('running'))])
    await agent.send([agent.report(-179, orders('stopped')), agent.report(-177)])
    expect((await recordOf(id)).map(({ outcome }) => outcome)).toEqual([null])
    // Its times of nearly four hours are due at once.
    let turned = 0
    for (let round = 0; round < 5; round++) turned += await advanceWindows(house.pool, Date.now())
    expect(turned).toBeGreaterThanOrEqual(4)
    expect(await alertsOf(agent)).toMatchObject([
      { status: 'open', began: agent.at(-179), raisedAt: whole(agent, -170) },
    ])
    expect(await advanceWindows(house.pool, Date.now())).toBe(0)
    const left = await rows(
      house.pool,
      'select from window_occurrence where window_id = $1 and from_at < now() and not begun',
      [id],
    )
    expect(left).toEqual([])
  })
  it('what a report had it hold that came in after its end is raised as of that end, though no other report comes', async () => {
    // Of a client that no other window here is about.
    const agent = await device(house.sites[1])
    // Wide enough that a slow machine, whose delay counts as the agent's clock being off, stays within.
    const from = Date.now() - 100_000
    const until = from + 70_000
    const id = await make({ ...one(agent), from, until })
    await agent.send([{ ...agent.report(0, orders('running')), at: from - 120_000 }])
    await agent.send([{ ...agent.report(0, orders('stopped')), at: from - 60_000 }])
    await advanceWindows(house.pool, Date.now())
    await agent.send([{ ...agent.report(0), at: from + 40_000 }])
    expect((await recordOf(id)).map(({ outcome }) => outcome)).toEqual([null])
    await settleDue(house.pool, Date.now())
    expect((await recordOf(id)).map(({ outcome }) => outcome)).toEqual(['raised'])
    expect(await alertsOf(agent)).toMatchObject([{ status: 'open', began: from - 60_000, raisedAt: until }])
  })
  it('goes on beyond what was written down at first, without a gap or a time twice', async () => {
    const id = await make({ from: localOf(Date.now(), 'UTC'), zone: 'UTC', rule: 'FREQ=DAILY' })
    for (const ahead of [30, 61, 95]) await extendHorizons(house.pool, Date.now() + ahead * day)
    const starts = await rows<{ start: number }>(
      house.pool,
      'select start from window_occurrence where window_id = $1 order by start',
      [id],
    )
    expect(starts.length).toBeGreaterThan(150)
    for (const [i, { start }] of starts.entries()) expect(start - starts[0]!.start).toBe(i * day)
  })
  it('holds single posts, and no others of the same device', async () => {
    const agent = await device()
    const id = await make({
      ...hourly(agent, 50 * minute),
      subject: { of: 'posts', posts: [{ deviceId: agent.id, watch: 'services', instance: 'labels' }] },
    })
    const both = (state: Service['state']) => ({
      facts: {
        services: ['orders', 'labels'].map((name) => ({ name, title: '', start: 'automatic', state }) as Service),
      },
    })
    await agent.send([agent.report(-179, both('running')), agent.report(-178, both('stopped')), agent.report(-176)])
    expect((await alertsOf(agent)).map(({ instance }) => instance)).toEqual(['orders'])
    expect((await recordOf(id)).map(({ instance }) => instance)).toEqual(['labels'])
    const [occurrence] = (await page(id)).past.filter(({ from }) => from === whole(agent, -180))
    expect(occurrence).toMatchObject({ held: 1, uncovered: 1 })
    const { body } = await house.technician<UncoveredList>(
      'GET',
      `/api/windows/${id}/uncovered?occurrence=${occurrence!.id}`,
    )
    expect(body).toMatchObject({ total: 1, alerts: [{ instance: 'orders', family: 'service' }] })
  })
  it('is extended, shortened and ended while it lasts; what still fails is raised at once', async () => {
    const agent = await device()
    const id = await make({
      ...hourly(agent, 50 * minute),
      rule: 'FREQ=DAILY',
      from: localOf(Date.now() - minute, 'UTC'),
    })
    await advanceWindows(house.pool, Date.now())
    const [running] = (await page(id)).past
    const late = Date.now() + 3 * hour
    await act(id, { do: 'extend', start: running!.start, until: late })
    expect((await page(id)).past[0]).toMatchObject({ until: late, endedAt: null })
    expect((await act(id, { do: 'extend', start: running!.start, until: Date.now() - hour })).status).toBe(400)
    expect((await act(id, { do: 'skip', start: running!.start })).status).toBe(400)
    await act(id, { do: 'end', start: running!.start })
    const { past, next, revisions } = await page(id)
    expect([past[0]!.endedBy, next !== null, revisions.map(({ why }) => why)]).toEqual([
      'Tech',
      true,
      ['ferry was late', 'ferry was late', ''],
    ])
  })
})

describe('before it is saved', () => {
  const preview = async (more: Partial<NewWindow> = {}, id: number | null = null) =>
    (await house.technician<WindowPreview>('POST', '/api/windows/preview', { id, window: draft(more) })).body
  it('shows the next five times, and what a change of the clocks does to one', async () => {
    const { next, clock } = await preview({ from: '2030-01-01T01:30:00', zone: 'Europe/Berlin', rule: 'FREQ=DAILY' })
    expect(next.map(({ from }) => localOf(from, 'Europe/Berlin').slice(8, 16))).toEqual([
      '01T01:30',
      '02T01:30',
      '03T01:30',
      '04T01:30',
      '05T01:30',
    ])
    // It begins beyond the year that is looked at.
    expect(clock).toEqual([])
    const soon = await preview({ from: '2026-01-01T02:30:00', zone: 'Europe/Berlin', rule: 'FREQ=DAILY' })
    expect(soon.clock.map(({ effect }) => effect).sort()).toEqual(['skipped', 'twice'])
  })
  it('shows which others meet it, on how many devices, and not itself', async () => {
    const agent = await device()
    const other = await make({
      target: { on: 'devices', deviceIds: [agent.id] },
      rule: null,
      from: '2035-05-01T01:00:00',
      name: 'Beside it',
    })
    const { overlaps } = await preview({ rule: null, from: '2035-05-01T04:00:00' })
    expect(overlaps).toMatchObject([{ id: other, name: 'Beside it', devices: 1 }])
    expect((await preview({ rule: null, from: '2035-05-01T05:00:00' })).overlaps).toEqual([])
    expect((await preview({ rule: null, from: '2035-05-01T04:00:00' }, other)).overlaps).toEqual([])
  })
  it('counts its posts by family, those that it would hold, and names each', async () => {
    const agent = await device()
    await agent.send([agent.report(1, orders('running'))])
    const posts = async (subject: NewWindow['subject']) =>
      (
        await house.technician<WindowPosts>('POST', '/api/windows/posts', {
          target: { on: 'devices', deviceIds: [agent.id] },
          subject,
          after: null,
        })
      ).body
    const all = await posts({ of: 'all' })
    const services = await posts({ of: 'families', families: ['service'] })
    expect(all.total).toBe(all.families.reduce((sum, family) => sum + family.posts, 0))
    expect(all.posts).toHaveLength(all.total)
    expect(services.posts).toMatchObject([{ watch: 'services', instance: 'orders', deviceName: `tm-plan-${count}` }])
    expect(services.total).toBe(all.families.find(({ family }) => family === 'service')!.posts)
  })
  it('says what fails now and would be held, and what is open already', async () => {
    const agent = await device()
    await agent.send([agent.report(1, orders('running')), agent.report(2, orders('stopped')), agent.report(4)])
    const target = { on: 'devices' as const, deviceIds: [agent.id] }
    expect(await preview({ target })).toMatchObject({ devices: 1, failing: 0, open: 1 })
    expect(await preview({ target, subject: { of: 'families', families: ['disk'] } })).toMatchObject({ open: 0 })
  })
})

describe('lanes', () => {
  it('a window is in the lane of its client, of its site, or among those of several', async () => {
    const range = [at('2040-01-01T00:00:00'), at('2040-01-08T00:00:00')] as const
    const read = async (client?: number) =>
      (
        await house.technician<Lanes>(
          'GET',
          `/api/lanes?from=${range[0]}&until=${range[1]}${client ? `&client=${client}` : ''}`,
        )
      ).body
    const one = { rule: null, from: '2040-01-03T02:00:00' }
    await make({ ...one, name: 'Of the client' })
    await make({ ...one, name: 'Of the site', target: { on: 'site', siteId: house.sites[0] } })
    await house.enrol(house.sites[1], 'bb-oven-1')
    await house.lead('POST', '/api/windows', draft({ ...one, name: 'Of all', target: { on: 'everyone' } }))
    const names = (spans: { name: string }[]) => spans.map(({ name }) => name).sort()
    const all = await read()
    expect(names(all.shared)).toEqual(['Of all'])
    expect(names(all.lanes.find(({ clientId }) => clientId === house.clients[0])!.spans)).toEqual([
      'Of the client',
      'Of the site',
    ])
    const mine = await read(house.clients[0])
    expect(mine.lanes.map(({ siteId, spans }) => [siteId, names(spans)])).toEqual([
      [null, []],
      [house.sites[0], ['Of all', 'Of the client', 'Of the site']],
    ])
    expect((await house.technician('GET', `/api/lanes?from=0&until=${200 * day}`)).body.code).toBe('invalid')
  })
})

it('one window whose times cannot be worked out keeps no other from beginning, ending, or being written down', async () => {
  const [bad, good] = [await make({ rule: 'FREQ=DAILY' }), await make({ rule: 'FREQ=DAILY' })]
  await house.pool.query(`update window_revision set rule = 'FREQ=NEVERMORE' where id = $1`, [bad])
  await house.pool.query(`update window_horizon set until_at = now() where window_id = any($1)`, [[bad, good]])
  await expect(extendHorizons(house.pool, Date.now())).rejects.toThrow(/of \d+ failed/)
  const horizon = async (id: number) =>
    (await rows<{ at: number }>(house.pool, 'select until_at as at from window_horizon where window_id = $1', [id]))[0]!
      .at
  expect((await horizon(good)) > Date.now() + 50 * day).toBe(true)
  await advanceWindows(house.pool, Date.now())
})
