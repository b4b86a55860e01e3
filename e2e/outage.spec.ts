import { execFileSync } from 'node:child_process'
import { existsSync, readdirSync, readFileSync, rmSync } from 'node:fs'
import { join } from 'node:path'
import { expect, test, type Page } from '@playwright/test'
import pg from 'pg'
import { startServer } from '../launcher/demo.mjs'
import { makeFolder } from '../launcher/place.mjs'
import { startPostgres } from '../launcher/postgres.mjs'
import { agentPath, start, untilServing } from '../launcher/programs.mjs'
import type { BoardPage, Client, Problem } from '#contract'
import { make, signIn, url } from './day'

const place = () => process.env.E2E_PLACE!
const pidOf = (name: string) => Number(readFileSync(join(place(), `${name}.pid`), 'utf8'))

async function serve(): Promise<void> {
  const server = startServer({
    place: place(),
    databaseUrl: process.env.E2E_DATABASE!,
    port: Number(process.env.E2E_PORT),
    interval: 2000,
  })
  await untilServing(url(), server, place())
}

async function ask<Row extends pg.QueryResultRow>(sql: string, values: unknown[] = []): Promise<Row[]> {
  const database = new pg.Client({ connectionString: process.env.E2E_DATABASE })
  await database.connect()
  try {
    return (await database.query<Row>(sql, values)).rows
  } finally {
    await database.end()
  }
}

/** Every report up to the last acknowledged one is there, once: sequence numbers without a gap, for every device. */
async function expectNothingLost(devices: string): Promise<void> {
  const rows = await ask<{ name: string; stored: number; last_seq: string; distinct: number; lost: string }>(
    `
    select d.name, count(r.seq)::int as stored, count(distinct r.seq)::int as distinct, d.last_seq, d.lost_reports as lost
    from device d join report r on r.device_id = d.id where d.name like $1 group by d.id`,
    [devices],
  )
  expect(rows.length).toBeGreaterThan(0)
  for (const row of rows)
    expect([row.name, row.stored, row.distinct, Number(row.lost)]).toEqual([
      row.name,
      Number(row.last_seq),
      Number(row.last_seq),
      0,
    ])
  expect(
    await ask(
      `select device_id, watch, instance from alert where status <> 'closed' group by 1, 2, 3 having count(*) > 1`,
    ),
  ).toEqual([])
}

/** The services of a device raise and clear within seconds. */
async function hurry(page: Page, device: string): Promise<void> {
  const devices = ((await (await page.request.get(`${url()}/api/devices?limit=500`)).json()) as BoardPage).devices
  const quick = {
    target: { on: 'devices', deviceIds: [devices.find((candidate) => candidate.name === device)!.id] },
    watch: 'services',
    values: { hold: 3000, 'clear.hold': 3000 },
    leftOut: false,
    reason: 'quick, for a test',
  }
  expect((await page.request.post(`${url()}/api/exceptions`, { data: quick })).status()).toBe(200)
}

async function episodes(device: string): Promise<string[]> {
  const rows = await ask<{ status: string }>(
    `select a.status from alert a join device d on d.id = a.device_id where d.name = $1 and a.instance = 'cron' order by a.began`,
    [device],
  )
  return rows.map((row) => row.status)
}

const alertOf = (page: Page, device: string) =>
  page.getByRole('region', { name: 'To do' }).getByRole('button', { name: new RegExp(`cron.*${device}`) })

test('the server, killed while agents report, loses no acknowledged reading and neither misses nor doubles an alert', async ({
  page,
}) => {
  await signIn(page)
  await hurry(page, 'bb-plant-web')
  for (let round = 0; round < 3; round++) {
    process.kill(pidOf('server'), 'SIGKILL')
    // It fails while nobody is there to hear it.
    await make(page, 'bb-plant-web', round === 1 ? 'start cron' : 'stop cron')
    await expect(page.getByRole('status').filter({ hasText: 'The server is not reached' })).toBeVisible()
    await serve()
    await expect(page.getByRole('status').filter({ hasText: 'The server is not reached' })).toBeHidden()
    await expect(alertOf(page, 'bb-plant-web')).toHaveCount(round === 1 ? 0 : 1)
  }
  await expectNothingLost('%')
  expect(await episodes('bb-plant-web')).toEqual(['closed', 'open'])
})

/** kill -9 for the database with everything that belongs to it. */
function killDatabase(): void {
  const postmaster = Number(readFileSync(join(place(), 'database', 'postmaster.pid'), 'utf8').split('\n')[0])
  const parentOf = (pid: string) => {
    try {
      return Number(readFileSync(`/proc/${pid}/stat`, 'utf8').split(') ')[1]!.split(' ')[1])
    } catch {
      return 0
    }
  }
  const children = readdirSync('/proc').filter((name) => /^\d+$/.test(name) && parentOf(name) === postmaster)
  for (const pid of [postmaster, ...children.map(Number)])
    try {
      process.kill(pid, 'SIGKILL')
    } catch {
      /* it went by itself */
    }
}

test('the database, killed while agents report, loses nothing that was acknowledged, and the server goes on by itself', async ({
  page,
}) => {
  await signIn(page)
  await hurry(page, 'bb-desk-01')
  // One that no window covers at any hour of the day.
  await hurry(page, 'bb-plant-db')
  const server = pidOf('server')
  for (const [round, button] of ['stop cron', 'start cron'].entries()) {
    killDatabase()
    await make(page, 'bb-plant-db', button)
    const answer = await page.request.get(`${url()}/api/rounds`)
    expect([answer.status(), ((await answer.json()) as Problem).code]).toEqual([503, 'database-away'])
    await startPostgres(place(), { port: Number(new URL(process.env.E2E_DATABASE!).port) })
    await page.goto(url())
    await expect.poll(() => episodes('bb-plant-db')).toEqual([round === 0 ? 'open' : 'closed'])
    await expect(alertOf(page, 'bb-plant-db')).toHaveCount(round === 0 ? 1 : 0)
  }
  expect(pidOf('server')).toBe(server)
  await expectNothingLost('%')
})

test('the agent, killed while the server is away, sends on what it had kept, in order', async ({ page }) => {
  await signIn(page)
  const clients = (await (await page.request.get(`${url()}/api/clients`)).json()) as Client[]
  const siteId = clients.find((client) => client.code === 'lf')!.sites[0]!.id
  const { key } = (await (
    await page.request.post(`${url()}/api/enrolment-keys`, {
      data: { siteId, label: '', uses: 1, days: 1, kind: 'server', roles: [], tags: [] },
    })
  ).json()) as { key: string }
  const home = join(place(), 'agent')
  rmSync(home, { recursive: true, force: true })
  makeFolder(home)
  execFileSync(process.execPath, [
    agentPath,
    'enroll',
    '--server',
    url(),
    '--key',
    key,
    '--home',
    home,
    '--name',
    'lf-workshop-9',
  ])
  const runAgent = () => start(place(), 'agent', [agentPath, 'run', '--home', home, '--no-refresh'])
  const stored = async () =>
    Number((await ask<{ last_seq: string }>(`select last_seq from device where name = 'lf-workshop-9'`))[0]!.last_seq)
  const spooled = () =>
    existsSync(join(home, 'spool'))
      ? readdirSync(join(home, 'spool')).filter((name) => /^\d+\.json$/.test(name)).length
      : 0

  let agent = runAgent()
  for (let round = 0; round < 2; round++) {
    const before = await stored()
    await expect.poll(stored).toBeGreaterThan(before)
    process.kill(pidOf('server'), 'SIGKILL')
    await expect.poll(spooled).toBeGreaterThan(1)
    await agent.stop('SIGKILL')
    const kept = spooled()
    agent = runAgent()
    await expect.poll(spooled).toBeGreaterThan(kept)
    await serve()
    await expect.poll(spooled).toBe(0)
  }
  await agent.stop('SIGKILL')
  await expectNothingLost('lf-workshop-9')
})
