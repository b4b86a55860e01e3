import { readFileSync } from 'node:fs'
import { join } from 'node:path'
import { expect, test } from '@playwright/test'
import pg from 'pg'
import { startServer } from '../launcher/demo.mjs'
import { untilServing } from '../launcher/programs.mjs'
import type { BoardDevice } from '#contract'
import { make, signIn, url } from './day'

const place = () => process.env.E2E_PLACE!

test('killed while agents report, the server loses no acknowledged reading and neither misses nor doubles an alert', async ({ page }) => {
  const database = new pg.Client({ connectionString: process.env.E2E_DATABASE })
  await database.connect()
  await signIn(page)
  const devices = (await (await page.request.get(`${url()}/api/devices`)).json()) as BoardDevice[]
  const quick = { target: { on: 'devices', deviceIds: [devices.find((one) => one.name === 'bb-plant-web')!.id] }, watch: 'services', values: { hold: 3000, 'clear.hold': 3000 }, leftOut: false, reason: 'quick, for a test' }
  expect((await page.request.post(`${url()}/api/exceptions`, { data: quick })).status()).toBe(200)
  const alert = page.getByRole('region', { name: 'To do' }).getByRole('button', { name: /cron.*bb-plant-web/ })
  for (let round = 0; round < 3; round++) {
    const pid = Number(readFileSync(join(place(), 'server.pid'), 'utf8'))
    process.kill(pid, 'SIGKILL')
    // It fails while nobody is there to hear it.
    await make(page, 'bb-plant-web', round === 1 ? 'start cron' : 'stop cron')
    await expect(page.getByText('The server is not reached')).toBeVisible()
    const server = startServer({ place: place(), databaseUrl: process.env.E2E_DATABASE!, port: Number(process.env.E2E_PORT), interval: 2000 })
    await untilServing(url(), server, place())
    await expect(page.getByText('The server is not reached')).toBeHidden()
    await expect(alert).toHaveCount(round === 1 ? 0 : 1)
  }

  // Every report up to the last acknowledged one is there, once: sequence numbers without a gap, for every device.
  const { rows } = await database.query<{ name: string; stored: number; last_seq: string; distinct: number; lost: string }>(`
    select d.name, count(r.seq)::int as stored, count(distinct r.seq)::int as distinct, d.last_seq, d.lost_reports as lost
    from device d join report r on r.device_id = d.id group by d.id`)
  // Two of the 24 have been unplugged for longer than their history reaches back.
  expect(rows.length).toBe(22)
  for (const row of rows) expect([row.name, row.stored, row.distinct, Number(row.lost)]).toEqual([row.name, Number(row.last_seq), Number(row.last_seq), 0])
  const episodes = await database.query<{ status: string }>(`
    select a.status from alert a join device d on d.id = a.device_id where d.name = 'bb-plant-web' and a.instance = 'cron' order by a.began`)
  expect(episodes.rows.map((row) => row.status)).toEqual(['closed', 'open'])
  const doubled = await database.query(`select device_id, watch, instance from alert where status <> 'closed' group by 1, 2, 3 having count(*) > 1`)
  expect(doubled.rows).toEqual([])
  await database.end()
})
