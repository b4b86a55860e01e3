import pg from 'pg'
import { join } from 'node:path'
import { day, logLevels, type LogEvent, type Millis } from '#core'
import type { LogQuery } from '#contract'
import { inTransaction, migrate, openPool, type Pool } from '../packages/server/src/db'
import type { CheckedReport } from '../packages/server/src/engine/reports/checkBatch'
import { writeEvents } from '../packages/server/src/engine/reports/writeEvents'
import { logGroups, logMatches, logPage } from '../packages/server/src/features/eventlog/search'
import type { Viewer } from '../packages/server/src/http/viewer'
import { fillLog } from '../packages/standins/src/large/log'

// The log of an estate, searched and written. What is asked is what technicians ask: levels, sources, ids, words,
// numbers, of everyone, a client, a device.
const { CUSTODE_ROOT: root = '', CUSTODE_DATABASE: url = '' } = process.env
const say = (text: string) => process.stdout.write(`${text}\n`)
const judge = (isMet: boolean) => (isMet ? 'met ' : 'MISS')
const devices = Number(process.argv[process.argv.indexOf('--logs') + 1])
if (!Number.isInteger(devices) || devices < 100 || devices > 20_000) {
  process.stderr.write(
    'How many devices, with 500 entries each? For example: ./custode bench --logs 10000 (100 to 20000)\n',
  )
  process.exit(1)
}
const entriesEach = 500
const days = 30
const clients = 150
const limit: Millis = 300
const now = Date.now()
const viewer = { clientIds: null } as Viewer

const questions: [what: string, query: LogQuery][] = [
  ['all of it', {}],
  ['errors', { level: 'error' }],
  ['warnings', { level: 'warning' }],
  ['a source', { source: 'sshd' }],
  ['an event id', { id: 1203 }],
  ['a log and a level', { channel: 'Security', level: 'warning' }],
  ['words that are frequent', { text: 'started' }],
  ['words that are rare', { text: 'certificate * refused' }],
  ['words that are nowhere', { text: 'nothing says so' }],
  ['two letters', { text: 'jo' }],
  ['an address', { text: '192.0.2.77 port' }],
  ['a number', { text: '88123' }],
  ['words and a number', { text: 'port 4711' }],
  ['two figures of names that never come again', { text: 'delivered in 17' }],
  ['errors of a week ago', { level: 'error', from: now - 8 * day, until: now - 7 * day }],
  ['a small client', { client: clients - 1 }],
  ['errors of a small client', { client: clients - 1, level: 'error' }],
  ['rare words of a small client', { client: clients - 1, text: 'certificate * refused' }],
  ['words of a large client', { client: 1, text: 'worker' }],
  ['a device', { device: 77 }],
  ['words of a device', { device: 77, text: 'failed' }],
  ['a number of a device', { device: 77, text: '17' }],
]

async function prepare(pool: Pool): Promise<number> {
  await migrate(pool, join(root, 'packages/server/src/db/migrations'), now)
  await pool.query(`insert into client (name, code) select 'c' || n, 'c' || n from generate_series(1, $1::int) n`, [
    clients,
  ])
  await pool.query(`insert into site (client_id, name, zone) select id, 's', 'UTC' from client order by id`)
  await pool.query(
    `insert into device (client_id, site_id, name, kind, os_family, os_name, key_digest)
     select c, c, 'bench-' || n, 'server', case when n % 10 < 4 then 'linux' else 'windows' end, 'x', ''
     from generate_series(1, $1::int) n cross join lateral (select 1 + floor($2::int * power(n::float8 / ($1::int + 1), 2))::int as c) c`,
    [devices, clients],
  )
  const db = new pg.Client(url)
  await db.connect()
  const began = performance.now()
  await fillLog(db, entriesEach, days, new Date(now).toISOString())
  await db.query('vacuum analyze')
  await db.end()
  return (performance.now() - began) / 1000
}

async function timed(work: () => Promise<unknown>): Promise<Millis> {
  const began = performance.now()
  await work()
  return performance.now() - began
}
const sorted = (values: number[]) => [...values].sort((a, b) => a - b)
const quantile = (values: number[], share: number) => sorted(values)[Math.floor(values.length * share)]!

async function search(pool: Pool): Promise<boolean> {
  const ways: [string, (query: LogQuery) => Promise<unknown>][] = [
    ['entries', (query) => logPage(pool, viewer, { ...query, limit: 100 }, now)],
    ['count and repeats', (query) => logGroups(pool, viewer, query, now)],
    ['14 days of a watch', (query) => logMatches(pool, viewer, query, now)],
  ]
  const bare = await timed(() => pool.query(`select count(*) from log_event where text ilike '%certificate%refused%'`))
  say(`Milliseconds; one scan of all entries for the words that are rare takes ${bare.toFixed(0)}:`)
  const all = new Map(ways.map(([way]) => [way, [] as number[]]))
  for (const [what, query] of questions) {
    const medians: string[] = []
    for (const [way, ask] of ways) {
      const taken: number[] = []
      for (let i = 0; i < 7; i++) taken.push(await timed(() => ask(query)))
      all.get(way)!.push(...taken)
      medians.push(quantile(taken, 0.5).toFixed(0).padStart(7))
    }
    say(`  ${what.padEnd(46)}${medians.join('')}`)
  }
  for (const [way, taken] of all) {
    const p95 = quantile(taken, 0.95)
    say(
      `  ${judge(p95 < limit)} ${way}: half within ${quantile(taken, 0.5).toFixed(0)} ms, 95 of 100 within ${p95.toFixed(0)} ms (limit ${limit}); the scan takes ${(bare / p95).toFixed(1)} times that`,
    )
  }
  return quantile(all.get('entries')!, 0.95) < limit
}

/** What it costs to keep entries so that they are found, against a table with nothing but its key. */
async function intake(pool: Pool): Promise<void> {
  const count = 20_000
  const each = 20
  const words = (n: number) => `job ${n} of peer 192.0.2.${n % 250} ended well after ${(n * 7919) % 90_000} ms`
  const event = (n: number): LogEvent => ({
    at: now,
    channel: 'journal',
    source: `unit-${n % 40}`,
    id: null,
    level: logLevels[n % 8]!,
    text: words(n),
  })
  const reports = Array.from({ length: count / each }, (_, r) => ({
    seq: r + 1,
    events: Array.from({ length: each }, (_, n) => event(r * each + n)),
  })) as CheckedReport[]
  await pool.query('create table bare_event (like log_event including indexes)')
  await pool.query(
    `do $$ declare i text; begin for i in select indexrelid::regclass::text from pg_index where indrelid = 'bare_event'::regclass
     and not indisprimary loop execute 'drop index ' || i; end loop; end $$`,
  )
  const bare = await timed(async () => {
    for (const { seq, events } of reports)
      await inTransaction(pool, (tx) =>
        tx.query(
          `insert into bare_event (device_id, at, seq, n, channel, source, level, text, shape)
           select 1, $1, $2, n, 'journal', 'unit', 6, text, 0 from unnest($3::text[]) with ordinality e (text, n)`,
          [new Date(now), seq, events.map(({ text }) => text)],
        ),
      )
  })
  const kept = await timed(async () => {
    for (const [i, report] of reports.entries())
      await inTransaction(pool, (tx) => writeEvents(tx, 1 + (i % devices), [report]))
  })
  const perSecond = (millis: Millis) => Math.round((count / millis) * 1000).toLocaleString('en')
  say(
    `Written in reports of ${each} entries, a transaction each: ${perSecond(kept)} entries/s; into a table with its key alone ${perSecond(bare)}, so 1/${(kept / bare).toFixed(1)} of that.`,
  )
}

const pool = openPool(url, 4)
try {
  say(
    `${(devices * entriesEach).toLocaleString('en')} log entries of ${devices} devices of ${clients} clients, over ${days} days…`,
  )
  const took = await prepare(pool)
  const { rows } = await pool.query<{ shapes: string; heap: string; found: string }>(
    `select (select count(*) from log_shape) as shapes,
       (select pg_size_pretty(sum(pg_relation_size(inhrelid))) from pg_inherits where inhparent = 'log_event'::regclass) as heap,
       (select pg_size_pretty(sum(pg_indexes_size(inhrelid)) + pg_total_relation_size('log_shape'))
        from pg_inherits where inhparent = 'log_event'::regclass) as found`,
  )
  say(
    `  made in ${took.toFixed(0)} s: ${rows[0]!.shapes} shapes; entries ${rows[0]!.heap}, what finds them ${rows[0]!.found}`,
  )
  const isMet = await search(pool)
  await intake(pool)
  if (!isMet) process.exitCode = 1
} finally {
  await pool.end()
}
