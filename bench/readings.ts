import {
  day,
  hour,
  hoursOf,
  isMetric,
  minute,
  packIntegers,
  packSeries,
  packWeek,
  replay,
  sketchOf,
  watchKinds,
  type DeviceId,
  type DeviceState,
  type Millis,
  type WatchInForce,
} from '#core'
import { inTransaction, makePartitions, migrate, openPool, rows, type Pool } from '../packages/server/src/db'
import { packReadings } from '../packages/server/src/engine/packing'
import { askSeries, dateOf, readDays, renewFigures, type DeviceDay } from '../packages/server/src/store/series'
import { changedAt } from '../packages/server/src/features/series/changed'
import { estateSeries, fillingDisks } from '../packages/server/src/features/series/estateSeries'
import { readRhythm, readRhythmHours } from '../packages/server/src/features/series/rhythm'
import type { Viewer } from '../packages/server/src/http/viewer'
import { estateOf } from '../packages/standins/src/estate'
import { SimulatedDevice } from '../packages/standins/src/fleet/simulated'

const { CUSTODE_ROOT: root = '', CUSTODE_DATABASE: url = '' } = process.env
const say = (text: string) => process.stdout.write(`${text}\n`)
const figure = (value: number, digits = 2) => value.toFixed(digits)
const millions = (value: number) => `${figure(value / 1e6, 1)} M`
const judge = (isMet: boolean) => (isMet ? 'met ' : 'MISS')

/** So many devices are read for a day; the others of the large estate have the same readings again. */
const distinct = 200
/** Of these so many are packed before it is measured. */
const warmed = 40
const reportEvery: Millis = minute
const today = Math.floor(Date.now() / day)
const recorded = today - 1

const noPause = async () => undefined

async function makeDevices(pool: Pool, count: number): Promise<DeviceId[]> {
  const found = await rows<{ id: DeviceId }>(
    pool,
    `insert into device (client_id, site_id, name, kind, os_family, os_name, key_digest)
     select 1, 1, 'bench-' || n, 'server', 'linux', 'Linux', '' from generate_series(1, $1::int) n returning id`,
    [count],
  )
  return found.map(({ id }) => id)
}

/** By what they name. */
const layouts = new Map<string, number>()

/** A day of reports, as the demo's devices make them, a few milliseconds off now and then. */
async function report(pool: Pool, devices: readonly DeviceId[]): Promise<number> {
  const estate = estateOf(devices.length, 'bench')
  let readings = 0
  for (const [i, id] of devices.entries()) {
    const device = new SimulatedDevice(estate.devices[i]!, 'bench', Date.now())
    const reports: [at: Date, value: string][] = []
    let layout: number | undefined
    for (let at = recorded * day + i; at < (recorded + 1) * day; at += reportEvery) {
      const read = device.readings(at)
      readings += read.length
      const series = JSON.stringify(read.map(([metric, instance]) => [metric, instance]))
      layout ??= layouts.get(series)
      if (layout === undefined) {
        const [made] = await rows<{ id: number }>(
          pool,
          'insert into layout (digest, series) values (sha256($1::text::bytea), $1::jsonb) returning id',
          [series],
        )
        layouts.set(series, (layout = made!.id))
      }
      reports.push([new Date(at + Math.round(4 * Math.random())), `{${read.map((reading) => reading[2]).join()}}`])
    }
    await pool.query(
      `insert into report (device_id, at, seq, received_at, late, layout_id, value)
       select $1, at, n, at, false, $2, value::float8[]
       from unnest($3::timestamptz[], $4::text[]) with ordinality r (at, value, n)`,
      [id, layout, reports.map(([at]) => at), reports.map(([, value]) => value)],
    )
  }
  return readings
}

const bytesOf = async (pool: Pool, ...tables: string[]) =>
  Number(
    (
      await rows<{ bytes: string }>(
        pool,
        `select sum(pg_total_relation_size(t.relid)) as bytes from unnest($1::text[]) n (name)
         cross join lateral pg_partition_tree(n.name::regclass) t where t.isleaf`,
        [tables],
      )
    )[0]!.bytes,
  )

/** Seconds of this process and of its database together, and by the clock. */
async function timed(work: () => Promise<unknown>): Promise<{ seconds: number; cpu: number }> {
  const began = performance.now()
  const before = process.cpuUsage()
  await work()
  const { user, system } = process.cpuUsage(before)
  return { seconds: (performance.now() - began) / 1000, cpu: (user + system) / 1e6 }
}

/** The quickest of some tries, in seconds. */
async function quickest(tries: number, work: () => unknown): Promise<number> {
  let best = Infinity
  for (let i = 0; i < tries; i++) {
    const began = performance.now()
    await work()
    best = Math.min(best, performance.now() - began)
  }
  return best / 1000
}

/**
 * What this machine gives at this moment, for the figures that follow: readings a second of a bare loop that compares
 * each with a threshold, and of packing what lies in memory, without a database; and a question that asks nothing.
 */
async function ceilings(pool: Pool): Promise<{ packed: number }> {
  const values = Float64Array.from({ length: 2_000_000 }, (_, i) => ((i * 7919) % 1000) / 1000)
  let above = 0
  const compared = await quickest(5, () => {
    for (let i = 0; i < values.length; i++) if (values[i]! > 0.9) above++
  })
  const device = new SimulatedDevice(estateOf(1, 'bench').devices[0]!, 'bench', Date.now())
  const at = Float64Array.from({ length: day / reportEvery }, (_, i) => recorded * day + i * reportEvery)
  const columns = device.readings(at[0]!).map(([metric]) => ({ metric, value: new Float64Array(at.length) }))
  at.forEach((time, i) => device.readings(time).forEach(([, , value], n) => (columns[n]!.value[i] = value)))
  const packed = await quickest(20, () => columns.map(({ metric, value }) => packSeries(metric, at, { at, value })))
  const asked = await quickest(200, () => pool.query('select 1'))
  const perSecond = (columns.length * at.length) / packed
  say(
    `Ceilings at this moment: ${millions(values.length / compared)} readings/s compared with a threshold (${millions(above)} above it), ${millions(perSecond)} packed in memory, ${figure(1000 * asked, 2)} ms for a question that asks nothing`,
  )
  return { packed: perSecond }
}

async function packing(pool: Pool, devices: readonly DeviceId[]): Promise<void> {
  // A server has been running for long when it packs: what is compiled on the way is not measured.
  const before = await report(pool, devices.slice(0, warmed))
  await packReadings(pool, Date.now(), noPause)
  const measured = await report(pool, devices.slice(warmed))
  const readings = before + measured
  await pool.query('vacuum analyze report')
  const raw = await bytesOf(pool, 'report')
  const ceiling = await ceilings(pool)
  const packed = await timed(() => packReadings(pool, Date.now(), noPause))
  const bytes = (await bytesOf(pool, 'packed', 'report_day')) / readings
  const summed = (await bytesOf(pool, 'rollup', 'day_figure')) / readings
  say(`Readings of ${devices.length} devices over a day, one report a minute: ${millions(readings)}`)
  say(
    `  ${judge(bytes <= 2)} packed, with indexes: ${figure(bytes)} bytes a reading (limit 2; as they came ${figure(raw / readings, 1)})`,
  )
  say(`       summed up by the hour, beside that: ${figure(summed)} bytes a reading`)
  const speed = measured / packed.cpu
  say(
    `  ${judge(speed >= 1e6)} packed and summed up: ${millions(speed)} readings per second of one core (limit 1 M), ${figure(speed / ceiling.packed)} of packing in memory alone; ${millions(measured / packed.seconds)} by the clock, with what the database takes`,
  )
}

/** The same days again, earlier, as the store keeps them. */
async function spread(pool: Pool, devices: readonly DeviceId[], daysBack: number, weeksBack: number): Promise<void> {
  await makePartitions(pool, 'rollup', (today - weeksBack * 7) * day, today * day)
  for (const { name } of await rows<{ name: string }>(
    pool,
    `select relid::text as name from unnest('{packed,rollup,report_day,day_figure}'::text[]) n (name)
     cross join lateral pg_partition_tree(n.name::regclass) where isleaf`,
  ))
    await pool.query(`alter table ${name} set unlogged`)
  for (let i = 0; i < devices.length; i += 20) {
    const part = devices.slice(i, i + 20)
    const days = await readDays(
      pool,
      part.map((deviceId) => ({ deviceId, from: recorded, until: recorded })),
    )
    for (const each of days.values()) await again(pool, each, daysBack, weeksBack)
    await inTransaction(pool, (tx) => renewFigures(tx, part))
  }
}

async function again(pool: Pool, { deviceId, times, series }: DeviceDay, daysBack: number, weeksBack: number) {
  const earlier = Array.from({ length: daysBack }, (_, i) => i + 1)
  const shift = (by: number) => packIntegers(times.map((at) => at - by * day))
  await pool.query(
    `with t as (select * from unnest($3::int[], $4::bytea[]) t (back, data))
     insert into packed select p.device_id, p.n, p.day - t.back, p.count, case p.n when 0 then t.data else p.data end
     from packed p cross join t where p.device_id = $1 and p.day = $2`,
    [deviceId, dateOf(recorded), earlier, earlier.map((by) => Buffer.from(shift(by)))],
  )
  const numbers = await rows<{ n: number; metric: string; instance: string }>(
    pool,
    'select n, metric, instance from series where device_id = $1',
    [deviceId],
  )
  const thisWeek = Math.floor(today / 7)
  const made: [n: number, week: string, data: Buffer][] = []
  for (const { metric, instance, samples } of series.values()) {
    const { n } = numbers.find((each) => each.metric === metric && each.instance === instance)!
    const hours = hoursOf(metric, samples)
    const sketch = sketchOf(samples.value)
    for (let week = thisWeek - weeksBack; week < thisWeek; week++) {
      const all = Array.from({ length: 7 }, (_, d) => d)
      const column = (values: readonly number[]) => all.flatMap(() => values)
      const data = packWeek(week, {
        hours: {
          hour: all.flatMap((d) => hours.hour.map((hour) => (week * 7 + d) * 24 + (hour % 24))),
          count: column(hours.count),
          min: column(hours.min),
          max: column(hours.max),
          sum: column(hours.sum),
        },
        days: new Map(all.map((d) => [week * 7 + d, sketch])),
      })
      made.push([n, dateOf(week * 7), Buffer.from(data)])
    }
  }
  await pool.query(
    `insert into rollup select $1, * from unnest($2::int[], $3::date[], $4::bytea[]) on conflict do nothing`,
    [deviceId, made.map(([n]) => n), made.map(([, week]) => week), made.map(([, , data]) => data)],
  )
}

/** What the first devices have, for as many more. */
async function multiply(pool: Pool, from: number, until: number): Promise<void> {
  for (const [table, columns] of [
    ['series', 'n, metric, instance'],
    ['packed', 'n, day, count, data'],
    ['rollup', 'n, week, data'],
    ['day_figure', 'n, day, count, min, max, sum, low, high'],
    ['packed_to', 'until'],
  ] as const)
    await pool.query(
      `insert into ${table} select p.device_id + $1 * k, ${columns
        .split(', ')
        .map((column) => `p.${column}`)
        .join()}
       from generate_series($2::int, $3::int) k cross join ${table} p where p.device_id <= $1`,
      [distinct, from / distinct, until / distinct - 1],
    )
  // Of what is not packed yet some hours.
  await pool.query(
    `insert into report (device_id, at, seq, received_at, late, layout_id, value)
     select p.device_id + $1 * k, p.at, p.seq, p.received_at, p.late, p.layout_id, p.value
     from generate_series($2::int, $3::int) k cross join report p where p.device_id <= $1 and p.at >= $4`,
    [distinct, from / distinct, until / distinct - 1, new Date(((recorded + 1) * 24 - 3) * hour)],
  )
  await pool.query(
    `update device d set last_at = r.at, disks_at = r.at
     from (select device_id, max(at) as at from report where at >= $1 group by device_id) r where r.device_id = d.id`,
    [new Date(((recorded + 1) * 24 - 3) * hour)],
  )
  await pool.query('analyze')
}

interface Asked {
  what: string
  span: Millis
  metrics: string[] | null
  limit: number
}
const asked: readonly Asked[] = [
  { what: 'one series over 2 days', span: 2 * day, metrics: ['cpu.busy'], limit: 50 },
  { what: 'one series over 30 days', span: 30 * day, metrics: ['cpu.busy'], limit: 100 },
  { what: 'one series over 365 days', span: 365 * day, metrics: ['cpu.busy'], limit: 100 },
  { what: 'all series of a device over 30 days', span: 30 * day, metrics: null, limit: 300 },
]

async function ask(pool: Pool, devices: readonly DeviceId[]): Promise<number[]> {
  const found: number[] = []
  for (const { span, metrics } of asked) {
    const took: number[] = []
    for (let i = 0; i < 100; i++) {
      const deviceId = devices[(i * 7919) % devices.length]!
      const until = recorded * day + day - (i % 24) * 60 * minute
      const began = performance.now()
      await askSeries(pool, { deviceId, metrics, from: until - span, until, points: 600 })
      took.push(performance.now() - began)
    }
    found.push(took.sort((a, b) => a - b)[94]!)
  }
  return found
}

/** What most servers are watched by, as the library has it where nobody changed anything. */
const roster: WatchInForce[] = [...watchKinds.values()].map(({ name, parameters }) => ({
  key: name,
  kind: name,
  standing: 'active',
  values: Object.fromEntries(parameters.map((parameter) => [parameter.name, parameter.default])),
}))

/** How quickly readings come back that something is to be computed with, and go through the evaluation. */
async function stream(pool: Pool, devices: readonly DeviceId[], days: number): Promise<void> {
  let [readings, transitions, unpacking, evaluating] = [0, 0, 0, 0]
  const { seconds, cpu } = await timed(async () => {
    for (let i = 0; i < devices.length; i += 10) {
      const part = devices.slice(i, i + 10)
      const began = performance.now()
      const read = await readDays(
        pool,
        part.map((deviceId) => ({ deviceId, from: recorded - days, until: recorded - 1 })),
      )
      const unpacked = performance.now()
      unpacking += unpacked - began
      const states = new Map<DeviceId, DeviceState>()
      for (const { deviceId, times, series } of [...read.values()].sort((a, b) => a.day - b.day)) {
        const found = replay(
          states.get(deviceId) ?? new Map(),
          roster,
          {
            times,
            series: [...series.values()].flatMap((each) =>
              isMetric(each.metric) ? [{ ...each, metric: each.metric }] : [],
            ),
          },
          { interval: minute, facts: {}, zone: 'UTC' },
        )
        states.set(deviceId, found.state)
        transitions += found.transitions.length
        for (const { samples } of series.values()) readings += samples.at.length
      }
      evaluating += performance.now() - unpacked
    }
  })
  const rate = readings / cpu
  say(
    `  ${judge(rate >= 5e6)} evaluated, ${devices.length} devices over ${days} days: ${millions(readings)} readings, ${transitions} transitions, ${millions(readings / seconds)}/s by the clock, ${millions(rate)} per second of this process (limit 5 M)`,
  )
  say(`  of that read and unpacked ${figure(unpacking / 1000, 1)} s, evaluated ${figure(evaluating / 1000, 1)} s`)
}

const everything = { clientIds: null } as Viewer

/** What pages work out of readings; a limit of ours for what a person waits for. */
async function worked(pool: Pool, devices: readonly DeviceId[]): Promise<void> {
  const now = (recorded + 1) * day
  const series = { metric: 'cpu.busy', instance: '', weeks: 4, now } as const
  const limit = 2000
  const pages: Record<string, (deviceId: DeviceId) => Promise<unknown>> = {
    [`one series of ${devices.length} devices, 7 days`]: () =>
      estateSeries(pool, everything, { metric: 'cpu.busy', days: 7, order: 'p95', limit: 100 }, now),
    [`disks of ${devices.length} devices that fill`]: () => fillingDisks(pool, everything, {}, 100, now),
    'by hour of the week, four weeks': (deviceId) => readRhythm(pool, { ...series, deviceId }, null),
    'what else was so then': (deviceId) => readRhythmHours(pool, { ...series, deviceId }, 32, 35),
    'what changed, a device': (id) => changedAt(pool, everything, { id, name: '' }, now - 5 * day, now, false),
  }
  for (const [what, work] of Object.entries(pages)) {
    const took: number[] = []
    for (let i = 0; i < 10; i++) {
      const began = performance.now()
      await work(devices[(i * 7919) % devices.length]!)
      took.push(performance.now() - began)
    }
    const slowest = Math.max(...took.slice(1))
    say(`  ${judge(slowest <= limit)} ${what.padEnd(38)} ${figure(slowest, 0).padStart(4)} ms (limit ${limit} ms)`)
  }
}

const most = Math.max(1000, Number(process.argv[process.argv.indexOf('--readings') + 1]) || 10_000)
const pool = openPool(url, 4)
await migrate(pool, `${root}/packages/server/src/db/migrations`, Date.now())
await pool.query(`insert into client (name, code) values ('Bench', 'bn')`)
await pool.query(`insert into site (client_id, name, zone) values (1, 'Bench', 'UTC')`)
const devices = await makeDevices(pool, most)
await packing(pool, devices.slice(0, distinct))
say('the same over 31 days and, summed up, over a year…')
await spread(pool, devices.slice(0, distinct), 31, 53)
await multiply(pool, distinct, 1000)
const few = await ask(pool, devices.slice(0, 1000))
say(`…of ${most} devices…`)
if (most > 1000) await multiply(pool, 1000, most)
const many = await ask(pool, devices)
say(`Asked for at random, 95 of 100 answers within:`)
asked.forEach(({ what, limit }, i) => {
  say(
    `  ${judge(many[i]! <= limit)} ${what.padEnd(38)} ${figure(many[i]!, 0).padStart(4)} ms of ${most} devices (limit ${limit} ms), ${figure(few[i]!, 0)} ms of 1000`,
  )
})
say(
  `  on disk: packed ${figure((await bytesOf(pool, 'packed')) / 1e9, 1)} GB, summed up ${figure((await bytesOf(pool, 'rollup')) / 1e9, 1)} GB`,
)
say('Worked out for a page, the slowest of ten:')
await ceilings(pool)
await worked(pool, devices)
await stream(pool, devices.slice(0, 1000), 14)
await pool.end()
