import { Readable, type Transform } from 'node:stream'
import { pipeline } from 'node:stream/promises'
import { createGzip } from 'node:zlib'
import { minute, type ClientId, type Millis } from '#core'
import type { Pool } from '../../db'
import { ProblemError } from '../../http/problems'
import { handedReadings } from './handedReadings'

/**
 * What is handed over of a client: a name for each kind of line, and the statement that reads it, in an order that
 * stays. Secrets and what belongs to the house (people, policy) are not in it; of device keys there are only digests
 * anyway.
 */
const kinds: readonly [kind: string, sql: string][] = [
  ['client', 'select id, name, code, notes, agreed, agreed_hours, mail_domains, retired_at from client where id = $1'],
  ['contact', 'select id, name, email, phone, note from contact where client_id = $1 order by id'],
  [
    'site',
    'select id, name, zone, networks, named_addresses as named, notes from site where client_id = $1 order by id',
  ],
  [
    'device',
    `select id, name, site_id, kind, os_family, os_name, roles, tags, addresses, enrolled_at, retired_at
     from device where client_id = $1 order by id`,
  ],
  ['fact', ofDevices('current_fact', 'f.*', 'f.device_id, f.subject')],
  ['alert', 'select * from alert where client_id = $1 order by id'],
  [
    'alert-entry',
    `select e.id, e.alert_id, e.at, e.event, e.detail, p.name as by, e.text
     from alert_entry e join alert a on a.id = e.alert_id left join person p on p.id = e.person_id
     where a.client_id = $1 order by e.id`,
  ],
  ['held', 'select * from held where client_id = $1 order by id'],
  ['remediation', 'select * from remediation where client_id = $1 order by id'],
  [
    'response',
    `select id, device_id, at, verb, service, state, ended_at, before, after, reason from response
     where client_id = $1 order by id`,
  ],
  [
    'window',
    `select id, revision, name, reason, target, subject, zone, starts, length_ms, rule, saved_at from window_revision
     where client_id = $1 order by id, revision`,
  ],
  ['request', 'select * from request where client_id = $1 order by id'],
  [
    'request-entry',
    `select e.id, e.request_id, e.at, e.event, p.name as by, e.text, e.detail from request_entry e
     join request r on r.id = e.request_id left join person p on p.id = e.person_id where r.client_id = $1 order by e.id`,
  ],
  [
    'request-mail',
    `select m.id, m.request_id, m.came_at, m.from_name, m.from_address, m.subject, encode(m.raw, 'base64') as rfc822
     from request_mail m join request r on r.id = m.request_id where r.client_id = $1 order by m.id`,
  ],
  [
    'audit',
    `select a.id, a.at, p.name as by, a.action, a.object_kind, a.object_id, a.detail from audit a
     left join person p on p.id = a.person_id where a.client_id = $1 order by a.id`,
  ],
  ['change', ofDevices('post_change', 'f.*', 'f.device_id, f.at')],
  ['processes', ofDevices('process_top', 'f.*', 'f.device_id, f.at, f.seq')],
  ['log', ofDevices('log_event', 'f.*', 'f.device_id, f.at, f.seq, f.n')],
]

function ofDevices(table: string, columns: string, order: string): string {
  return `select ${columns} from ${table} f join device d on d.id = f.device_id where d.client_id = $1 order by ${order}`
}

/** One at a time, and not for ever: each keeps a connection from those who ask for something else. */
let running = false
const longest: Millis = 60 * minute

/** Rows are read in parts of so many, by a cursor: however much there is, little of it is held. */
const atOnce = 500

/**
 * All that is kept of a client as JSON Lines (one object a line, with its kind under `is`), packed by gzip (RFC
 * 1952), as it was at one moment.
 *
 * @throws ProblemError handed-over-already
 */
export function clientData(pool: Pool, clientId: ClientId): Transform {
  if (running) throw new ProblemError('handed-over-already')
  async function* lines(): AsyncGenerator<string> {
    const connection = await pool.connect()
    try {
      await connection.query('begin isolation level repeatable read read only')
      for (const [kind, sql] of kinds) {
        await connection.query(`declare lines no scroll cursor for ${sql}`, [clientId])
        for (;;) {
          const { rows } = await connection.query<{ line: string }>(`fetch ${atOnce} from lines`)
          if (!rows.length) break
          yield rows.map((row) => `${JSON.stringify({ is: kind, ...row })}\n`).join('')
        }
        await connection.query('close lines')
      }
      for await (const line of handedReadings(connection, clientId)) yield `${JSON.stringify(line)}\n`
    } finally {
      // Whoever is handed it may have gone: what was begun ends with its connection.
      await connection.query('rollback').catch(() => undefined)
      connection.release()
    }
  }
  // Whichever of both fails ends the other: who is handed it sees that the file breaks off.
  const packed = createGzip()
  running = true
  pipeline(Readable.from(lines()), packed, { signal: AbortSignal.timeout(longest) })
    .catch(() => undefined)
    .finally(() => {
      running = false
    })
  return packed
}
