import { afterAll, beforeAll, expect, it } from 'vitest'
import type { FirstSteps, Health, Trouble } from '#contract'
import { openPool } from '../../db'
import { buildApp } from '../../app'
import { packReadings } from '../../engine/packing'
import { allJobs } from '../../jobs'
import { markProcess, noteFault } from '../../store/health'
import { openHouse, throughProxy, type House } from '../../testing/house'

let house: House
beforeAll(async () => {
  house = await openHouse()
})
afterAll(() => house.close())

const codes = async () =>
  (await house.lead<Trouble[]>('GET', '/api/health/troubles')).body.map(({ code, name }) => `${code} ${name}`.trim())

it('all is well with a process that says so, and a database that answers', async () => {
  const jobs = allJobs(house.pool, house.sending, {
    id: '5f5f6bd0-9f7c-4c6b-8a53-0d5a2b8f7c01',
    name: 'one',
    version: '9.9.9',
    mailPort: null,
  })
  await jobs.find(({ name }) => name === 'process')!.work(Date.now())
  const { body } = await house.lead<Health>('GET', '/api/health')
  expect(body.troubles).toEqual([])
  expect(body.processes).toMatchObject([{ name: 'one', version: '9.9.9' }])
  // PostgreSQL's own words about itself.
  const { rows } = await house.pool.query<{ version: string }>('show server_version')
  expect(body.database).toMatchObject({ version: (rows[0] as unknown as { server_version: string }).server_version })
})

it('a process that is gone is told, one that came in its place is there', async () => {
  await house.pool.query(
    `update server_process set started_at = now() - interval '1 hour', seen_at = now() - interval '5 minutes'`,
  )
  await markProcess(
    house.pool,
    { id: '5f5f6bd0-9f7c-4c6b-8a53-0d5a2b8f7c02', name: 'two', version: '', mailPort: null },
    Date.now(),
  )
  expect(await codes()).toEqual(['alone one'])
  await house.pool.query(`delete from server_process where name = 'one'`)
})

it('what fails is kept once, with how often, and is no more than so many kinds', async () => {
  for (let i = 0; i < 3; i++) await noteFault(house.pool, 'timer windows', new Error('no such column'))
  const { body } = await house.lead<Health>('GET', '/api/health')
  expect(body.faults).toMatchObject([{ place: 'timer windows', message: 'no such column', times: 3 }])
  expect(await codes()).toEqual(['faults'])
  await house.pool.query(
    `insert into server_fault (place, message) select 'many', n::text from generate_series(1, 600) n`,
  )
  await noteFault(house.pool, 'one more', 'is not kept')
  expect((await house.pool.query(`select from server_fault where place = 'one more'`)).rowCount).toBe(0)
  await house.pool.query('delete from server_fault')
})

it('a rule that tells people while nobody has said how mail leaves, and a way that fails', async () => {
  const rule = {
    target: { on: 'everyone' },
    severities: ['critical'],
    families: null,
    causes: null,
    hours: '',
    outside: 'later',
    tell: [{ to: 'leads' }],
    after: 0,
    again: null,
    escalate: null,
    remindAfter: null,
    sayWell: true,
  }
  await house.lead('POST', '/api/callouts', { name: 'All', rule })
  expect(await codes()).toEqual(['mail-unset'])
  await house.lead('POST', '/api/webhooks', { name: 'Board', url: 'http://127.0.0.1:1/' })
  await house.pool.query(
    `update callout_way set failing_since = now() - interval '10 minutes', answer = 'refused' where way <> 'mail'`,
  )
  expect(await codes()).toEqual(['mail-unset', 'way-fails Board'])
})

it('is shown to a lead of all clients alone', async () => {
  const limited = await house.personWith('lead', [house.clients[0]])
  expect((await limited.ask('GET', '/api/health')).status).toBe(403)
  expect((await limited.ask('GET', '/api/health/troubles')).body).toEqual([])
  expect((await house.technician('GET', '/api/health/troubles')).status).toBe(403)
})

it('tells how far a new house has come, to a lead of all clients', async () => {
  const { body } = await house.lead<FirstSteps>('GET', '/api/first-steps')
  expect(body).toEqual({
    address: 'http://127.0.0.1:7700',
    isReachable: false,
    hasFactor: false,
    hasMail: false,
    clients: 2,
    sites: 2,
    keys: 0,
    devices: 0,
    rules: 1,
  })
  await house.enrol(house.sites[0], 'tm-first-1')
  expect((await house.lead<FirstSteps>('GET', '/api/first-steps')).body).toMatchObject({ keys: 1, devices: 1 })
  const limited = await house.personWith('lead', [house.clients[0]])
  expect((await limited.ask('GET', '/api/first-steps')).status).toBe(403)
})

it('/healthz says that this process works, and 503 that it does not reach its database', async () => {
  expect((await house.nobody('GET', '/healthz')).body).toEqual({ status: 'ok' })
  const away = openPool('postgres://127.0.0.1:1/none')
  const app = await buildApp({ pool: away, databaseUrl: house.url })
  const answer = await app.inject({ method: 'GET', url: '/healthz' })
  expect([answer.statusCode, answer.json().code]).toEqual([503, 'database-away'])
  await app.close()
  await away.end()
})

it('/metrics is OpenMetrics, for this machine alone', async () => {
  const { statusCode, body, headers } = await house.app.inject({ method: 'GET', url: '/metrics' })
  expect([statusCode, headers['content-type']]).toEqual([200, expect.stringContaining('application/openmetrics-text')])
  // OpenMetrics 1.0, "Overall structure": it ends so, and each line is a comment or a sample.
  expect(body.endsWith('# EOF\n')).toBe(true)
  for (const line of body.trim().split('\n'))
    expect(line).toMatch(/^(# (HELP|TYPE|UNIT|EOF).*|[a-zA-Z_:][\w:]*(\{.*\})? [-+\d.eInNaf]+)$/)
  expect(body).toMatch(/^custode_devices 1$/m)
  const far = await house.app.inject({ method: 'GET', url: '/metrics', ...throughProxy('192.0.2.9') })
  expect(far.statusCode).toBe(403)
})

it('readings that nobody packs for half a day, and not those that are packed every few hours', async () => {
  const before = await codes()
  const agent = await house.enrol(house.sites[0], 'tm-unpacked')
  await agent.send([agent.report(1)])
  expect(await codes()).toEqual(before)
  const packedTo = (ago: string) =>
    house.pool.query(
      `insert into packed_to (device_id, until) values ($1, now() - $2::interval)
       on conflict (device_id) do update set until = excluded.until`,
      [agent.id, ago],
    )
  await packedTo('15 hours')
  expect(await codes()).toEqual(before)
  await packedTo('16 hours')
  expect(await codes()).toEqual([...before, 'queue-stuck packing'])
  await packReadings(house.pool, Date.now(), async () => undefined)
  expect(await codes()).toEqual(before)
})
