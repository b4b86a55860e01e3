import { spawn, type ChildProcess } from 'node:child_process'
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import type { Enrolment } from '#contract/report'
import { agentCost } from './agent'
import { enrolments } from './enrolments'
import { impactOverApi } from './impact'
import { throughput, type Sender } from './load'
import { coverFigures } from './cover'
import { rosterFigures } from './rosters'

const { CUSTODE_ROOT: root = '' } = process.env
const say = (text: string) => process.stdout.write(`${text}\n`)
const barePort = 17_790
const port = 17_791
const url = `http://127.0.0.1:${port}`
const lead = { email: 'lead@lanternfield.example', password: 'only for this measurement' }
const running: ChildProcess[] = []

function start(program: string, onPort: number): void {
  running.push(
    spawn(process.execPath, [join(root, 'dist', program)], {
      stdio: ['ignore', 'ignore', 'inherit'],
      env: {
        ...process.env,
        CUSTODE_PORT: String(onPort),
        CUSTODE_MIGRATIONS: join(root, 'packages/server/src/db/migrations'),
        CUSTODE_FIRST_LEAD: `${lead.email}\nLead\n${lead.password}`,
        CUSTODE_INTERVAL: '2000',
        CUSTODE_KEYS: mkdtempSync(join(tmpdir(), 'custode-bench-keys-')),
      },
    }),
  )
}
async function untilUp(address: string): Promise<void> {
  for (let i = 0; i < 100; i++) {
    if (await fetch(address).catch(() => null)) return
    await new Promise((resolve) => setTimeout(resolve, 100))
  }
  throw new Error(`${address} does not answer`)
}
let cookie = ''
async function post<T>(path: string, body: unknown): Promise<T> {
  const response = await fetch(`${url}${path}`, {
    method: 'POST',
    headers: { 'content-type': 'application/json', cookie },
    body: JSON.stringify(body),
  })
  if (!response.ok) throw new Error(`${path}: ${await response.text()}`)
  cookie = response.headers.get('set-cookie')?.split(';')[0] ?? cookie
  return (await response.json()) as T
}
const median = (values: number[]) => [...values].sort((a, b) => a - b)[Math.floor(values.length / 2)]!

/** Before anything else runs on this machine. */
function rosters() {
  say(
    'Rosters on one core: 60 assignments of 40 templates with 400 watches, and an exception for every thirtieth device.',
  )
  rosterFigures(1000)
  const [few, many] = [rosterFigures(1000), rosterFigures(10_000)]
  const millis = (seconds: number) => `${(seconds * 1000).toFixed(seconds < 0.01 ? 2 : 0)} ms`
  for (const count of [few, many])
    say(
      `  ${count.devices} devices, ${count.watches.toFixed(0)} watches each, ${count.distinct} with a roster of their own: all in ${millis(count.all)} (trying the targets alone ${millis(count.bare)}, so ${(count.all / count.bare).toFixed(1)} times that); impact of an edit for every server ${millis(count.wide)}, for one role ${millis(count.narrow)}`,
    )
  for (const [what, measured] of [
    ['that has seen the others', many.next],
    ['that has seen none before', many.first],
  ] as const)
    say(
      `  one device of a policy ${what}: ${millis(measured.median)} in the median, ${millis(measured.worst)} for the slowest but three of 300 (limit 1 ms)`,
    )
  const growth = { all: many.all / few.all, wide: many.wide / few.wide }
  say(
    `  from 1,000 to 10,000 devices: all rosters × ${growth.all.toFixed(1)},
     impact × ${growth.wide.toFixed(1)} (limit 11; limits at 10,000 devices 1 s each)`,
  )
  return { few, many, growth }
}
/** Also alone, with `--cover`. */
function cover() {
  coverFigures(1000, 200)
  const found = coverFigures(10_000, 200)
  const millis = (seconds: number) => `${(seconds * 1000).toFixed(0)} ms`
  say(
    `Cover on one core: ${found.posts} posts of ${found.devices} devices under ${found.windows} windows, a quarter of which repeat: ${millis(found.all)}, ${found.covered} of them covered (limit 200 ms; trying the targets alone ${millis(found.bare)}, so ${(found.all / found.bare).toFixed(1)} times that); the next five times of each that repeats ${millis(found.next)}`,
  )
  return found
}
const reportsAlone = process.argv.includes('--reports')
const coverResults = reportsAlone ? null : cover()
if (process.argv.includes('--cover')) process.exit(0)
const rosterResults = reportsAlone ? null : rosters()

/** What was asked for is measured. */
class Enough extends Error {}
const home = mkdtempSync(join(tmpdir(), 'custode-bench-'))
try {
  start('bench/bare.mjs', barePort)
  start('programs/server.mjs', port)
  await untilUp(`http://127.0.0.1:${barePort}`)
  await untilUp(`${url}/api/session`)
  await post('/api/session', lead)
  const { id: clientId } = await post<{ id: number }>('/api/clients', { name: 'Bench', code: 'bn' })
  const { id: siteId } = await post<{ id: number }>('/api/sites', { clientId, name: 'Bench', zone: 'UTC' })
  const { fromLibrary, libraryTemplates } = await import('#core')
  const { id: templateId } = await post<{ id: number }>('/api/templates', fromLibrary(libraryTemplates[0]!))
  await post('/api/assignments', {
    templateId,
    target: { on: 'everyone' },
    rank: 100,
    values: {},
    dormant: false,
    reason: '',
  })
  const { key } = await post<{ key: string }>('/api/enrolment-keys', {
    siteId,
    label: '',
    uses: 100,
    days: 1,
    kind: 'server',
    roles: [],
    tags: [],
  })
  const senders: Sender[] = []
  for (let i = 0; i < 32; i++) {
    const { deviceKey } = await post<Enrolment>('/api/agent/enrol', {
      version: 1,
      key,
      name: `bench-${i}`,
      osFamily: 'linux',
      osName: 'Debian 12',
      sentAt: Date.now(),
    })
    senders.push({ path: '/api/agent/reports', key: deviceKey, seq: 0 })
  }
  const bareSenders = senders.map((_, i) => ({ path: `/${i}`, key: '', seq: 0 }))

  say(
    'Reports of 50 values a second, 32 at a time, one report a request; load generator and database on the same machine.',
  )
  const rounds: { bare: number; full: number; ratio: number; p99: number }[] = []
  for (let round = 1; round <= 3; round++) {
    const bare = (await throughput(`http://127.0.0.1:${barePort}`, bareSenders, 5)).perSecond
    const { perSecond: full, p99 } = await throughput(url, senders, 5)
    rounds.push({ bare, full, ratio: full / bare, p99 })
    say(
      `  round ${round}: bare route with one durable insert ${bare.toFixed(0)}/s, Custode (10 watches a device) ${full.toFixed(0)}/s, 99 of 100 within ${p99.toFixed(0)} ms; ratio ${(full / bare).toFixed(2)}`,
    )
  }
  const ratio = median(rounds.map((round) => round.ratio))
  say(`  ratio, median: ${ratio.toFixed(2)} (limit 0.8; 99 of 100 within 250 ms)`)
  if (reportsAlone) throw new Enough()

  const crowdKey = await post<{ key: string }>('/api/enrolment-keys', {
    siteId,
    label: '',
    uses: 1000,
    days: 1,
    kind: 'server',
    roles: [],
    tags: [],
  })
  await post('/api/standing-rules', {
    name: 'Crowd',
    when: { clientId, siteId: null, kind: null, osFamily: null, namePattern: 'crowd-*', network: null },
    roles: [],
    tags: ['crowd'],
    takeDetected: true,
    notify: [],
  })
  say(
    '1,000 machines enrol at once with one key and send their first report; a standing rule gives them a tag and the roles seen:',
  )
  const crowd = await enrolments(url, crowdKey.key, cookie, 1000)
  const bareRate = median(rounds.map((round) => round.bare))
  say(
    `  ${crowd.enrolled} in, ${crowd.distinct} devices, all within ${(crowd.millisToAll / 1000).toFixed(1)} s: ${crowd.perSecond.toFixed(0)}/s, ratio to the bare route ${(crowd.perSecond / bareRate).toFixed(3)}`,
  )
  say(
    `  roster in force (${crowd.watches} watches) after ${(crowd.rosterMillis.median / 1000).toFixed(1)} s in the median, ${(crowd.rosterMillis.worst / 1000).toFixed(1)} s at worst (limit 10 s)`,
  )

  const asked = await impactOverApi(url, cookie, templateId, 10_000)
  say(
    `An edit of a template that ${asked.devices} devices get, over the API: its impact after ${asked.impactMillis.toFixed(0)} ms (limit 1 s), saved and in force after ${asked.changeMillis.toFixed(0)} ms`,
  )

  say('The real agent on this machine, a report every 2 s for 40 s:')
  const agent = await agentCost(root, home, url, key, 2000, 40)
  say(
    `  ${agent.cpuMillisPerReport.toFixed(1)} ms of CPU a report, so ${(agent.cpuShareAt60s * 100).toFixed(3)} % of one core at an interval of 60 s (limit 1 %), with the daily look for updates (${(agent.dailyLookMillis / 1000).toFixed(1)} s of CPU) in it`,
  )
  say(
    `  ${agent.residentMegabytes.toFixed(0)} MB resident, ${agent.peakMegabytes.toFixed(0)} MB at its peak (limit 60 MB)`,
  )

  const at = process.argv.indexOf('--json')
  if (at > 0 && process.argv[at + 1])
    writeFileSync(
      process.argv[at + 1]!,
      JSON.stringify(
        {
          rosters: rosterResults,
          cover: coverResults,
          reports: { rounds, ratio },
          enrolments: { ...crowd, ratio: crowd.perSecond / bareRate },
          impact: asked,
          agent,
        },
        null,
        2,
      ),
    )
} catch (error) {
  if (!(error instanceof Enough)) throw error
} finally {
  for (const child of running) child.kill()
  rmSync(home, { recursive: true })
}
