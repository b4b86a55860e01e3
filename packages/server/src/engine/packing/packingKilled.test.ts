import { setTimeout as wait } from 'node:timers/promises'
import { afterAll, beforeAll, expect, it } from 'vitest'
import { placeOf } from '../../../../../launcher/place.mjs'
import { startPostgres, type Cluster } from '../../../../../launcher/postgres.mjs'
import { day, hour, type DeviceId, type Millis } from '#core'
import { migrate, openPool, rows, time, type Pool } from '../../db'
import { askSeries, readReadings } from '../../store/series'
import { Killing } from '../../testing/killing'

// Two processes that pack, and a database of their own that is as durable as a real one; both are killed again and
// again.
let cluster: Cluster
let pool: Pool
let killing: Killing
let devices: DeviceId[]
const layout = [
  ['cpu.busy', ''],
  ['disk.free', '/'],
]

beforeAll(async () => {
  killing = await Killing.prepare('packing', 'packingProcess.ts')
  cluster = await startPostgres(placeOf('test-packing'))
  const admin = openPool(cluster.url, 1)
  await admin.query('drop database if exists packing')
  await admin.query('create database packing')
  await admin.end()
  pool = openPool(cluster.url.replace(/\/postgres$/, '/packing'), 3)
  await migrate(pool, new URL('../../db/migrations', import.meta.url).pathname, Date.now())
  devices = (
    await rows<{ id: DeviceId }>(
      pool,
      `with c as (insert into client (name, code) values ('Tidemill Ferries', 'TM') returning id),
       s as (insert into site (client_id, name, zone) select id, 'North Pier', 'Europe/Lisbon' from c returning id, client_id)
       insert into device (client_id, site_id, name, kind, os_family, os_name, key_digest)
       select client_id, id, 'tm-pack-' || n, 'server', 'linux', 'Linux', '' from s, generate_series(1, 5) n returning id`,
    )
  ).map(({ id }) => id)
  await pool.query('insert into layout (digest, series) values ($1, $2)', [Buffer.from('x'), JSON.stringify(layout)])
}, 180_000)
afterAll(async () => {
  killing.end()
  await pool.end()
  await cluster.stop()
})

/** What was acknowledged: by device and time the two values. */
const told = new Map<DeviceId, Map<Millis, [number, number]>>()
let seq = 0

/** Stored as the engine does, with the mark for what comes late. What was not acknowledged is told again. */
async function store(id: DeviceId, reports: Map<Millis, [number, number]>): Promise<void> {
  const list = [...reports]
  const first = seq
  seq += list.length
  await expect
    .poll(
      () =>
        pool
          .query(
            `with stored as (insert into report (device_id, at, seq, received_at, late, layout_id, value)
               select $1, at, seq, now(), false, 1, value::float8[]
               from unnest($2::timestamptz[], $3::bigint[], $4::text[]) g (at, seq, value) on conflict do nothing)
             insert into pack_due (device_id, day) select distinct $1::int, (at at time zone 'UTC')::date
             from unnest($2::timestamptz[]) g (at) where at < now() - interval '5 minutes'`,
            [id, list.map(([at]) => time(at)), list.map((_, i) => first + i), list.map(([, v]) => `{${v.join()}}`)],
          )
          .then(() => true)
          .catch(() => false),
      { timeout: 60_000, interval: 50 },
    )
    .toBe(true)
  const all = told.get(id) ?? new Map<Millis, [number, number]>()
  for (const [at, values] of list) all.set(at, values)
  told.set(id, all)
}

/** What is left of the one that was killed has to be gone first. */
async function startAgain(): Promise<Cluster> {
  for (let tries = 0; ; tries++)
    try {
      await wait(100)
      return await startPostgres(placeOf('test-packing'), { port: cluster.port })
    } catch (error) {
      if (tries > 50) throw error
    }
}

const begin = Math.floor((Date.now() - 6 * day) / day) * day
const random = () => killing.random()

/** Of each device the next stretch of its time, and now and then something that comes late by days. */
async function tellMore(round: number): Promise<void> {
  for (const id of devices) {
    const reports = new Map<Millis, [number, number]>()
    const from = random() < 0.7 ? begin + round * hour : begin + Math.floor(random() * round) * hour
    for (let i = 0; i < 20; i++)
      reports.set(from + Math.floor(random() * hour), [
        Math.round(random() * 1000) / 1000,
        Math.round(random() * 1e6) * 4096,
      ])
    for (const at of told.get(id)?.keys() ?? []) reports.delete(at)
    await store(id, reports)
  }
}

async function expectAll(): Promise<void> {
  for (const id of devices) {
    const expected = [...told.get(id)!].sort(([a], [b]) => a - b)
    const read = await readReadings(pool, id, null, begin, Date.now())
    for (const [n, key] of ['cpu.busy|', 'disk.free|/'].entries()) {
      const { at, value } = read.get(key)!.samples
      expect([...at].map((time, i) => [time, value[i]])).toEqual(expected.map(([time, values]) => [time, values[n]]))
    }
    const { level, series } = await askSeries(pool, {
      deviceId: id,
      metrics: ['cpu.busy'],
      from: begin,
      until: Date.now(),
      points: 100,
    })
    expect([level, series[0]!.summary!.count]).toEqual(['hours', expected.length])
  }
}

it('with either killed a hundred times, while days are packed, summed up and dropped: what was acknowledged is there, once', async () => {
  const database = cluster.url.replace(/\/postgres$/, '/packing')
  let isOver = false
  let isLookedAt = false
  let crashes = 0
  const crashing = (async () => {
    while (!isOver) {
      await wait(700 + random() * 1500)
      if (isLookedAt) continue
      cluster.kill()
      cluster = await startAgain()
      crashes++
    }
  })()
  const packing = killing.kill(database, 60)
  for (let round = 0; killing.kills < 60 && round < 140; round++) {
    await tellMore(round)
    if (round % 20 === 19) {
      isLookedAt = true
      // It may still be coming up again.
      await expect
        .poll(
          () =>
            expectAll().then(
              () => true,
              (error: Error) => error.message.slice(0, 400),
            ),
          { timeout: 60_000 },
        )
        .toBe(true)
      isLookedAt = false
    }
  }
  await packing
  // Weeks later the reports go as they came, and the packed ones are all that there is.
  killing.env.DAYS_AHEAD = '25'
  await killing.kill(database, 100)
  isOver = true
  await crashing
  expect(crashes).toBeGreaterThan(5)
  const left = async () => (await rows<{ n: number }>(pool, 'select count(*)::int as n from report'))[0]!.n
  await expect.poll(() => left().catch(() => -1), { timeout: 120_000, interval: 200 }).toBe(0)
  await expectAll()
}, 900_000)
