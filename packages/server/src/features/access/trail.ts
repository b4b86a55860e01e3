import {
  auditLinesSchema,
  auditPartQuerySchema,
  auditQuerySchema,
  type AuditChange,
  type AuditKind,
  type AuditLine,
  type AuditPartQuery,
} from '#contract'
import type { Millis } from '#core'
import { stringify } from 'csv-stringify'
import type { FastifyInstance } from 'fastify'
import { pipeline, Readable } from 'node:stream'
import { rows, time, type Db, type Pool } from '../../db'
import { ProblemError } from '../../http/problems'
import { route } from '../../http/route'
import type { Viewer } from '../../http/viewer'
import { ofClients } from './viewer'

const longest = 300
const textOf = (value: unknown): string | null => {
  if (value === undefined || value === null) return null
  const text = typeof value === 'string' ? value : JSON.stringify(value)
  return text.length > longest ? `${text.slice(0, longest - 1)}…` : text
}

/** What was changed, from what was said and what `was`; what was said again as it stood is none. */
export function changesIn(detail: unknown): AuditChange[] {
  if (typeof detail !== 'object' || detail === null) return []
  const { was, ...said } = detail as { was?: unknown } & Record<string, unknown>
  const before = (typeof was === 'object' && was !== null ? was : {}) as Record<string, unknown>
  return Object.entries(said)
    .map(([what, value]) => ({ what, before: textOf(before[what]), after: textOf(value) }))
    .filter((change) => change.before !== change.after)
}

/** What each kind of thing is called now, where the viewer may see it; else what its line says. */
const nameOf = `coalesce(case a.object_kind
    when 'device' then (select name from device where id = a.object_id and ${ofClients('client_id', 1)})
    when 'service' then (select (a.detail->>'service') || ' of ' || name from device
      where id = a.object_id and ${ofClients('client_id', 1)})
    when 'person' then (select name from person where id = a.object_id)
    when 'client' then (select name from client where id = a.object_id and ${ofClients('id', 1)})
    when 'site' then (select name from site where id = a.object_id and ${ofClients('client_id', 1)})
    when 'template' then (select name from template where id = a.object_id)
    when 'window' then (select name from maintenance_window where id = a.object_id)
    when 'credential' then (select name from credential where id = a.object_id)
    when 'request' then (select subject from request where id = a.object_id and ${ofClients('client_id', 1)})
    when 'alert' then (select nullif(concat_ws(' ', nullif(l.instance, ''), l.rule->>'name', 'of ' || d.name), '')
      from alert l left join device d on d.id = l.device_id where l.id = a.object_id and ${ofClients('l.client_id', 1)})
  end, a.detail->>'name', a.detail->>'email', a.detail->>'version', '')`

/** What is done to a service is done to its device. */
const kindsOf = ({ kind, object }: AuditPartQuery): AuditKind[] =>
  kind === 'device' && object !== undefined ? ['device', 'service'] : [kind!]

/** Of these whoever works on them may read what was done to each. */
const workedOn: readonly AuditKind[] = [
  'device',
  'service',
  'alert',
  'request',
  'site',
  'template',
  'assignment',
  'exception',
  'window',
]

type Row = Omit<AuditLine, 'changes'> & { detail: unknown }

/** The newest first. Whoever may see some clients sees what was done about these, and what they did themselves. */
async function linesOf(db: Db, viewer: Viewer, query: AuditPartQuery): Promise<AuditLine[]> {
  const found = await rows<Row>(
    db,
    `
    select a.id, a.at, p.name as by, a.action, a.object_kind as kind, a.object_id as "objectId", ${nameOf} as name,
      c.name as "clientName", host(a.address) as address, a.detail
    from audit a left join person p on p.id = a.person_id left join client c on c.id = a.client_id
    where (${ofClients('a.client_id', 1)} or a.client_id is null and a.person_id = $2)
      and ($3::int is null or a.person_id = $3) and ($4::int is null or a.client_id = $4)
      and ($5::text[] is null or a.object_kind = any($5)) and ($6::bigint is null or a.object_id = $6)
      and ($7::timestamptz is null or a.at >= $7) and ($8::timestamptz is null or a.at < $8)
      and ($9::bigint is null or a.id < $9)
    order by a.id desc limit $10`,
    [
      viewer.clientIds,
      viewer.id,
      query.person ?? null,
      query.client ?? null,
      query.kind === undefined ? null : kindsOf(query),
      query.object ?? null,
      query.from === undefined ? null : time(query.from),
      query.until === undefined ? null : time(query.until),
      query.before ?? null,
      query.limit,
    ],
  )
  return found.map(({ detail, address, ...line }) => ({
    ...line,
    // From where somebody works is for a lead to know.
    address: viewer.access === 'lead' ? address : null,
    changes: changesIn(detail),
  }))
}

const atOnce = 500
const columns = ['when', 'who', 'action', 'kind', 'name', 'client', 'from where', 'changes']
const exact = (at: Millis) => new Date(at).toISOString()

/** All of them as records of a table, part by part as they are written. */
async function* recordsOf(db: Db, viewer: Viewer, query: Omit<AuditPartQuery, 'limit'>): AsyncGenerator<string[]> {
  yield columns
  let before = query.before
  for (;;) {
    const lines = await linesOf(db, viewer, { ...query, ...(before === undefined ? {} : { before }), limit: atOnce })
    for (const line of lines) {
      const changes = line.changes.map(({ what, before: was, after }) =>
        was === null ? `${what}: ${after}` : `${what}: ${was} → ${after ?? 'nothing'}`,
      )
      yield [
        exact(line.at),
        line.by ?? 'the server',
        line.action,
        line.kind,
        line.name,
        line.clientName ?? '',
        line.address ?? '',
        changes.join('; '),
      ]
    }
    if (lines.length < atOnce) return
    before = lines.at(-1)!.id
  }
}

export function trailRoutes(app: FastifyInstance, pool: Pool): void {
  route(app, {
    method: 'GET',
    url: '/api/audit',
    access: 'technician',
    summary:
      'Who did what to what, when and from where, the newest first, in parts; of one thing for everybody who works on it',
    answer: auditLinesSchema,
    query: auditPartQuerySchema,
    handle({ viewer, query }) {
      if (viewer.access !== 'lead' && (query.object === undefined || !workedOn.includes(query.kind!)))
        throw new ProblemError('not-allowed', 'All of it is a lead’s to read. Ask for what was done to one thing.')
      return linesOf(pool, viewer, query)
    },
  })
  route(app, {
    method: 'GET',
    url: '/api/audit.csv',
    access: 'lead',
    summary: 'The same, all of it, as CSV (RFC 4180)',
    answer: { media: 'text/csv' },
    query: auditQuerySchema,
    handle({ viewer, query, reply }) {
      // A spreadsheet does not take for a formula what somebody called a device.
      const csv = stringify({ escape_formulas: true, record_delimiter: 'windows' })
      // What goes wrong in the middle ends it, and so does whoever goes away.
      pipeline(Readable.from(recordsOf(pool, viewer, query)), csv, () => undefined)
      return reply
        .header('content-disposition', 'attachment; filename="audit-trail.csv"')
        .type('text/csv; charset=utf-8')
        .send(csv)
    },
  })
}
