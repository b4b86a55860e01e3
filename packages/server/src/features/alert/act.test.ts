import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import type { AlertActed, AlertPage, AlertsAct, AlertView, Looked, Rounds } from '#contract'
import { day, hour, type Service } from '#core'
import { rows } from '../../db'
import { assignFromLibrary, openHouse, type Agent, type Caller, type House } from '../../testing/house'
import { alertJobs } from './act'

let house: House
let count = 0
beforeAll(async () => {
  house = await openHouse()
  await assignFromLibrary(house, 'Base server')
})
afterAll(() => house.close())

const services = (state: Service['state'], names = ['orders']) => ({
  facts: { services: names.map((name) => ({ name, title: name, start: 'automatic', state }) as Service) },
})
/** A device with a stopped service, and its alert. */
async function failing(): Promise<{ agent: Agent; id: number }> {
  const agent = await house.enrol(house.sites[0], `tm-act-${++count}`)
  await agent.send([agent.report(1, services('running')), agent.report(2, services('stopped')), agent.report(4)])
  const [alert] = (await house.lead<AlertView[]>('GET', `/api/devices/${agent.id}/alerts`)).body
  return { agent, id: alert!.id }
}
const act = async (ask: Caller, ids: number[], what: Partial<AlertsAct> & Pick<AlertsAct, 'do'>) =>
  (await ask<AlertActed[]>('POST', '/api/alerts/acts', { ids, text: '', ...what })).body
const page = async (id: number) =>
  (await house.lead<AlertPage>('GET', `/api/alerts/${id}`)).body as unknown as AlertPage
const rounds = async (ask: Caller = house.lead) => (await ask<Rounds>('GET', '/api/rounds')).body
const idsIn = (part: { rows: { id: number }[] }) => part.rows.map((row) => row.id)

describe('an alert is handed over', () => {
  it('to somebody with a word, who takes it; what was offered is over then', async () => {
    const { id } = await failing()
    const [first, second] = [await house.personWith('technician', null), await house.personWith('technician', null)]
    await act(first.ask, [id], { do: 'take' })
    await act(first.ask, [id], { do: 'hand-over', personId: second.id, text: 'spare part comes at ten' })
    expect(await page(id)).toMatchObject({
      status: 'taken',
      takenById: first.id,
      offeredToId: second.id,
      offeredWord: 'spare part comes at ten',
    })
    await act(second.ask, [id], { do: 'take' })
    const taken = await page(id)
    expect(taken).toMatchObject({ status: 'taken', takenById: second.id, offeredToId: null, offeredWord: '' })
    expect(taken.entries.map(({ event }) => event)).toEqual(['raised', 'taken', 'handed-over', 'taken'])
  })
  it('who declines, or passes it on; nobody else can answer for them', async () => {
    const { id } = await failing()
    const [first, second] = [await house.personWith('technician', null), await house.personWith('technician', null)]
    await act(house.technician, [id], { do: 'hand-over', personId: first.id })
    expect((await act(second.ask, [id], { do: 'decline' }))[0]!.problem).toContain('not handed to you')
    await act(first.ask, [id], { do: 'hand-over', personId: second.id, text: 'yours, I think' })
    expect(await page(id)).toMatchObject({ status: 'open', offeredToId: second.id })
    expect(await act(second.ask, [id], { do: 'decline', text: 'on leave' })).toEqual([{ id, problem: null }])
    expect(await page(id)).toMatchObject({ status: 'open', offeredToId: null })
  })
  it('to nobody who may not see the client, or may change nothing', async () => {
    const { id } = await failing()
    const contact = await house.personWith('contact', [house.clients[0]])
    const other = await house.personWith('technician', [house.clients[1]])
    for (const personId of [contact.id, other.id, 999_999, undefined])
      expect(
        (await act(house.technician, [id], { do: 'hand-over', ...(personId ? { personId } : {}) }))[0]!.problem,
      ).toContain('may not work on alerts of this client')
    expect((await act(other.ask, [id], { do: 'take' }))[0]!.problem).toContain('does not exist')
    expect(await page(id)).toMatchObject({ status: 'open', offeredToId: null })
  })
})

describe('asking again', () => {
  const waiting = async (deviceId: number) =>
    rows<{ state: string }>(
      house.pool,
      `select state from device_task where device_id = $1 and command->>'kind' = 'read'`,
      [deviceId],
    )
  const makeAble = (deviceId: number) =>
    house.pool.query('update device set takes_tasks = true where id = $1', [deviceId])
  it('has the agent read everything anew, once however often it is asked before it has heard', async () => {
    const { agent, id } = await failing()
    await makeAble(agent.id)
    const other = await failing()
    await makeAble(other.agent.id)
    for (const ids of [[id], [id, other.id]])
      expect(await act(house.technician, ids, { do: 'ask-again' })).toEqual(
        ids.map((each) => ({ id: each, problem: null })),
      )
    expect([await waiting(agent.id), await waiting(other.agent.id)]).toEqual([
      [{ state: 'queued' }],
      [{ state: 'queued' }],
    ])
    expect((await page(id)).entries.filter(({ event }) => event === 'asked-again')).toHaveLength(2)
    // One that came too late, or was fetched, does not pile up, and keeps nobody from asking anew.
    for (const past of [`expires_at = now()`, `state = 'over'`]) {
      await house.pool.query(`update device_task set ${past} where device_id = $1`, [agent.id])
      await act(house.technician, [id], { do: 'ask-again' })
      expect(await waiting(agent.id)).toEqual([{ state: 'queued' }])
    }
  })
  it('is refused where nobody would answer: a silent agent, one that takes no tasks', async () => {
    const { agent, id } = await failing()
    expect((await act(house.technician, [id], { do: 'ask-again' }))[0]!.problem).toContain('takes no tasks')
    await makeAble(agent.id)
    await house.pool.query(`update device set heard_at = now() - interval '1 hour' where id = $1`, [agent.id])
    expect((await act(house.technician, [id], { do: 'ask-again' }))[0]!.problem).toContain('is silent')
    expect(await waiting(agent.id)).toEqual([])
  })
})

describe('many at once', () => {
  it('each by itself: one that is closed keeps no other from being done', async () => {
    const [one, two] = [await failing(), await failing()]
    await act(house.technician, [one.id], { do: 'close', text: 'known' })
    const done = await act(house.technician, [one.id, two.id, two.id, 999_999], { do: 'note', text: 'ferry strike' })
    expect(done.map(({ id, problem }) => [id, problem === null])).toEqual([
      [one.id, true],
      [two.id, true],
      [999_999, false],
    ])
    const taken = await act(house.technician, [one.id, two.id], { do: 'take' })
    expect(taken.map(({ problem }) => problem === null)).toEqual([false, true])
    expect((await act(house.technician, [two.id], { do: 'close', text: 'no' }))[0]!.problem).toContain('Say why')
  })
})

describe('an alert that is hidden', () => {
  it('is not among what is to do until its time, and then it is', async () => {
    const { id } = await failing()
    const until = Date.now() + 2 * hour
    await act(house.technician, [id], { do: 'hide', until, text: 'the part comes at noon' })
    const hidden = await rounds()
    expect([idsIn(hidden.todo).includes(id), idsIn(hidden.working).includes(id)]).toEqual([false, true])
    const [job] = alertJobs(house.pool)
    await job!.work(Date.now())
    expect((await page(id)).hiddenUntil).toBe(until)
    await job!.work(until + 1)
    expect(await page(id)).toMatchObject({ hiddenUntil: null, status: 'open' })
    expect(idsIn((await rounds()).todo)).toContain(id)
    await job!.work(until + 1)
    expect((await page(id)).entries.filter(({ event }) => event === 'shown')).toHaveLength(1)
  })
  it.each([undefined, -hour, 40 * day])('not until %s', async (by) => {
    const { id } = await failing()
    const until = by === undefined ? {} : { until: Date.now() + by }
    expect((await act(house.technician, [id], { do: 'hide', ...until }))[0]!.problem).toContain('within a month')
  })
})

describe('what was closed by hand', () => {
  it('opens again, with its notes, when it fails again within the hour', async () => {
    const { agent, id } = await failing()
    await act(house.technician, [id], { do: 'note', text: 'cable swapped' })
    await act(house.technician, [id], { do: 'close', text: 'should be fine now' })
    await agent.send([agent.report(5, services('running')), agent.report(7)])
    await agent.send([agent.report(9, services('stopped')), agent.report(11)])
    const alerts = (await house.lead<AlertView[]>('GET', `/api/devices/${agent.id}/alerts`)).body
    expect(alerts.map((alert) => [alert.id, alert.status, alert.began])).toEqual([[id, 'open', agent.at(9)]])
    const { entries, notes } = await page(id)
    expect([entries.at(-1)!.event, notes]).toEqual(['reopened', 1])
  })
  it('is another alert when it fails again later', async () => {
    const { agent, id } = await failing()
    await act(house.technician, [id], { do: 'close', text: 'should be fine now' })
    await house.pool.query(`update alert set closed_at = now() - interval '3 hours' where id = $1`, [id])
    await agent.send([agent.report(5, services('running')), agent.report(7)])
    await agent.send([agent.report(9, services('stopped')), agent.report(11)])
    const alerts = (await house.lead<AlertView[]>('GET', `/api/devices/${agent.id}/alerts`)).body
    expect(alerts.map((alert) => alert.status)).toEqual(['open', 'closed'])
  })
  it('stays in the books of its client when its device has gone to another one', async () => {
    const { agent, id } = await failing()
    await act(house.technician, [id], { do: 'close', text: 'known, of the first client' })
    expect((await house.lead('PUT', `/api/devices/${agent.id}`, { siteId: house.sites[1] })).status).toBe(200)
    expect((await act(house.technician, [id], { do: 'reopen' }))[0]!.problem).not.toBeNull()
    await agent.send([agent.report(5, services('running')), agent.report(7)])
    await agent.send([agent.report(9, services('stopped')), agent.report(11)])
    const { ask } = await house.personWith('technician', [house.clients[1]])
    const seen = (await ask<AlertView[]>('GET', `/api/devices/${agent.id}/alerts`)).body
    expect(seen.filter(({ status }) => status !== 'closed').map((alert) => [alert.id === id, alert.clientId])).toEqual([
      [false, house.clients[1]],
    ])
    expect((await page(id)).status).toBe('closed')
  })
  it('is opened again by a person while it still fails, and not once it is well', async () => {
    const { agent, id } = await failing()
    expect((await act(house.technician, [id], { do: 'reopen' }))[0]!.problem).toContain('closed by hand')
    await act(house.technician, [id], { do: 'close', text: 'the wrong one' })
    expect(await act(house.technician, [id], { do: 'reopen' })).toEqual([{ id, problem: null }])
    expect(await page(id)).toMatchObject({ status: 'open', closedAt: null, closeReason: null })
    await act(house.technician, [id], { do: 'close', text: 'known' })
    await agent.send([agent.report(5, services('running')), agent.report(7)])
    expect((await act(house.technician, [id], { do: 'reopen' }))[0]!.problem).toContain('well meanwhile')
  })
})

it('what was marked as seen by mistake is undone', async () => {
  const { ask } = await house.personWith('technician', null)
  const { lookedAt } = await rounds(ask)
  const { body } = await ask<Looked>('POST', '/api/rounds/looked')
  expect(body.before).toBe(lookedAt)
  expect((await rounds(ask)).lookedAt).toBeGreaterThan(lookedAt)
  await ask('POST', '/api/rounds/looked', { at: body.before })
  expect((await rounds(ask)).lookedAt).toBe(lookedAt)
  // Never later than now: what is to come is not seen yet.
  await ask('POST', '/api/rounds/looked', { at: Date.now() + day })
  expect((await rounds(ask)).lookedAt).toBeLessThanOrEqual(Date.now() + 1000)
})
