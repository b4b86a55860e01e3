import { setTimeout as rest } from 'node:timers/promises'

export interface ElsewhereFigure {
  windows: number
  /** From asking one server process to save a window, until another says what it holds: 99 of 100, and the slowest. */
  p99: number
  slowest: number
}

interface Row {
  deviceId: number | null
}

/** Windows that are saved at one server process, one after the other, each over a device on which something fails. */
export async function heldElsewhere(here: string, there: string, cookie: string): Promise<ElsewhereFigure> {
  const headers = { cookie, 'content-type': 'application/json' }
  const post = async <T>(path: string, body: unknown): Promise<T> => {
    const answer = await fetch(`${here}${path}`, { method: 'POST', headers, body: JSON.stringify(body) })
    const read = (await answer.json()) as T
    if (answer.status !== 200) throw new Error(`${path}: ${JSON.stringify(read).slice(0, 300)}`)
    return read
  }
  const rounds = await fetch(`${here}/api/rounds?limit=100`, { headers })
  const { todo } = (await rounds.json()) as { todo: { rows: Row[] } }
  const taken: number[] = []
  for (const deviceId of new Set(todo.rows.map((row) => row.deviceId))) {
    if (deviceId === null) continue
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
    while (performance.now() - began < 30_000 && !(await isHeld())) await rest(10)
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
