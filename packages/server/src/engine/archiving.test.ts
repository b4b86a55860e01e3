import { setTimeout as wait } from 'node:timers/promises'
import seedrandom from 'seedrandom'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import type { Archives, HistoryLoad, SeriesPage, Storage } from '#contract'
import { day, hour, minute, type Millis } from '#core'
import { placeOf } from '../../../../launcher/place.mjs'
import { startPostgres, type Cluster } from '../../../../launcher/postgres.mjs'
import { ensurePartitions, openPool, partitionsOf, rows, type Pool } from '../db'
import { openHouse, type Agent, type House } from '../testing/house'
import { archiveOld } from './archiving'
import { packReadings } from './packing'
import { applyRetention } from './retention'

// A second cluster on loopback, as durable as a real one, which is killed and comes back. The database reaches it by
// PostgreSQL's own postgres_fdw and dblink.
const place = placeOf('test-archive')
const today = Math.floor(Date.now() / day) * day
const oldest = today - 800 * day
const random = seedrandom('archive')
let house: House
let agent: Agent
let cluster: Cluster
let there: Pool
/** Of all that was brought. */
const times: Millis[] = []

async function openThere(): Promise<void> {
  cluster = await startPostgres(place, cluster ? { port: cluster.port } : {})
  there = openPool(cluster.url, 2)
}
async function comesBack(): Promise<void> {
  await there.end()
  // What is left of the one that was killed has to be gone first.
  for (let tries = 0; ; tries++)
    try {
      await wait(100)
      await openThere()
      return
    } catch (error) {
      if (tries > 50) throw error
    }
}

/** Ends every connection of this house to its database, as when its process is killed. */
async function cutOff(): Promise<void> {
  const other = openPool(house.url, 1)
  await other.query(
    'select pg_terminate_backend(pid) from pg_stat_activity where datname = current_database() and pid <> pg_backend_pid()',
  )
  await other.end()
  // Connections that have not heard of it yet are done with at their next use.
  await wait(100)
  for (let i = 0; i < 20; i++) await house.pool.query('select').catch(() => undefined)
}

async function bring(lines: readonly string[]): Promise<HistoryLoad> {
  const { cookie } = await house.personWith('technician', [house.clients[0]])
  const answer = await house.app.inject({
    method: 'POST',
    url: `/api/clients/${house.clients[0]}/history?file=old.ndjson`,
    payload: lines.join('\n'),
    headers: { cookie, 'content-type': 'application/x-ndjson' },
  })
  expect(answer.statusCode).toBe(200)
  return answer.json<HistoryLoad>()
}
const line = (at: Millis, metric: string, value: number) =>
  JSON.stringify({ device: 'tm-old-1', time: at, metric, instance: metric.startsWith('net') ? 'eth0' : '', value })

beforeAll(async () => {
  house = await openHouse()
  agent = await house.enrol(house.sites[0], 'tm-old-1')
  await openThere()
  await there.query('drop schema public cascade; create schema public')
  const { username, password, hostname, port } = new URL(cluster.url)
  await house.pool.query(
    `create extension postgres_fdw; create extension dblink;
     create server old_readings foreign data wrapper postgres_fdw
       options (host '${hostname}', port '${port}', dbname 'postgres', connect_timeout '3');
     create user mapping for current_user server old_readings options (user '${username}', password '${password}')`,
  )
  const lines: string[] = []
  for (let at = oldest; at < today; at += 9 * hour + Math.floor(random() * hour)) {
    times.push(at)
    lines.push(
      line(at, 'cpu.busy', Math.round(random() * 1000) / 1000),
      line(at, 'net.received', 128 * Math.floor(random() * 1e5)),
    )
  }
  expect((await bring(lines)).refusals).toEqual([])
}, 300_000)
afterAll(async () => {
  await house.close()
  await there.end()
  await cluster.stop()
})

const spans: readonly [from: Millis, until: Millis, points: number][] = [
  [oldest, today, 300],
  [today - 365 * day, today, 400],
  [today - 200 * day, today - 190 * day, 500],
  [today - 120 * day + hour, today - 118 * day, 2000],
  [today - 30 * day, today, 400],
  [today - 2 * day, today, 400],
]
const ask = (from: Millis, until: Millis, points = 400) =>
  house.lead<SeriesPage & { code: string; detail: string }>(
    'GET',
    `/api/devices/${agent.id}/series?from=${from}&until=${until}&points=${points}&metrics=cpu.busy,net.received`,
  )
const everything = async () => Promise.all(spans.map(async (span) => (await ask(...span)).body))
const archives = async () => (await house.lead<Archives>('GET', '/api/archives')).body
const elsewhere = async () =>
  [...(await partitionsOf(house.pool, 'packed')), ...(await partitionsOf(house.pool, 'rollup'))].filter(
    ({ server }) => server !== null,
  )

describe('readings of long ago', () => {
  let before: SeriesPage[]
  it('go to another server, month by month, killed at any moment, and are asked for as before', async () => {
    before = await everything()
    expect(before.map(({ series }) => series.length)).toEqual(spans.map(() => 2))
    expect(before[0]!.series[0]!.summary!.count).toBeGreaterThan(1500)
    expect(await archives()).toMatchObject({
      servers: [{ name: 'old_readings', fault: null, from: null, until: null, bytes: 0 }],
      target: { server: null },
    })
    expect(await archiveOld(house.pool, Date.now())).toBe(0)
    const target = { server: 'old_readings', afterDays: 62 }
    expect((await house.lead<Archives>('PUT', '/api/archives', target)).body.target).toEqual(target)

    // Two leads at once: one of them has it in the end, and neither is refused.
    const both = await Promise.all(
      [62, 90].map((afterDays) => house.lead('PUT', '/api/archives', { server: 'old_readings', afterDays })),
    )
    expect(both.map(({ status }) => status)).toEqual([200, 200])
    expect((await house.lead('PUT', '/api/archives', target)).status).toBe(200)

    let cut = 0
    for (let tries = 0; tries < 60; tries++) {
      const moving = archiveOld(house.pool, Date.now()).then(
        () => true,
        () => false,
      )
      await wait(random() * 250)
      // One time the server over there, the other time whoever moves.
      if (tries % 2) await cutOff()
      else cluster.kill()
      if (!(await moving)) cut++
      if (tries % 2 === 0) await comesBack()
      expect(await everything()).toEqual(before)
      if (cut >= 12) break
    }
    expect(cut).toBeGreaterThanOrEqual(3)
    await archiveOld(house.pool, Date.now())
    expect(await archiveOld(house.pool, Date.now())).toBe(0)
    expect(await everything()).toEqual(before)

    const moved = await elsewhere()
    expect(moved.length).toBeGreaterThan(20)
    expect(moved.every(({ until }) => until <= Date.now() - 62 * day)).toBe(true)
    const [{ n }] = (await rows<{ n: number }>(there, 'select count(*)::int as n from packed_20250101')) as [
      { n: number },
    ]
    expect(n).toBeGreaterThan(60)
    const [server] = (await archives()).servers
    expect(server).toMatchObject({ fault: null, from: Math.min(...moved.map(({ from }) => from)) })
    expect(server!.bytes).toBeGreaterThan(100_000)
    // Making room for what comes changes nothing there.
    await ensurePartitions(house.pool, Date.now())
  }, 600_000)

  it('take what is brought later, there', async () => {
    const at = today - 300 * day + 7 * minute
    expect((await bring([line(at, 'cpu.busy', 0.999), line(at, 'cpu.busy', 0.998)])).taken).toBe(2)
    const { body } = await ask(at - minute, at + minute)
    expect(body.series[0]!.summary).toMatchObject({ count: 1, last: 0.998 })
    const summed = (await ask(oldest, today, 300)).body.series.find(({ metric }) => metric === 'cpu.busy')!
    const was = before[0]!.series.find(({ metric }) => metric === 'cpu.busy')!
    expect(summed.summary!.count).toBe(was.summary!.count + 1)
    before = await everything()
  })

  it('are said to be away while their server does not answer; all else goes on, and nothing is lost', async () => {
    cluster.kill()
    await wait(200)
    const year = (await ask(today - 365 * day, today)).body
    expect(year.away?.server).toBe('old_readings')
    expect(year.away!.before).toBeGreaterThan(today - 100 * day)
    expect(year.away!.before).toBeLessThan(today - 50 * day)
    const { before: begins } = year.away!
    expect(year.series.map(({ summary }) => summary!.count)).toEqual(
      [1, 1].map(() => times.filter((at) => at >= begins).length),
    )
    expect((await ask(begins, today)).body).toMatchObject({ series: year.series, away: null })
    expect((await ask(today - 365 * day, today - 300 * day)).body).toMatchObject({
      series: [],
      away: { server: 'old_readings' },
    })
    // Of the last weeks all is here, and nobody over there is asked.
    for (const [from, until, points] of spans.slice(-2))
      expect((await ask(from, until, points)).body).toEqual(before.find((each) => each.from === from))
    const rhythm = await house.lead<{ code: string; detail: string }>(
      'GET',
      `/api/devices/${agent.id}/rhythm?metric=cpu.busy&weeks=26`,
    )
    expect([rhythm.status, rhythm.body.code]).toEqual([503, 'archive-away'])
    expect(rhythm.body.detail).toContain('Ask for a shorter time')
    const storage = (await house.lead<Storage>('GET', '/api/storage')).body
    expect(storage.kinds.find(({ kind }) => kind === 'packed')!.oldestAt).toBeLessThan(today - 700 * day)
    expect((await archives()).servers[0]).toMatchObject({ name: 'old_readings', bytes: null })
    expect((await archives()).servers[0]!.fault).toContain('could not')
    expect((await archives()).servers[0]!.fault).toContain('refused')
    const refused = await house.lead<{ detail: string }>('PUT', '/api/archives', {
      server: 'old_readings',
      afterDays: 90,
    })
    expect([refused.status, refused.body.detail]).toEqual([400, expect.stringContaining('does not answer')])
    // Reports are taken and packed, and what is to be dropped there stays until that can be done.
    const report = { ...agent.report(0), at: today - 5 * day, readings: [['cpu.busy', '', 0.5] as const] }
    expect((await agent.send([report])).status).toBe(200)
    expect(await packReadings(house.pool, Date.now(), async () => undefined)).toBe(1)
    const kept = await elsewhere()
    await expect(applyRetention(house.pool, Date.now())).rejects.toThrow()
    expect(await elsewhere()).toEqual(kept)

    await comesBack()
    expect((await everything()).slice(0, 4)).not.toEqual([])
    expect((await ask(...spans[2]!)).body).toEqual(before[2])
  })

  it('need nothing but the rights that the documentation gives', async () => {
    const role = `plain_${process.pid}`
    const plain = new URL(house.url)
    plain.username = role
    plain.password = 'lantern'
    const { username, password } = new URL(cluster.url)
    await house.pool.query(
      `create role ${role} login password 'lantern'; grant create, usage on schema public to ${role};
       grant usage on foreign server old_readings to ${role};
       create user mapping for ${role} server old_readings options (user '${username}', password '${password}')`,
    )
    const pool = openPool(plain.href, 2)
    try {
      await pool.query(`select dblink_exec('old_readings', 'create table public.trial (n int)')`)
      await pool.query(`create foreign table trial (n int) server old_readings options (schema_name 'public')`)
      await pool.query('insert into trial values (1), (2)')
      expect((await rows<{ n: number }>(pool, 'select sum(n)::int as n from trial'))[0]).toEqual({ n: 3 })
      await pool.query(`drop foreign table trial`)
      await pool.query(`select dblink_exec('old_readings', 'drop table public.trial')`)
    } finally {
      await pool.end()
      await house.pool.query(
        `drop user mapping for ${role} server old_readings; drop owned by ${role}; drop role ${role}`,
      )
    }
  })

  it('are forgotten there when their time is over', async () => {
    await applyRetention(house.pool, Date.now())
    const left = (await elsewhere()).map(({ name }) => name)
    const tables = (
      await rows<{ name: string }>(
        there,
        `select relname as name from pg_class where relkind = 'r' and relnamespace = 'public'::regnamespace`,
      )
    ).map(({ name }) => name)
    expect(tables.toSorted()).toEqual(left.toSorted())
    expect(tables).not.toContain('packed_20250101')
    expect(tables).toContain('rollup_20250101')
    const { ask: limited } = await house.personWith('lead', [house.clients[0]])
    for (const method of ['GET', 'PUT'] as const)
      expect(
        (await limited(method, '/api/archives', method === 'PUT' ? { server: null, afterDays: 62 } : undefined)).status,
      ).toBe(403)
    expect((await house.lead('PUT', '/api/archives', { server: 'nowhere', afterDays: 62 })).status).toBe(400)
    expect((await house.lead('PUT', '/api/archives', { server: null, afterDays: 62 })).status).toBe(200)
    expect(await archiveOld(house.pool, Date.now() + 100 * day)).toBe(0)
  })
})
