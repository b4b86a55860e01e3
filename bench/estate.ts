import { writeFileSync } from 'node:fs'
import { chromium, type Page } from '@playwright/test'
import { fill } from '../packages/standins/src/large/fill'
import { largeChanges, type ChangeFigure } from './estate/changes'
import { heldElsewhere, type ElsewhereFigure } from './estate/elsewhere'
import { keystrokes, pageMemory } from './estate/page'
import { end, endAll, lead, port, startServer, untilUp, url } from './estate/server'
import { silenceAtNight, type SilenceFigure } from './estate/silence'
import { whoIsTold, type TellingFigure } from './estate/telling'
import { waitingAgents } from './estate/waiting'
import { setPolicy } from '../packages/standins/src/large/policy'
import { keepReporting } from '../packages/standins/src/large/report'

// What a technician waits for with a large estate, while its devices report: at the server and in a real browser.
const { CUSTODE_DATABASE: database = '', CUSTODE_CHROMIUM = '/usr/bin/chromium' } = process.env
const say = (text: string) => process.stdout.write(`${text}\n`)

/** As many as the command line says, and a tenth of it, from which growth is told. */
const wanted = Number(process.argv[process.argv.indexOf('--estate') + 1])
if (!Number.isInteger(wanted) || wanted < 100 || wanted > 20_000) {
  process.stderr.write('How many devices? For example: ./custode bench --estate 2000 (100 to 20000)\n')
  process.exit(1)
}

const minutesAt = process.argv.indexOf('--page-minutes')
/** How long a page is left open with live updates. */
const pageMinutes = minutesAt > 0 ? Number(process.argv[minutesAt + 1]) : 1

interface Figure {
  what: string
  millis: number
  /** Of the answer. */
  kilobytes?: number
}

/** @param asOf how it was at a time that is over (RFC 7089, section 2.1.1) */
async function atServer(cookie: string, path: string, times: number, asOf?: number): Promise<Figure> {
  const headers = { cookie, ...(asOf === undefined ? {} : { 'accept-datetime': new Date(asOf).toUTCString() }) }
  const taken: number[] = []
  let bytes = 0
  for (let i = 0; i < times; i++) {
    const began = performance.now()
    const answer = await fetch(`${url}${path}`, { headers })
    bytes = (await answer.arrayBuffer()).byteLength
    if (answer.status !== 200) throw new Error(`${path}: ${answer.status}`)
    taken.push(performance.now() - began)
  }
  taken.sort((a, b) => a - b)
  return { what: path, millis: taken[Math.ceil(0.95 * times) - 1]!, kilobytes: bytes / 1000 }
}

/** Why there is an alert about each of some posts, and how the pages that can be put to the past were a minute ago. */
async function explained(cookie: string): Promise<{ why: Figure[]; past: Figure[] }> {
  const rounds = (await (await fetch(`${url}/api/rounds`, { headers: { cookie } })).json()) as {
    todo: { total: number; rows: { deviceId: number | null; watch: string; instance: string }[] }
  }
  say(`  ${rounds.todo.total} alerts to do`)
  const posts = rounds.todo.rows.filter(({ deviceId }) => deviceId !== null)
  const why: Figure[] = []
  for (const { deviceId, watch, instance } of [posts[0]!, posts.at(-1)!])
    why.push(
      await atServer(
        cookie,
        `/api/devices/${deviceId}/why?watch=${watch}&instance=${encodeURIComponent(instance)}`,
        20,
      ),
    )
  const past: Figure[] = []
  for (const path of ['/api/rounds', '/api/devices', `/api/devices/${posts[0]!.deviceId}`, '/api/windows'])
    past.push(await atServer(cookie, path, 10, Date.now() - 60_000))
  // Called alike whatever their number, so that few and many stand side by side.
  const named = (figures: Figure[], what: string[]) => figures.map((figure, i) => ({ ...figure, what: what[i]! }))
  return {
    why: named(why, ['why, the worst post', 'why, the last one shown']),
    past: named(past, ['rounds a minute ago', 'estate a minute ago', 'a device a minute ago', 'windows a minute ago']),
  }
}

const places: [path: string, useful: string][] = [
  ['/rounds', '.row'],
  ['/estate', '.el-table-v2__row'],
  ['/rollout?part=coverage', 'text=see what'],
  ['/rollout?part=versions', 'text=Who runs which'],
  ['/policy', 'table tbody tr'],
  ['/maintenance', '.short-table tbody tr'],
]
const longest = 20_000

async function inBrowser(page: Page, path: string, useful: string): Promise<Figure> {
  await page.goto('about:blank')
  const began = performance.now()
  await page.goto(`${url}${path}`, { waitUntil: 'commit' })
  const came = await page
    .locator(useful)
    .first()
    .waitFor({ timeout: longest })
    .then(() => true)
    .catch(() => false)
  return { what: path, millis: came ? performance.now() - began : Infinity }
}

async function measure(count: number): Promise<Measured> {
  const name = `estate_${count}`
  const admin = new URL(database)
  const of = new URL(database)
  of.pathname = `/${name}`
  const { default: pg } = await import('pg')
  const client = new pg.Client(admin.href)
  await client.connect()
  await client.query(`create database ${name}`)
  await client.end()

  let server = startServer(of.href)
  await untilUp(server)
  await end(server)
  say(`${count} devices:`)
  const filled = await fill(of.href, count, 500, Date.now(), (text) => say(`  ${text}`))
  server = startServer(of.href)
  await untilUp(server)
  const signedIn = await fetch(`${url}/api/session`, {
    method: 'POST',
    headers: { 'content-type': 'application/json' },
    body: JSON.stringify(lead),
  })
  const cookie = signedIn.headers.get('set-cookie')!.split(';')[0]!
  const policy = await setPolicy(url, cookie, filled)
  say(`  policy of ${policy.assignments} assignments, in force after ${(policy.millis / 1000).toFixed(1)} s`)
  const load = keepReporting(url, filled)
  // Twice through all of them: what is stopped has then lasted for a minute, and stands as an alert.
  await new Promise((resolve) => setTimeout(resolve, 150_000))
  // What comes while nobody has read anything yet is told apart: after a start each device is read once.
  const warming = load.latencies().toSorted((a, b) => a - b)
  const paths = [
    '/api/rounds',
    '/api/devices',
    '/api/devices?order=log',
    '/api/devices?words=desk',
    '/api/rounds/count',
    '/api/coverage',
    '/api/agent-versions',
    '/api/policy',
    '/api/windows?group=over',
    '/api/watchline',
    '/api/policy/grid',
    '/api/find?q=desk',
  ]
  const figures: Figure[] = []
  for (const path of paths) {
    figures.push(await atServer(cookie, path, 20))
    say(`  ${path}: ${figures.at(-1)!.millis.toFixed(0)} ms`)
  }
  const { why, past } = await explained(cookie)
  for (const { what, millis } of [...why, ...past]) say(`  ${what}: ${millis.toFixed(0)} ms`)
  const browser = await chromium.launch({
    executablePath: CUSTODE_CHROMIUM,
    args: ['--no-sandbox', '--disable-gpu', '--disable-background-networking'],
  })
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 } })
  await page.goto(url)
  await page.getByLabel('E-mail address').fill(lead.email)
  await page.getByLabel('Password').fill(lead.password)
  await page.getByRole('button', { name: 'Sign in' }).click()
  await page.getByRole('heading', { name: 'Rounds' }).waitFor({ timeout: longest })
  const seen: Figure[] = []
  for (const [path, useful] of places) {
    seen.push(await inBrowser(page, path, useful))
    say(`  ${path} in the browser: ${text(seen.at(-1)!.millis)}`)
  }
  const keys = await keystrokes(page, url)
  const memory = await pageMemory(page, url, pageMinutes)
  await browser.close()
  const latencies = load.latencies().toSorted((a, b) => a - b)
  const p99 = (sorted: readonly number[]) => sorted[Math.floor(sorted.length * 0.99)] ?? Infinity
  const reports = { p99: p99(latencies), count: latencies.length, warming: p99(warming) }
  const telling = await whoIsTold(of.href, url, cookie)
  say(
    `  who is told of ${telling.open} alerts: rehearsed in ${text(telling.rehearsalMillis)}, decided in ${text(telling.decidedMillis)}`,
  )
  const changes = await largeChanges(of.href, url, cookie, load)
  for (const change of changes)
    say(`  ${change.what}: saved ${text(change.savedMillis)}, in force ${text(change.inForceMillis)}`)
  say(`  reports refused meanwhile: ${load.refused()}`)
  await load.stop()
  const second = startServer(of.href, port + 1)
  await untilUp(second, port + 1)
  const elsewhere = await heldElsewhere(of.href, filled, url, `http://127.0.0.1:${port + 1}`, cookie)
  await end(second)
  say(
    `  what ${elsewhere.held} of ${elsewhere.windows} windows hold, told elsewhere: 99 of 100 within ${text(elsewhere.p99)}`,
  )
  const waiting = await waitingAgents(of.href, url, filled, server.pid!)
  await end(server)
  const silence = await silenceAtNight(of.href)
  say(`  silence of ${silence.quiet}: ${text(silence.roundMillis)} a round`)
  return {
    server: figures,
    why,
    past,
    browser: seen,
    keys,
    memory,
    reports,
    telling,
    changes,
    elsewhere,
    waiting,
    silence,
  }
}

interface Measured {
  server: Figure[]
  why: Figure[]
  past: Figure[]
  browser: Figure[]
  keys: Record<string, number>
  memory: { megabytes: number; grown: number }
  /** `warming`: in the minutes after a start and a policy for all. */
  reports: { p99: number; count: number; warming: number }
  telling: TellingFigure
  changes: ChangeFigure[]
  elsewhere: ElsewhereFigure
  waiting: { agents: number; cpuShare: number; megabytes: number }
  silence: SilenceFigure
}

const verdict = (isMet: boolean) => (isMet ? 'met ' : 'MISS')
function others({ keys, memory, reports, telling, changes, elsewhere, waiting, silence }: Measured): void {
  say('\nOthers')
  for (const [what, millis] of Object.entries(keys))
    say(`  ${verdict(millis <= 100)} ${what}: ${text(millis)} (limit 100 ms)`)
  say(
    `  ${verdict(memory.megabytes < 200)} memory of the page: ${memory.megabytes.toFixed(0)} MB, ${memory.grown >= 0 ? '+' : ''}${memory.grown.toFixed(1)} MB in ${pageMinutes} min of live updates (limit 200 MB after an hour)`,
  )
  say(
    `  ${verdict(reports.p99 < 250)} reports while people read: 99 of 100 of ${reports.count} within ${text(reports.p99)} (limit 250 ms); in the minutes after a start and a policy for all within ${text(reports.warming)}`,
  )
  say(
    `  ${verdict(telling.rehearsalMillis < 2000 && telling.decidedMillis < 5000)} a call-out rule for everything: rehearsed over a fortnight in ${text(telling.rehearsalMillis)} (limit 2 s); of ${telling.open} open alerts decided who is told in ${text(telling.decidedMillis)} (limit 5 s)`,
  )
  const limits = [10_000, 10_000, 2000, 2000]
  changes.forEach(({ what, savedMillis, inForceMillis, slowestReport }, i) => {
    const isMet = savedMillis < 1000 && inForceMillis < limits[i]! && slowestReport < 1000
    say(
      `  ${verdict(isMet)} ${what}: saved ${text(savedMillis)} (limit 1 s), in force ${text(inForceMillis)} (limit ${limits[i]! / 1000} s), slowest report meanwhile ${text(slowestReport)} (limit 1 s)`,
    )
  })
  say(
    `  ${verdict(elsewhere.p99 < 2000 && elsewhere.held === elsewhere.windows)} ${elsewhere.windows} windows saved at one server process, what ${elsewhere.held} of them hold told by another: 99 of 100 within ${text(elsewhere.p99)} (limit 2 s), all within ${text(elsewhere.slowest)}`,
  )
  say(
    `  ${verdict(waiting.cpuShare < 0.05 && waiting.megabytes < 500)} ${waiting.agents} agents waiting: ${(waiting.cpuShare * 100).toFixed(1)} % of a core (limit 5 %), ${waiting.megabytes.toFixed(0)} MB (limit 500 MB)`,
  )
  say(
    `  ${verdict(silence.roundMillis < 200 && silence.toldMillis < 2000)} silence of ${silence.quiet} workstations: ${text(silence.roundMillis)} a round (limit 200 ms), ${text(silence.firstMillis)} the first after a start; a server’s own told in ${text(silence.toldMillis)}`,
  )
}

const text = (millis: number) => (millis === Infinity ? `not within ${longest / 1000} s` : `${millis.toFixed(0)} ms`)
function table(title: string, limit: number, few: readonly Figure[], many: readonly Figure[]): void {
  say(`\n${title} (limit ${limit} ms)`)
  many.forEach((figure, i) => {
    const before = few[i]!
    const size = figure.kilobytes === undefined ? '' : `, ${figure.kilobytes.toFixed(0)} kB`
    say(
      `  ${figure.millis <= limit ? 'met ' : 'MISS'} ${figure.what.padEnd(26)} ${text(figure.millis).padStart(16)}${size}, grown ${(figure.millis / before.millis).toFixed(1)}-fold from ${text(before.millis)}`,
    )
  })
}

try {
  const few = await measure(Math.round(wanted / 10))
  const many = await measure(wanted)
  say(`\nWith ${wanted} devices that report once a minute; growth from ${Math.round(wanted / 10)}.`)
  table('At the server, 95 of 100 answers within', 150, few.server, many.server)
  table('Why, 95 of 100 answers within', 300, few.why, many.why)
  table('The past, 9 of 10 answers within', 1500, few.past, many.past)
  table('In the browser, until there is something useful', 1000, few.browser, many.browser)
  others(many)
  const at = process.argv.indexOf('--json')
  if (at > 0 && process.argv[at + 1])
    writeFileSync(process.argv[at + 1]!, JSON.stringify({ wanted, few, many }, null, 2))
} finally {
  endAll()
}
