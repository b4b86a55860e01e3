import { Pool } from 'undici'
import type { Enrolment, ReportReceipt, RosterWatch } from '#contract'

export interface Enrolments {
  count: number
  enrolled: number
  distinct: number
  perSecond: number
  millisToAll: number
  rosterMillis: { median: number; worst: number }
  watches: number
}

/**
 * So many machines knock at the same moment, each on a connection of its own as far as the server takes them; each
 * sends its first report as soon as it is in. The time of a machine runs from the moment all began to knock to the
 * moment its first report was evaluated with its roster and acknowledged.
 */
export async function enrolments(url: string, key: string, cookie: string, count: number): Promise<Enrolments> {
  const server = new Pool(url, { connections: 256 })
  async function call<T>(
    method: 'GET' | 'POST',
    path: string,
    headers: Record<string, string>,
    body?: unknown,
  ): Promise<T> {
    const { statusCode, body: answer } = await server.request({
      method,
      path,
      headers: { 'content-type': 'application/json', ...headers },
      ...(body === undefined ? {} : { body: JSON.stringify(body) }),
    })
    if (statusCode !== 200) throw new Error(`${path}: ${statusCode} ${await answer.text()}`)
    return (await answer.json()) as T
  }
  const facts = {
    services: ['nginx', 'cron', 'ssh'].map((name) => ({ name, title: name, start: 'automatic', state: 'running' })),
  }
  const began = performance.now()
  let allIn = 0
  const machines = await Promise.all(
    Array.from({ length: count }, async (_, i) => {
      const { deviceId, deviceKey } = await call<Enrolment>(
        'POST',
        '/api/agent/enrol',
        {},
        { version: 1, key, name: `crowd-${i}`, osFamily: 'linux', osName: 'Debian 12', sentAt: Date.now() },
      )
      allIn = performance.now() - began
      const receipt = await call<ReportReceipt>(
        'POST',
        '/api/agent/reports',
        { authorization: `Bearer ${deviceKey}` },
        {
          version: 1,
          sentAt: Date.now(),
          oldest: 1,
          reports: [{ seq: 1, at: Date.now(), interval: 60_000, readings: [['cpu.busy', '', 0.1]], facts }],
        },
      )
      if (receipt.acknowledged !== 1) throw new Error(`device ${deviceId}: first report not acknowledged`)
      return { deviceId, millis: performance.now() - began }
    }),
  )
  const times = machines.map((machine) => machine.millis).sort((a, b) => a - b)
  const rosters = await Promise.all(
    machines.map((machine) => call<RosterWatch[]>('GET', `/api/devices/${machine.deviceId}/roster`, { cookie })),
  )
  await server.close()
  return {
    count,
    enrolled: machines.length,
    distinct: new Set(machines.map((machine) => machine.deviceId)).size,
    perSecond: count / (allIn / 1000),
    millisToAll: allIn,
    rosterMillis: { median: times[Math.floor(count / 2)]!, worst: times.at(-1)! },
    watches: Math.min(...rosters.map((roster) => roster.filter((watch) => watch.standing === 'active').length)),
  }
}
