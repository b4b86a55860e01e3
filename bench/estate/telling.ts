import pg from 'pg'
import { setTimeout as rest } from 'node:timers/promises'

export interface TellingFigure {
  open: number
  /** What a rule about everything would have sent in the last fortnight; the slowest of three. */
  rehearsalMillis: number
  /** From adding such a rule to having decided of every open alert who is told. */
  decidedMillis: number
  told: number
}

const rule = {
  target: { on: 'everyone' },
  severities: ['critical', 'warning', 'notice'],
  families: null,
  causes: null,
  hours: '',
  outside: 'later',
  tell: [{ to: 'leads' }],
  after: 0,
  again: 1_800_000,
  escalate: { after: 2_400_000, tell: [{ to: 'leads' }] },
  remindAfter: 86_400_000,
  sayWell: true,
}

/** Who is told of all that is open. Nothing leaves: nobody has said how. */
export async function whoIsTold(database: string, url: string, cookie: string): Promise<TellingFigure> {
  const db = new pg.Client(database)
  await db.connect()
  const ask = async <T>(method: string, path: string, body: unknown): Promise<T> => {
    const answer = await fetch(`${url}${path}`, {
      method,
      headers: { cookie, 'content-type': 'application/json' },
      body: JSON.stringify(body),
    })
    const read = (await answer.json()) as T
    if (answer.status !== 200) throw new Error(`${path}: ${JSON.stringify(read).slice(0, 300)}`)
    return read
  }
  const number = async (sql: string) => Number((await db.query<{ n: string }>(sql)).rows[0]!.n)
  try {
    const open = await number(`select count(*) as n from alert where status <> 'closed'`)
    let rehearsalMillis = 0
    for (let i = 0; i < 3; i++) {
      const began = performance.now()
      await ask('POST', '/api/callouts/rehearsal', { name: 'all', rule })
      rehearsalMillis = Math.max(rehearsalMillis, performance.now() - began)
    }
    const { id } = await ask<{ id: number }>('POST', '/api/callouts', { name: 'all', rule })
    // It tells of what was there before it once it was paused and goes on.
    await ask('PUT', `/api/callouts/${id}/pause`, { isPaused: true })
    while (await number('select count(*) as n from callout_due where due_at <= now()')) await rest(100)
    const began = performance.now()
    await ask('PUT', `/api/callouts/${id}/pause`, { isPaused: false })
    while (await number('select count(*) as n from callout_due where due_at <= now()')) await rest(20)
    const decidedMillis = performance.now() - began
    const told = await number('select count(distinct alert_id) as n from callout_step')
    await ask('DELETE', `/api/callouts/${id}`, {})
    return { open, rehearsalMillis, decidedMillis, told }
  } finally {
    await db.end()
  }
}
