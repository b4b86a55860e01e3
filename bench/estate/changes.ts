import pg from 'pg'
import type { Reporting } from '../../packages/standins/src/large/report'
import { setTimeout as rest } from 'node:timers/promises'

const slowest = (values: readonly number[]) => values.reduce((most, value) => Math.max(most, value), 0)

export interface ChangeFigure {
  what: string
  savedMillis: number
  inForceMillis: number
  /** The slowest report meanwhile. */
  slowestReport: number
}

async function inForce(db: pg.Client, began: number, isDone: string): Promise<number> {
  for (let i = 0; i < 1200; i++) {
    const { rows } = await db.query<{ done: boolean }>(
      `select not exists (select from settle_due) and (${isDone}) as done`,
    )
    if (rows[0]!.done) return performance.now() - began
    await rest(50)
  }
  return Infinity
}

/** A change of policy that reaches every device, and a window over the largest client that begins and ends. */
export async function largeChanges(
  database: string,
  url: string,
  cookie: string,
  load: Reporting,
): Promise<ChangeFigure[]> {
  const db = new pg.Client(database)
  await db.connect()
  const ask = async <T>(method: 'POST' | 'DELETE', path: string, body: unknown = {}): Promise<T> => {
    const answer = await fetch(`${url}${path}`, {
      method,
      headers: { cookie, 'content-type': 'application/json' },
      body: JSON.stringify(body),
    })
    const read = (await answer.json()) as T
    if (answer.status !== 200) throw new Error(`${path}: ${JSON.stringify(read).slice(0, 300)}`)
    return read
  }
  const figures: ChangeFigure[] = []
  const measured = async (what: string, act: () => Promise<unknown>, isDone: () => string) => {
    load.latencies()
    const began = performance.now()
    await act()
    const savedMillis = performance.now() - began
    const inForceMillis = await inForce(db, began, isDone())
    await rest(500)
    figures.push({ what, savedMillis, inForceMillis, slowestReport: slowest(load.latencies()) })
  }
  try {
    const { rows: templates } = await db.query<{ id: number; key: string }>(
      `select t.id, w->>'key' as key from template t, jsonb_array_elements(t.watches) w
       where w->>'kind' = 'updates' or w->>'kind' = 'silence' order by t.id limit 1`,
    )
    const { id, key } = templates[0]!
    let assignmentId = 0
    await measured(
      'policy for every device',
      async () => {
        ;({ id: assignmentId } = await ask<{ id: number }>('POST', '/api/assignments', {
          templateId: id,
          target: { on: 'everyone' },
          rank: 7,
          values: { [key]: { todo: 'Ask before you act.' } },
          dormant: false,
          reason: '',
        }))
      },
      () => 'true',
    )
    await measured(
      'and taken away again',
      () => ask('DELETE', `/api/assignments/${assignmentId}`),
      () => 'true',
    )
    // Clients from the largest on, until they have a thousand devices.
    const { rows: largest } = await db.query<{ client_id: number; count: number }>(
      'select client_id, count(*)::int as count from device group by 1 order by 2 desc, 1',
    )
    let devices = 0
    const clients = largest.filter(({ count }) => devices < 1000 && (devices += count))
    let windowId = 0
    await measured(
      `a window over ${devices} devices begins`,
      async () => {
        ;({ id: windowId } = await ask<{ id: number }>('POST', '/api/windows', {
          name: 'Bench',
          reason: '',
          target: { on: 'any', of: clients.map(({ client_id }) => ({ on: 'client', clientId: client_id })) },
          subject: { of: 'all' },
          from: Date.now(),
          until: Date.now() + 3_600_000,
        }))
      },
      () =>
        `(select begun from window_occurrence where window_id = ${windowId}) and not exists (select from settle_due)`,
    )
    await measured(
      'and is ended',
      () => ask('POST', `/api/windows/${windowId}/end`),
      () =>
        `(select over from window_occurrence where window_id = ${windowId}) and not exists (select from settle_due)`,
    )
    return figures
  } finally {
    await db.end()
  }
}
