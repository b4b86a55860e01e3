import { join } from 'node:path'
import type { Millis } from '#core'
import { migrate, openPool, rows, type Pool } from '../packages/server/src/db'
import { judgeLooks, takeLooks, workOutDuties } from '../packages/server/src/engine/probes'
import { reachPage } from '../packages/server/src/features/reach/reach'
import type { Viewer } from '../packages/server/src/http/viewer'

// What devices see of each other, over an estate of forty clients: every fifth device is pinged from two servers of its
// site. Working out who looks, taking what they tell, judging by it, and the page.
const { CUSTODE_ROOT: root = '', CUSTODE_DATABASE: url = '' } = process.env
const say = (text: string) => process.stdout.write(`${text}\n`)
const devices = Number(process.argv[process.argv.indexOf('--looks') + 1])
if (!Number.isInteger(devices) || devices < 400 || devices > 20_000) {
  process.stderr.write(
    'Of how many devices, a fifth of them looked at? For example: ./custode bench --looks 10000 (400 to 20000)\n',
  )
  process.exit(1)
}
const clients = 40
const viewer = { clientIds: null } as Viewer

async function prepare(pool: Pool): Promise<void> {
  await migrate(pool, join(root, 'packages/server/src/db/migrations'), Date.now())
  await pool.query(`insert into client (name, code) select 'c' || n, 'c' || n from generate_series(1, $1::int) n`, [
    clients,
  ])
  await pool.query(
    `insert into site (client_id, name, zone, networks) select id, 's', 'UTC', '{198.18.0.0/15}' from client order by id`,
  )
  await pool.query(
    `insert into device (client_id, site_id, name, kind, os_family, os_name, key_digest, addresses, tags, last_seq)
     select 1 + n % $2::int, 1 + n % $2::int, 'bench-' || n, 'server', 'linux', 'x', '',
       array['198.18.' || n / 200 || '.' || 1 + n % 200], case when n / $2::int % 5 = 0 then '{looked}'::text[] else '{}' end, 1
     from generate_series(1, $1::int) n`,
    [devices, clients],
  )
  const watch = { key: 'ping', kind: 'reach-ping', name: 'Ping', why: '', osFamilies: [], values: {} }
  await pool.query(
    `insert into template_revision (id, revision, name, description, includes, watches, note, removed)
     values (1, 1, 'Ping', '', '{}', $1, '', false)`,
    [JSON.stringify([watch])],
  )
  await pool.query(
    `insert into assignment_revision (id, revision, template_id, target, rank, values, dormant, reason, created_at, removed)
     values (1, 1, 1, '{"on":"tag","tag":"looked"}', 100, '{}', false, '', now(), false)`,
  )
  await pool.query(`update policy_mark set version = nextval('policy_version')`)
  await pool.query('analyze')
}

async function timed(work: () => Promise<unknown>): Promise<Millis> {
  const began = performance.now()
  await work()
  return performance.now() - began
}
async function untilNone(round: () => Promise<number>): Promise<void> {
  while ((await round()) > 0);
}

const pool = openPool(url, 8)
try {
  await prepare(pool)
  const duties = await timed(() => untilNone(() => workOutDuties(pool)))
  await pool.query(`update device set version = version + 1 where name = 'bench-7'`)
  const one = await timed(() => untilNone(() => workOutDuties(pool)))
  const asks = await rows<{ id: number; prober: number; target: number }>(
    pool,
    'select id, prober_id as prober, target_id as target from probe where prober_id is not null order by id',
  )
  const looked = new Set(asks.map(({ target }) => target)).size
  const byProber = new Map<number, number[]>()
  for (const { id, prober } of asks) byProber.set(prober, [...(byProber.get(prober) ?? []), id])
  say(
    `${asks.length} asks of ${byProber.size} devices about ${looked} others, of ${devices}: worked out at first in ${(duties / 1000).toFixed(1)} s, after one of them moved in ${one.toFixed(0)} ms`,
  )
  const tell = (outcome: 'good' | 'bad', inARow: number) => async () => {
    const word = outcome === 'good' ? { time: 3, mean: 3 } : { fault: 'timeout' as const }
    for (const [prober, ids] of byProber)
      await takeLooks(pool, prober, { probes: ids.map((id) => ({ id, outcome, inARow, lasts: 1000, ...word })) })
  }
  const judgeAll = () => untilNone(() => judgeLooks(pool, Date.now() + 1000))
  // What no way of taking them can be without: a row each, written in a transaction a device that looks.
  await pool.query('create table bare (id bigint primary key, told jsonb not null, at timestamptz not null)')
  await pool.query(`insert into bare select id, '{}', now() from probe`)
  const writeBare = async () => {
    for (const ids of byProber.values())
      await pool.query('update bare set told = $2, at = now() where id = any($1)', [
        ids,
        JSON.stringify({ outcome: 'good', inARow: 9, lasts: 1000, time: 3, mean: 3 }),
      ])
  }
  await tell('good', 5)()
  await judgeAll()
  const rate = (millis: Millis, count: number) => Math.round((count * 1000) / millis)
  const best = async (work: () => Promise<void>) => Math.min(await timed(work), await timed(work), await timed(work))
  const bare = await best(writeBare)
  const steady = await best(tell('good', 9))
  const idle = await timed(judgeAll)
  say(
    `words that say that all is as it was: ${rate(steady, asks.length)} a second on one connection, ${(bare / steady).toFixed(2)} of rows that are written and nothing else (${rate(bare, asks.length)}); nothing is judged by them (${idle.toFixed(0)} ms)`,
  )
  await tell('bad', 3)()
  const down = await timed(judgeAll)
  say(`all of them down at once: ${rate(down, looked)} devices judged a second, each with its alert`)
  const page = Math.min(
    ...(await Promise.all([0, 1, 2].map(() => timed(() => reachPage(pool, viewer, { limit: 100 }))))),
  )
  say(
    `the first hundred of the page over all clients: ${page.toFixed(0)} ms (limit 300 ms) ${page < 300 ? 'met' : 'MISS'}`,
  )
} finally {
  await pool.end()
}
