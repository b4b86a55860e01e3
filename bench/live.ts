import { setTimeout as rest } from 'node:timers/promises'
import { chromium } from '@playwright/test'
import pg from 'pg'
import { Pool } from 'undici'
import { percentText } from '../packages/core/src/text'
import { fill, type Filled } from '../packages/standins/src/large/fill'
import { end, endAll, lead, startServer, untilUp, url } from './estate/server'

// From a reading on a device to the picture in a browser, and what a report waits, while many report and the server
// packs what they reported before.
const { CUSTODE_DATABASE: database = '', CUSTODE_CHROMIUM = '/usr/bin/chromium' } = process.env
const say = (text: string) => process.stdout.write(`${text}\n`)
const judge = (isMet: boolean) => (isMet ? 'met ' : 'MISS')
const devices = 1000
const pictures = 60

const perSecond = Number(process.argv[process.argv.indexOf('--live') + 1])
if (!Number.isInteger(perSecond) || perSecond < 1 || perSecond > 2000) {
  process.stderr.write('How many reports a second? For example: ./custode bench --live 500 (1 to 2000)\n')
  process.exit(1)
}

class Load {
  readonly #pool = new Pool(url, { connections: 48 })
  readonly #list: [number, string][]
  readonly #seqs = new Map<number, number>()
  #next = 0
  #sent = 0
  #taken: { at: number; millis: number }[] = []
  #timer: NodeJS.Timeout | null = null
  failed = 0

  constructor(private readonly filled: Filled) {
    this.#list = [...filled.keys].filter(([id]) => filled.devices.get(id)!.reportsAt(Date.now()))
  }

  /** @param busy in place of what the device reads of its CPU */
  async report(id: number, busy: number | null = null): Promise<void> {
    const at = Date.now()
    const device = this.filled.devices.get(id)!
    const seq = (this.#seqs.get(id) ?? this.filled.lastSeqs.get(id) ?? 1) + 1
    this.#seqs.set(id, seq)
    const readings = device
      .readings(at)
      .map((one) => (busy !== null && one[0] === 'cpu.busy' ? [one[0], '', busy] : one))
    const { statusCode, body } = await this.#pool.request({
      path: '/api/agent/reports',
      method: 'POST',
      headers: { 'content-type': 'application/json', authorization: `Bearer ${this.filled.keys.get(id)}` },
      body: JSON.stringify({
        version: 1,
        sentAt: at,
        oldest: seq,
        reports: [{ seq, at, interval: 60_000, readings }],
      }),
    })
    const answer = await body.text()
    if (statusCode !== 200) throw new Error(`${statusCode} ${answer}`)
    this.#taken.push({ at, millis: Date.now() - at })
  }

  /** All of them in turn, but for the one that is looked at. */
  start(except: number): void {
    const list = this.#list.filter(([id]) => id !== except)
    const began = performance.now()
    this.#timer = setInterval(() => {
      const due = Math.floor(((performance.now() - began) / 1000) * perSecond)
      for (; this.#sent < due; this.#sent++) {
        const [id] = list[this.#next++ % list.length]!
        // An agent would send it again; here it is counted.
        void this.report(id).catch(() => this.failed++)
      }
    }, 20)
  }

  /** Of the reports of a time: how many, and within how many milliseconds 99 of 100 had their answer. */
  waited(from: number, until: number): { count: number; perSecond: number; p99: number } {
    const taken = this.#taken.filter(({ at }) => at >= from && at < until).map(({ millis }) => millis)
    taken.sort((a, b) => a - b)
    return {
      count: taken.length,
      perSecond: taken.length / ((until - from) / 1000),
      p99: taken[Math.floor(taken.length * 0.99)] ?? Infinity,
    }
  }

  async stop(): Promise<void> {
    if (this.#timer) clearInterval(this.#timer)
    await this.#pool.close()
  }
}

const client = new pg.Client(database)
/** Devices of which a whole day waits to be packed. */
const waiting = async () =>
  Number(
    (
      await client.query<{ n: string }>(
        `select count(*) as n from device d left join packed_to p on p.device_id = d.id
         where d.last_at is not null and (p.until is null or p.until < now() - interval '4 hours')`,
      )
    ).rows[0]!.n,
  )

/** Milliseconds from a report to the picture that shows it, in order. */
async function untilSeen(load: Load, id: number): Promise<number[]> {
  const browser = await chromium.launch({
    executablePath: CUSTODE_CHROMIUM,
    args: ['--no-sandbox', '--disable-gpu', '--disable-background-networking'],
  })
  try {
    const page = await browser.newPage({ viewport: { width: 1280, height: 800 } })
    await page.goto(url)
    await page.getByLabel('E-mail address').fill(lead.email)
    await page.getByLabel('Password').fill(lead.password)
    await page.getByRole('button', { name: 'Sign in' }).click()
    await page.getByRole('heading', { name: 'Rounds' }).waitFor()
    await page.goto(`${url}/estate/${id}?open=cpu.busy|&last=2h#readings`)
    await page.locator('[aria-label="CPU busy, in numbers"] tbody tr').first().waitFor()
    const taken: number[] = []
    for (let i = 0; i < pictures; i++) {
      // Whole per cents, as they are shown, of which none is shown twice.
      const busy = (10 + ((37 * i) % 61)) / 100
      const began = performance.now()
      await Promise.all([
        load.report(id, busy),
        // It looks at each picture that the browser makes.
        page
          .locator('[aria-label="CPU busy, in numbers"] tbody td:last-child', { hasText: percentText(busy) })
          .waitFor({ timeout: 30_000 }),
      ])
      taken.push(performance.now() - began)
      await rest(700)
    }
    return taken.sort((a, b) => a - b)
  } finally {
    await browser.close()
  }
}

try {
  const first = startServer(database)
  await untilUp(first)
  await end(first)
  const filled = await fill(database, devices, 500, Date.now(), (text) => say(`  ${text}`))
  await client.connect()
  const server = startServer(database)
  await untilUp(server)
  const load = new Load(filled)
  const [looked] = [...filled.keys.keys()].filter((id) => filled.devices.get(id)!.reportsAt(Date.now()))
  load.start(looked!)
  const began = Date.now()
  // The first minute is that of a start: each device is read once.
  await rest(60_000)
  const minuteOver = Date.now()
  // All of it is to be packed once more; the server begins within a minute.
  await client.query('delete from packed_to')
  const before = await waiting()
  while ((await waiting()) === before && Date.now() - minuteOver < 90_000) await rest(100)
  const from = Date.now()
  while ((await waiting()) > 0 && Date.now() - from < 240_000) await rest(250)
  const until = Date.now()
  const packing = load.waited(from, until)
  const start = load.waited(began, minuteOver)
  const seen = await untilSeen(load, looked!)
  const calm = load.waited(until, Date.now())
  const p95 = seen[Math.floor(seen.length * 0.95)]!
  say(`${devices} devices, ${perSecond} reports a second; load, browser, server and database on this machine:`)
  say(
    `  ${judge(p95 < 1000)} from the reading to the picture: 95 of 100 within ${p95.toFixed(0)} ms, half within ${seen[Math.floor(seen.length / 2)]!.toFixed(0)} ms (limit 1000 ms)`,
  )
  const line = ({ count, perSecond: rate, p99 }: typeof packing) =>
    `99 of 100 of ${count} reports (${rate.toFixed(0)}/s) within ${p99} ms`
  say(
    `  ${judge(packing.p99 < 250)} while a day of ${before} devices is packed, for ${((until - from) / 1000).toFixed(0)} s: ${line(packing)} (limit 250 ms)`,
  )
  if (load.failed) say(`       ${load.failed} reports were not taken at once`)
  say(`       in the minute after the start: ${line(start)}; while nothing else is done: ${line(calm)}`)
  await load.stop()
} finally {
  endAll()
  await client.end().catch(() => undefined)
}
process.exit()
