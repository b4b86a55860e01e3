import { readFileSync } from 'node:fs'
import type { Page } from '@playwright/test'
import pg from 'pg'
import { Pool } from 'undici'
import type { Filled } from '../packages/standins/src/large/fill'
import type { Reporting } from '../packages/standins/src/large/report'
import { openPool } from '../packages/server/src/db'
import { silenceRound } from '../packages/server/src/engine/silence'

// What people and machines wait for beyond the pages themselves.

const rest = (millis: number) => new Promise((resolve) => setTimeout(resolve, millis))
const slowest = (values: readonly number[], share: number) =>
  values.toSorted((a, b) => a - b)[Math.max(0, Math.ceil(share * values.length) - 1)] ?? Infinity

/** Milliseconds from a key to the next picture that shows what it did, the slowest of some. */
export async function keystrokes(page: Page, url: string): Promise<Record<string, number>> {
  await page.goto(`${url}/rounds`)
  await page.locator('.row.chosen').waitFor()
  await rest(1500)
  const next = await page.evaluate<number>(`(async () => {
    const taken = []
    for (let i = 0; i < 12; i++) {
      const before = document.querySelector('.row.chosen')?.id
      const began = performance.now()
      document.body.dispatchEvent(new KeyboardEvent('keydown', { key: 'j', bubbles: true }))
      while (document.querySelector('.row.chosen')?.id === before && performance.now() - began < 5000)
        await new Promise(requestAnimationFrame)
      taken.push(performance.now() - began)
      await new Promise((resolve) => setTimeout(resolve, 120))
    }
    return Math.max(...taken)
  })()`)
  await page.goto(`${url}/estate`)
  await page.locator('.el-table-v2__row').first().waitFor()
  await rest(1500)
  const narrow = await page.evaluate<number>(`(async () => {
    const taken = []
    const field = document.querySelector('[aria-label="Narrow by words"]')
    for (const words of ['de', 'des', 'desk', 'files']) {
      const before = document.querySelector('.head .muted')?.textContent
      const began = performance.now()
      field.value = words
      field.dispatchEvent(new Event('input', { bubbles: true }))
      while (document.querySelector('.head .muted')?.textContent === before && performance.now() - began < 1500)
        await new Promise(requestAnimationFrame)
      taken.push(performance.now() - began)
      await new Promise((resolve) => setTimeout(resolve, 400))
    }
    // Where a longer word leaves as many, nothing changes, and nobody waits.
    return Math.max(...taken.filter((millis) => millis < 1500))
  })()`)
  return { 'next row in Rounds': next, 'narrowing Estate by words': narrow }
}

/** Megabytes of JavaScript that the page holds, and what a minute of live updates adds. */
export async function pageMemory(page: Page, url: string): Promise<{ megabytes: number; grown: number }> {
  await page.goto(`${url}/estate`)
  await page.locator('.el-table-v2__row').first().waitFor()
  const session = await page.context().newCDPSession(page)
  await session.send('Performance.enable')
  const held = async () => {
    await session.send('HeapProfiler.collectGarbage')
    const { metrics } = await session.send('Performance.getMetrics')
    return metrics.find(({ name }) => name === 'JSHeapUsedSize')!.value / 1e6
  }
  await rest(10_000)
  const before = await held()
  await rest(60_000)
  const after = await held()
  return { megabytes: after, grown: after - before }
}

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
  const post = async <T>(path: string, body: unknown): Promise<T> => {
    const answer = await fetch(`${url}${path}`, {
      method: 'POST',
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
    figures.push({ what, savedMillis, inForceMillis, slowestReport: slowest(load.latencies(), 1) })
  }
  try {
    const { rows: templates } = await db.query<{ id: number; key: string }>(
      `select t.id, w->>'key' as key from template t, jsonb_array_elements(t.watches) w
       where w->>'kind' = 'updates' or w->>'kind' = 'silence' order by t.id limit 1`,
    )
    const { id, key } = templates[0]!
    await measured(
      'policy for every device',
      () =>
        post('/api/assignments', {
          templateId: id,
          target: { on: 'everyone' },
          rank: 7,
          values: { [key]: { todo: 'Ask before you act.' } },
          dormant: false,
          reason: '',
        }),
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
        ;({ id: windowId } = await post<{ id: number }>('/api/windows', {
          name: 'Bench',
          reason: '',
          target: { on: 'any', of: clients.map(({ client_id }) => ({ on: 'client', clientId: client_id })) },
          subject: { of: 'all' },
          from: Date.now(),
          until: Date.now() + 3_600_000,
        }))
      },
      () => `(select begun from window_progress where window_id = ${windowId}) and not exists (select from settle_due)`,
    )
    await measured(
      'and is ended',
      () => post(`/api/windows/${windowId}/end`, {}),
      () => `(select over from window_progress where window_id = ${windowId}) and not exists (select from settle_due)`,
    )
    return figures
  } finally {
    await db.end()
  }
}

/** As many agents as there are devices wait to be told of a change, and nothing changes. */
export async function waitingAgents(
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

export interface SilenceFigure {
  quiet: number
  /** The first look after a start, which reads them all, and the slowest of the rounds after it. */
  firstMillis: number
  roundMillis: number
  /** From the moment a server had been silent for long enough, to its alert. */
  toldMillis: number
}

/** Every workstation is silent, as at night, and then one server is. No server process runs meanwhile. */
export async function silenceAtNight(database: string): Promise<SilenceFigure> {
  const pool = openPool(database)
  try {
    // The template that was given to every device watches silence; at night nobody wants that of a workstation.
    await pool.query('delete from assignment where rank = 7')
    await pool.query(`update policy_mark set version = nextval('policy_version')`)
    const round = silenceRound(pool)
    await pool.query(
      `update device set heard_at = now() - case kind when 'server' then interval '0' else interval '3 hours' end`,
    )
    // It has been heard all the time.
    await pool.query(`update hearing set since = now() - interval '1 day', last = now()`)
    const timed = async () => {
      const began = performance.now()
      await round(Date.now())
      return performance.now() - began
    }
    const firstMillis = await timed()
    const rounds: number[] = []
    for (let i = 0; i < 10; i++) rounds.push(await timed())
    const { rows: quiet } = await pool.query<{ count: number }>(
      `select count(*)::int as count from device where kind <> 'server'`,
    )
    await pool.query(
      `update device set heard_at = now() - interval '1 hour' where id = (select min(id) from device where kind = 'server')`,
    )
    const began = performance.now()
    await round(Date.now())
    const { rows: told } = await pool.query<{ count: number }>(
      `select count(*)::int as count from alert where status <> 'closed' and rule->>'kind' = 'silence'
       and device_id = (select min(id) from device where kind = 'server')`,
    )
    return {
      quiet: quiet[0]!.count,
      firstMillis,
      roundMillis: Math.max(...rounds),
      toldMillis: told[0]!.count ? performance.now() - began : Infinity,
    }
  } finally {
    await pool.end()
  }
}
