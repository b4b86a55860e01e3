import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import type { AlertView, UsualPage, WhyPage } from '#contract'
import { day, hour, minute, type Millis, type Reading } from '#core'
import { inTransaction } from '../../db'
import { bumpVersions } from '../../engine'
import { learnUsualOfDevices } from '../../engine/learning'
import { packingLock, rollUp, writeDays, type DeviceDay } from '../../store/series'
import { assignToAll, openHouse, type Agent, type House } from '../../testing/house'

const now = Date.now()
const today = Math.floor(now / day) * day

describe('what is usual for a device', () => {
  let house: House
  let agent: Agent
  let young: Agent
  beforeAll(async () => {
    house = await openHouse()
    agent = await house.enrol(house.sites[0], 'tm-usual-1')
    young = await house.enrol(house.sites[0], 'tm-young-1')
    for (const [one, days] of [
      [agent, 27],
      [young, 9],
    ] as const)
      await inTransaction(house.pool, async (tx) => {
        await packingLock(tx)
        const past = Array.from({ length: days }, (_, i) => dayAgo(one, days - i))
        await writeDays(tx, past)
        await rollUp(tx, past)
      })
    for (const one of [agent, young]) await one.send([reading(one, now - 50 * minute, 0.12)])
  })
  afterAll(() => house.close())

  /** As an agent would have told of that day, each hour. */
  const dayAgo = ({ id: deviceId }: Agent, ago: number): DeviceDay => {
    const times = Float64Array.from({ length: 24 }, (_, i) => today - ago * day + i * hour)
    const value = times.map((_, i) => 0.1 + ((ago * 7 + i) % 5) / 100)
    const series = new Map([
      ['cpu.busy|', { metric: 'cpu.busy' as const, instance: '', samples: { at: times, value } }],
    ])
    return { deviceId, day: today / day - ago, times, series }
  }
  const reading = (one: Agent, at: Millis, busy: number) => ({
    ...one.report(0),
    at,
    interval: hour,
    readings: [['cpu.busy', '', busy]] as Reading[],
  })
  const alertsOf = async ({ id }: Agent) =>
    (await house.lead<AlertView[]>('GET', `/api/devices/${id}/alerts?limit=50`)).body
  const usualOf = async ({ id }: Agent) =>
    (await house.lead<UsualPage>('GET', `/api/devices/${id}/usual?metric=cpu.busy`)).body
  const why = async ({ id }: Agent, moment?: Millis) =>
    (
      await house.lead<WhyPage>(
        'GET',
        `/api/devices/${id}/why?watch=busy&instance=${moment === undefined ? '' : `&at=${moment}`}`,
      )
    ).body.steps
  const latest = now - 6 * minute

  it('is known without a watch, with what one would have told', async () => {
    const page = await usualOf(agent)
    expect([page.days, page.beganAnew, page.anewBy, page.watches]).toEqual([27, null, null, []])
    expect(page.cells.length).toBe(168)
    for (const { middle, spread } of page.cells) {
      expect(middle).toBeGreaterThan(0.1)
      expect(middle).toBeLessThan(0.15)
      // No less than what counts as none, and little more.
      expect(spread).toBeGreaterThan(0.019)
      expect(spread).toBeLessThan(0.03)
    }
    expect(page.tried.map(({ sensitivity, told }) => [sensitivity, told])).toEqual([
      ['low', []],
      ['medium', []],
      ['high', []],
    ])
    const none = await house.lead<UsualPage>('GET', `/api/devices/${agent.id}/usual?metric=uptime`)
    expect([none.body.tried, none.body.asked, none.body.cells]).toEqual([[], null, []])
  })

  it('is learned for devices with a watch of it, once; and judged from the next report on', async () => {
    expect(await learnUsualOfDevices(house.pool, now)).toBe(0)
    await assignToAll(house, {
      name: 'Unusual',
      description: '',
      includes: [],
      watches: [
        {
          key: 'busy',
          kind: 'unusual-cpu',
          name: 'Busy',
          why: '',
          osFamilies: [],
          values: { span: 10 * minute, 'clear.hold': 2 * minute },
        },
      ],
    })
    expect(await learnUsualOfDevices(house.pool, now)).toBeGreaterThanOrEqual(2)
    expect(await learnUsualOfDevices(house.pool, now)).toBe(0)
    for (const one of [agent, young])
      for (const ago of [40, 34, 28, 22, 16, 10])
        await one.send([{ ...reading(one, now - ago * minute, 0.7), interval: 6 * minute }])
    expect(await alertsOf(young)).toEqual([])
    const [alert] = await alertsOf(agent)
    expect(alert).toMatchObject({ watch: 'busy', severity: 'notice' })
    expect(alert!.evidence!.text).toMatch(
      /^CPU busy 70 %, mean over 10 min; usual at this hour is 1\d(\.\d)? %, and up to 2\d(\.\d)? %$/,
    )
    const page = await usualOf(agent)
    expect(page.watches).toEqual([expect.objectContaining({ key: 'busy', name: 'Busy', toGo: 0 })])
    expect((await usualOf(young)).watches[0]!.toGo).toBe(12)
  })

  it('why says how it is usually, and how long it still learns', async () => {
    // As of what it told last, which was on the day before where that has just ended.
    const days = now - 10 * minute < today ? 8 : 9
    expect((await why(young)).map(({ text }) => text).join()).toContain(`learning, ${21 - days} days to go`)
    expect((await why(agent)).map(({ text }) => text).join()).toMatch(/usual at this hour is 1\d/)
  })

  it('a whole day later it is learned again', async () => {
    expect(await learnUsualOfDevices(house.pool, now + day + minute)).toBeGreaterThanOrEqual(2)
    const { rows } = await house.pool.query('select metric, days from usual where device_id = $1', [agent.id])
    expect(rows).toEqual([{ metric: 'cpu.busy', days: 27 }])
  })

  it('said to be learned anew, what is told is over; taken back, all is as before', async () => {
    const set = (anew: boolean, metric = 'cpu.busy') =>
      house.lead<UsualPage>('POST', `/api/devices/${agent.id}/usual`, { metric, instance: '', anew })
    const { body } = await set(true)
    expect([body.days, body.cells, body.watches[0]!.toGo]).toEqual([0, [], 21])
    expect(body.anewBy).not.toBeNull()
    await learnUsualOfDevices(house.pool, Date.now() + 10)
    await agent.send([{ ...reading(agent, latest, 0.7), interval: 6 * minute }])
    await agent.send([{ ...reading(agent, now - 3 * minute, 0.7), interval: 6 * minute }])
    const [alert] = await alertsOf(agent)
    expect(alert!.status).toBe('closed')
    const back = await set(false)
    expect([back.body.days, back.body.anewBy]).toEqual([27, null])
    await learnUsualOfDevices(house.pool, Date.now() + 10)
    const { rows } = await house.pool.query('select days, began_anew from usual where device_id = $1', [agent.id])
    expect(rows).toEqual([{ days: 27, began_anew: null }])
    expect(await set(true, 'uptime')).toMatchObject({ status: 400 })
    const audit = await house.pool.query(`select action from audit where action like '%learned%' order by id`)
    expect(audit.rows.map(({ action }) => action as string)).toEqual([
      'had learned anew a series of',
      'had learned as before a series of',
    ])
  })

  it('a device of which it cannot be learned costs itself alone, and is tried again after an hour', async () => {
    const broken = await house.enrol(house.sites[0], 'tm-broken-1')
    await broken.send([reading(broken, now - 50 * minute, 0.12)])
    await inTransaction(house.pool, async (tx) => {
      await packingLock(tx)
      await rollUp(tx, [dayAgo(broken, 3)])
    })
    await house.pool.query(`update rollup set data = 'no' where device_id = $1`, [broken.id])
    await house.pool.query('update device set version = version + 1')
    const later = Date.now()
    await expect(learnUsualOfDevices(house.pool, later)).rejects.toThrow(/^1 of \d+ failed/)
    expect(await learnUsualOfDevices(house.pool, later)).toBe(0)
    expect((await usualOf(agent)).days).toBe(27)
    await expect(learnUsualOfDevices(house.pool, later + hour + minute)).rejects.toThrow('1 of 1 failed')
  })

  it('what is said while it is learned is not lost: it is learned once more', async () => {
    await house.pool.query('delete from usual where device_id = $1', [agent.id])
    await house.pool.query('update device set version = version + 1 where id = $1', [agent.id])
    const lock = await house.pool.connect()
    await lock.query('begin')
    await bumpVersions(lock, [agent.id])
    const learning = learnUsualOfDevices(house.pool, Date.now())
    // It waits for whoever says so.
    while (!(await waits())) await new Promise((resolve) => setImmediate(resolve))
    await lock.query(`insert into usual_anew (device_id, metric, instance, at) values ($1, 'cpu.busy', '', now())`, [
      agent.id,
    ])
    await lock.query('delete from usual where device_id = $1', [agent.id])
    await lock.query('commit')
    lock.release()
    await learning
    await learnUsualOfDevices(house.pool, Date.now() + 10)
    const { rows } = await house.pool.query('select days, began_anew is null as none from usual where device_id = $1', [
      agent.id,
    ])
    expect(rows).toEqual([{ days: 0, none: false }])
    await house.pool.query('delete from usual_anew')
  })
  const waits = async () =>
    (await house.pool.query(`select from pg_stat_activity where wait_event_type = 'Lock'`)).rows.length > 0

  it('looked back at, it is what was known and who judged then', async () => {
    const { cookie } = await house.personWith('lead', null)
    const then = await house.app.inject({
      url: `/api/devices/${agent.id}/usual?metric=cpu.busy`,
      headers: { cookie, 'accept-datetime': new Date(now).toUTCString() },
    })
    const page = then.json<UsualPage>()
    // Before the watch was made.
    expect([then.statusCode, page.watches, page.days]).toEqual([200, [], 27])
    expect(then.headers['memento-datetime']).toBeDefined()
  })

  it('of a series that there is not nothing is learned anew', async () => {
    const { status } = await house.lead('POST', `/api/devices/${agent.id}/usual`, {
      metric: 'net.sent',
      instance: 'eth9',
      anew: true,
    })
    expect(status).toBe(400)
  })

  it('nobody of another client sees or changes it', async () => {
    const other = await house.personWith('technician', [house.clients[1]])
    const url = `/api/devices/${agent.id}/usual`
    expect((await other.ask('GET', `${url}?metric=cpu.busy`)).status).toBe(404)
    expect((await other.ask('POST', url, { metric: 'cpu.busy', instance: '', anew: true })).status).toBe(404)
    const { rows } = await house.pool.query('select from usual_anew')
    expect(rows).toEqual([])
  })
})
