import { readFileSync } from 'node:fs'
import pg from 'pg'
import { Pool } from 'undici'
import type { Filled } from '../../packages/standins/src/large/fill'
import { setTimeout as rest } from 'node:timers/promises'

/** As many agents as there are devices wait to be told of a change, and nothing changes: nor is any silent. */
export async function waitingAgents(
  database: string,
  url: string,
  { keys }: Filled,
  server: number,
): Promise<{ agents: number; cpuShare: number; megabytes: number }> {
  const ticks = () => {
    const [, fields = ''] = readFileSync(`/proc/${server}/stat`, 'utf8').split(') ')
    const all = fields.split(' ').map(Number)
    return all[11]! + all[12]!
  }
  const resident = () => Number(/VmRSS:\s+(\d+)/.exec(readFileSync(`/proc/${server}/status`, 'utf8'))?.[1] ?? 0) / 1000
  const agents = [...keys.values()]
  const db = new pg.Client(database)
  await db.connect()
  await db.query(`update device set heard_at = now() + interval '1 hour'`)
  await db.end()
  const pool = new Pool(url, { connections: agents.length, headersTimeout: 100_000, bodyTimeout: 100_000 })
  let stopped = false
  let waiting = 0
  const wait = async (key: string) => {
    let roster = ''
    while (!stopped) {
      waiting++
      const { body } = await pool.request({
        path: '/api/agent/changes',
        method: 'POST',
        headers: { 'content-type': 'application/json', authorization: `Bearer ${key}`, prefer: 'wait=600' },
        body: JSON.stringify({ roster }),
      })
      const told = (await body.json()) as { settings?: { roster: string } }
      roster = told.settings?.roster ?? roster
      waiting--
    }
  }
  const all = agents.map((key) => wait(key).catch(() => undefined))
  // Until each was told its roster, and waits.
  await rest(Math.max(20_000, agents.length * 8))
  const [before, began] = [ticks(), Date.now()]
  // As long as it takes until each line was kept alive once.
  await rest(50_000)
  const cpuShare = (ticks() - before) / 100 / ((Date.now() - began) / 1000)
  const figure = { agents: waiting, cpuShare, megabytes: resident() }
  stopped = true
  await pool.destroy()
  await Promise.all(all)
  return figure
}
