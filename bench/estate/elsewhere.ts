import pg from 'pg'
import { setTimeout as rest } from 'node:timers/promises'
import type { Filled } from '../../packages/standins/src/large/fill'

export interface ElsewhereFigure {
  windows: number
  /** Windows whose failure was held, not raised. */
  held: number
  /** From asking one process to save a window, until another says what it holds: 99 of 100, and the slowest. */
  p99: number
  slowest: number
}

const day = 86_400_000

/** Devices that are heard, and on which no update has waited too long yet. */
async function wellDevices(database: string): Promise<{ id: number; seq: number }[]> {
  const db = new pg.Client(database)
  await db.connect()
  const { rows } = await db.query<{ id: number; seq: number }>(
    `select d.id, d.last_seq::int as seq from device d
     where d.heard_at > now() - interval '3 minutes' and not exists (select from alert a
       where a.device_id = d.id and a.status <> 'closed') order by d.id limit 100`,
  )
  await db.end()
  return rows
}

/**
 * Windows that are saved at one server process, one after the other, each over a device that at once tells another
 * process of what it holds: updates that have waited for too long.
 */
export async function heldElsewhere(
  database: string,
  { keys, devices }: Filled,
  here: string,
  there: string,
  cookie: string,
): Promise<ElsewhereFigure> {
  const post = async <T>(url: string, headers: Record<string, string>, body: unknown): Promise<T> => {
    const send = () =>
      fetch(url, {
        method: 'POST',
        headers: { 'content-type': 'application/json', ...headers },
        body: JSON.stringify(body),
      })
    let answer = await send()
    // As agents do: what a process is busy with is not lost, and the wait counts.
    for (let tries = 0; answer.status === 503 && tries < 20; tries++) {
      await rest(100)
      answer = await send()
    }
    const read = (await answer.json()) as T
    if (answer.status !== 200) throw new Error(`${url}: ${JSON.stringify(read).slice(0, 300)}`)
    return read
  }
  const taken: number[] = []
  let held = 0
  for (const { id: deviceId, seq } of await wellDevices(database)) {
    const began = performance.now()
    const { id } = await post<{ id: number }>(
      `${here}/api/windows`,
      { cookie },
      {
        name: 'Bench',
        reason: '',
        target: { on: 'devices', deviceIds: [deviceId] },
        subject: { of: 'all' },
        from: Date.now(),
        until: Date.now() + 600_000,
      },
    )
    const at = Date.now()
    const startedAt = devices.get(deviceId)!.startedAt(at)
    const updates = {
      security: 1,
      other: 0,
      leftover: 0,
      oldestSecurityAt: at - 60 * day,
      oldestOtherAt: null,
      restartPending: false,
      checkedAt: at,
      listsAt: at,
      names: ['waiting'],
    }
    await post(
      `${there}/api/agent/reports`,
      { authorization: `Bearer ${keys.get(deviceId)!}` },
      {
        version: 1,
        sentAt: at,
        up: at - startedAt,
        boot: String(startedAt),
        oldest: seq + 1,
        reports: [{ seq: seq + 1, at, interval: 60_000, readings: [], facts: { updates } }],
      },
    )
    const isHeld = async () => {
      const answer = await fetch(`${there}/api/devices/${deviceId}/held`, { headers: { cookie } })
      return ((await answer.json()) as { windowId: number }[]).some(({ windowId }) => windowId === id)
    }
    let isSeen = await isHeld()
    for (; !isSeen && performance.now() - began < 5000; isSeen = await isHeld()) await rest(10)
    taken.push(performance.now() - began)
    if (isSeen) held++
    await post(`${here}/api/windows/${id}/end`, { cookie }, { why: '' })
  }
  taken.sort((a, b) => a - b)
  return {
    windows: taken.length,
    held,
    p99: taken[Math.ceil(taken.length * 0.99) - 1] ?? Infinity,
    slowest: taken.at(-1) ?? Infinity,
  }
}
