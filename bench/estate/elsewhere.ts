import pg from 'pg'
import { setTimeout as rest } from 'node:timers/promises'

export interface ElsewhereFigure {
  windows: number
  /** From asking one server process to save a window, until another says what it holds: 99 of 100, and the slowest. */
  p99: number
  slowest: number
}

/** Devices on which something fails that a person is told of. */
async function failingDevices(database: string): Promise<number[]> {
  const db = new pg.Client(database)
  await db.connect()
  const { rows } = await db.query<{ id: number }>(
    `select distinct p.device_id as id from post_state p
     join alert a on a.device_id = p.device_id and a.watch = p.watch and a.instance = p.instance
     where p.state->>'level' is not null and a.status <> 'closed' order by 1 limit 100`,
  )
  await db.end()
  return rows.map(({ id }) => id)
}

/** Windows that are saved at one server process, one after the other, each over a device on which something fails. */
export async function heldElsewhere(
  database: string,
  here: string,
  there: string,
  cookie: string,
): Promise<ElsewhereFigure> {
  const headers = { cookie, 'content-type': 'application/json' }
  const post = async <T>(path: string, body: unknown): Promise<T> => {
    const answer = await fetch(`${here}${path}`, { method: 'POST', headers, body: JSON.stringify(body) })
    const read = (await answer.json()) as T
    if (answer.status !== 200) throw new Error(`${path}: ${JSON.stringify(read).slice(0, 300)}`)
    return read
  }
  const taken: number[] = []
  for (const deviceId of await failingDevices(database)) {
    const began = performance.now()
    const { id } = await post<{ id: number }>('/api/windows', {
      name: 'Bench',
      reason: '',
      target: { on: 'devices', deviceIds: [deviceId] },
      subject: { of: 'all' },
      from: Date.now(),
      until: Date.now() + 600_000,
    })
    const isHeld = async () => {
      const answer = await fetch(`${there}/api/devices/${deviceId}/held`, { headers })
      return ((await answer.json()) as { windowId: number }[]).some(({ windowId }) => windowId === id)
    }
    while (performance.now() - began < 10_000 && !(await isHeld())) await rest(10)
    taken.push(performance.now() - began)
    await post(`/api/windows/${id}/end`, { why: '' })
  }
  taken.sort((a, b) => a - b)
  return {
    windows: taken.length,
    p99: taken[Math.ceil(taken.length * 0.99) - 1] ?? Infinity,
    slowest: taken.at(-1) ?? Infinity,
  }
}
