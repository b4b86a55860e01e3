import { cpSync, mkdtempSync, readdirSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, beforeAll, expect, inject, it } from 'vitest'
import { migrate } from './migrate'
import { openPool, rows, type Pool } from './pool'

// A database as earlier versions left it, brought up to date.
const all = new URL('./migrations', import.meta.url).pathname
let folder: string
let pool: Pool
const name = `old_${process.pid}`
beforeAll(async () => {
  folder = mkdtempSync(join(tmpdir(), 'custode-migrations-'))
  const admin = openPool(inject('databaseUrl'), 1)
  await admin.query(`create database ${name}`)
  await admin.end()
  pool = openPool(inject('databaseUrl').replace(/\/postgres$/, `/${name}`), 2)
  for (const file of readdirSync(all).filter((each) => each < '0018')) cpSync(join(all, file), join(folder, file))
  await migrate(pool, folder, Date.now())
})
afterAll(async () => {
  await pool.end()
  rmSync(folder, { recursive: true, force: true })
})

const rule = `'{"name":"R","kind":"service-state","sentence":[],"sources":[]}'`

it('words of earlier versions become codes, and nothing is lost', async () => {
  await pool.query(`
    insert into client (name, code) values ('Tidemill Ferries', 'tm');
    insert into site (client_id, name, zone) values (1, 'Harbour', 'Europe/Lisbon');
    insert into device (client_id, site_id, name, kind, os_family, os_name, key_digest, interval_ms, takes_orders)
      values (1, 1, 'tm-web-1', 'server', 'linux', '', '\\x00', 60000, true);
    insert into device_fact (device_id, subject, at, value)
      values (1, 'system', now(), '{"cores": 4, "takesOrders": true, "mends": false}'),
             (1, 'disks', now(), '[]');
    insert into log_event (device_id, at, seq, n, channel, source, event_id, level, text)
      select 1, now(), 1, n, 'syslog', 'backup', null, 6, 'job ' || n || ' of 12 done' from generate_series(1, 3) n
      union all select 1, now(), 2, 1, 'System', 'disk', 7, 3, 'a bad block';
    insert into standing_rule (name, definition) values ('r', '{"tell": [3], "tags": []}');
    insert into alert (device_id, client_id, watch, instance, severity, status, began, raised_at, close_reason, rule)
      select 1, 1, 'w', r, 'critical', 'closed', now(), now(), r, ${rule}
      from unnest(array['cleared', 'by hand', 'not watched any more', 'retired', 'merged']) r;
    insert into window_revision (id, revision, name, reason, target, subject, from_at, until_at, created_at)
      values (1, 1, 'Patch night', '', '{"on": "everyone"}', '{"of": "all"}', '2026-03-01T22:00Z', '2026-03-02T02:00Z',
        now());
    insert into window_progress values (1, true, true);
    insert into held (window_id, device_id, client_id, watch, instance, severity, began, held_at, outcome, rule)
      select 1, 1, 1, 'w', coalesce(o, ''), 'critical', now(), now(), o, ${rule}
      from unnest(array['raised', 'passed on', 'not watched any more', null]) o;
    insert into remediation (device_id, client_id, watch, instance, severity, began, started_at, next_at, ended_at, outcome,
      rule) select 1, 1, 'w', o, 'critical', now(), now(), now(), now(), o, ${rule}
      from unnest(array['cleared', 'not watched any more']) o;
    insert into alert_entry (alert_id, at, what, text) values
      (1, now(), 'raised', 'nginx is stopped'), (1, now(), 'raised at the end of maintenance', ''),
      (1, now(), 'warning → critical', ''), (1, now(), 'cleared by itself', ''), (1, now(), 'closed by hand', 'known'),
      (1, now(), 'closed', 'retired'), (1, now(), 'given back', ''),
      (1, now(), 'asked its agent to restart my service', ''), (1, now(), 'its agent tried to start nginx', 'no rights'),
      (1, now(), 'stopped cups', 'is stopped'), (1, now(), 'could not stop cups', ''), (1, now(), 'looked at', 'twice');
  `)
  expect(await migrate(pool, all, Date.now())).toBe(readdirSync(all).filter((each) => each >= '0018').length)
  const list = async <T>(column: string, from: string) =>
    (await rows<{ it: T }>(pool, `select ${column} as it from ${from}`)).map((row) => row.it)
  expect(await list('close_reason', 'alert order by id')).toEqual([
    'cleared',
    'by-hand',
    'unwatched',
    'retired',
    'merged',
  ])
  expect(await list('outcome', 'held order by id')).toEqual(['raised', 'passed-on', 'unwatched', null])
  expect(await list(`jsonb_build_array(starts, zone, length_ms, rule)`, 'maintenance_window')).toEqual([
    ['2026-03-01T22:00:00', 'UTC', 14_400_000, null],
  ])
  expect(await list(`jsonb_build_array(window_id, start = from_at, begun, over)`, 'window_occurrence')).toEqual([
    [1, true, true, true],
  ])
  expect(await list('count(*)::int', 'held h join window_occurrence o on o.id = h.occurrence_id')).toEqual([4])
  expect(await list('outcome', 'remediation order by id')).toEqual(['cleared', 'unwatched'])
  expect(await list('value', `device_fact where subject = 'system'`)).toEqual([
    { cores: 4, takesTasks: true, remediates: false },
  ])
  expect(await list('takes_tasks', 'device')).toEqual([true])
  expect(await list('text', 'log_shape order by text')).toEqual(['a bad block', 'job # of # done'])
  expect(
    await list(
      'count(*)::int',
      `log_event e join log_shape s on s.id = e.shape
         and s.id = log_shape_id(e.channel, e.source, e.event_id, e.level, log_shape_text(e.text)) group by s.text
       order by s.text`,
    ),
  ).toEqual([1, 3])
  expect(await list('definition', 'standing_rule')).toEqual([{ notify: [3], tags: [] }])
  expect(await list(`jsonb_build_array(event, detail, text)`, 'alert_entry order by id')).toEqual([
    ['raised', {}, 'nginx is stopped'],
    ['raised-after-maintenance', {}, ''],
    ['severity-changed', { from: 'warning', to: 'critical' }, ''],
    ['closed', { reason: 'cleared' }, ''],
    ['closed', { reason: 'by-hand' }, 'known'],
    ['closed', { reason: 'retired' }, ''],
    ['given-back', {}, ''],
    ['asked', { verb: 'restart', service: 'my service' }, ''],
    ['attempted', { succeeded: false, verb: 'start', service: 'nginx' }, 'no rights'],
    ['attempted', { succeeded: true, verb: 'stop', service: 'cups' }, 'is stopped'],
    ['attempted', { succeeded: false, verb: 'stop', service: 'cups' }, ''],
    ['note', {}, 'looked at: twice'],
  ])
})
