import { execFileSync, spawnSync } from 'node:child_process'
import { randomBytes } from 'node:crypto'
import { existsSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { buildFirst, isBuilt } from './build.mjs'
import { ensureRealHosts } from './debian.mjs'
import { forget, makeFolder, placeOf, placesOf, root } from './place.mjs'
import { startPostgres, stopLeftover } from './postgres.mjs'
import {
  agentPath,
  endLeftovers,
  lastWords,
  launcherOf,
  requirePort,
  programPath,
  start,
  untilServing,
} from './programs.mjs'
import { PlainError, step } from './say.mjs'

const names = ['agent', 'fleet', 'hosts', 'large', 'messages', 'realHosts', 'server', 'server2']
export const demoLead = { email: 'lead@lanternfield.example', name: 'Mara Velde', password: 'lantern-at-dusk' }

/**
 * Everything that an environment of our own needs, for the demo and for tests alike.
 * @param {{ place: string, databaseUrl: string, port: number, interval: number, name?: string }} settings
 * @param {Record<string, string>} [more] settings of the server beyond these
 */
export function startServer({ place, databaseUrl, port, interval, name = 'server' }, more = {}) {
  return start(place, name, [programPath('server')], {
    CUSTODE_DATABASE: databaseUrl,
    CUSTODE_PORT: String(port),
    CUSTODE_MIGRATIONS: join(root, 'packages/server/src/db/migrations'),
    CUSTODE_WEB: join(root, 'dist/web'),
    CUSTODE_AGENTS: join(root, 'dist/agent'),
    CUSTODE_KEYS: join(place, 'keys'),
    CUSTODE_FIRST_LEAD: [demoLead.email, demoLead.name, demoLead.password].join('\n'),
    CUSTODE_INTERVAL: String(interval),
    CUSTODE_PAST_WINDOWS: '1',
    CUSTODE_VERSION: JSON.parse(readFileSync(join(root, 'package.json'), 'utf8')).version,
    ...more,
  })
}

/**
 * What the stand-in machines take at the sign-in, made once for each installation: they run what they are told.
 * @param {string} place
 */
export function hostsSecret(place) {
  const file = join(place, 'hosts.secret')
  if (!existsSync(file)) writeFileSync(file, randomBytes(18).toString('base64url'), { mode: 0o600 })
  return { CUSTODE_HOSTS_PASSWORD: readFileSync(file, 'utf8') }
}

/**
 * @param {string} url @param {string} place @param {{ page: number, smtp: number, inbox: number }} messages ports of
 * the stand-ins for mail and webhook, and where the server takes mail
 * @returns {{ fleet: Record<string, string>, here: string }}
 */
export function seed(url, place, messages) {
  const { page, smtp, inbox } = messages
  return JSON.parse(
    execFileSync(
      process.execPath,
      [programPath('seed'), url, demoLead.email, demoLead.password, String(page), String(smtp), String(inbox)],
      {
        encoding: 'utf8',
        stdio: ['ignore', 'pipe', 'inherit'],
        env: { ...process.env, ...hostsSecret(place) },
      },
    ),
  )
}

/** @param {string} place @param {import('./programs.mjs').Running} fleet @param {(percent: number) => void} progress */
export async function untilReporting(place, fleet, progress) {
  const log = join(place, 'fleet.log')
  const from = existsSync(log) ? readFileSync(log, 'utf8').lastIndexOf('ready\n') : -1
  let shown = -1
  for (;;) {
    const text = readFileSync(log, 'utf8')
    if (text.lastIndexOf('ready\n') > from) return
    if (fleet.exited()) throw new PlainError(`The stand-in devices did not start: ${lastWords(place, 'fleet')}`)
    const percent = Number(/history (\d+)\n$/.exec(text)?.[1] ?? -1)
    if (percent !== shown && percent >= 0) progress((shown = percent))
    await new Promise((resolve) => setTimeout(resolve, 100))
  }
}

/** How many real hosts were asked for. */
function realHostsWanted() {
  const at = process.argv.indexOf('--real-hosts')
  if (at < 0) return 0
  const count = Number(process.argv[at + 1])
  if (!Number.isInteger(count) || count < 1 || count > 9)
    throw new PlainError('--real-hosts takes a number from 1 to 9, such as --real-hosts 3')
  const why = ensureRealHosts()
  if (why) throw new PlainError(`There can be no real hosts here: ${why}`)
  return count
}

/**
 * @typedef {{ network: string, gateway: string, ca: string, hosts: { name: string, address: string, system: string,
 * user: string, password: string }[] }} RealHosts
 */

/**
 * Boots them. They reach the server over TLS, by an authority of the demo's own.
 * @param {string} place @param {number} port @param {number} count @param {import('./programs.mjs').Running[]} running
 * @returns {Promise<RealHosts>}
 */
async function bootRealHosts(place, port, count, running) {
  step('booting real hosts (making their Debian takes some minutes, once)…')
  const file = join(place, 'realHosts.json')
  rmSync(file, { force: true })
  const program = start(place, 'realHosts', [
    programPath('realHosts'),
    String(count),
    String(port),
    file,
    join(place, 'certificates'),
  ])
  running.push(program)
  while (!existsSync(file)) {
    if (program.exited())
      throw new PlainError(
        `The real hosts did not start: ${readFileSync(join(place, 'realHosts.log'), 'utf8').trim().split('\n').pop()}`,
      )
    await new Promise((resolve) => setTimeout(resolve, 200))
  }
  return JSON.parse(readFileSync(file, 'utf8'))
}

/**
 * What the server has to know for them to reach it.
 * @param {string} place
 * @param {number} port
 * @param {RealHosts} real
 * @returns {Record<string, string>}
 */
function reachedByRealHosts(place, port, real) {
  const ca = join(place, 'certificates', 'ca.pem')
  writeFileSync(ca, real.ca)
  return { CUSTODE_ADDRESS: `https://${real.gateway}:${port}`, CUSTODE_CA: ca }
}

/**
 * Makes their network known as a site, with their sign-ins, so that a sweep finds them and a wave reaches them.
 * @param {string} url @param {RealHosts} found
 */
async function addRealHosts(url, found) {
  const session = await fetch(`${url}/api/session`, {
    method: 'POST',
    headers: { 'content-type': 'application/json' },
    body: JSON.stringify({ email: demoLead.email, password: demoLead.password }),
  })
  const cookie = session.headers.get('set-cookie')?.split(';')[0] ?? ''
  /** @param {string} method @param {string} path @param {object} [body] @returns {Promise<any>} */
  const call = async (method, path, body) =>
    (
      await fetch(`${url}${path}`, {
        method,
        headers: { cookie, ...(body ? { 'content-type': 'application/json' } : {}) },
        ...(body ? { body: JSON.stringify(body) } : {}),
      })
    ).json()
  const client = (await call('GET', '/api/clients')).find((/** @type {{ code: string }} */ each) => each.code === 'lf')
  if (!client) return
  const siteId =
    client.sites.find((/** @type {{ name: string }} */ each) => each.name === 'Real hosts')?.id ??
    (await call('POST', '/api/sites', { clientId: client.id, name: 'Real hosts', zone: 'Europe/Lisbon' })).id
  await call('PUT', `/api/sites/${siteId}/networks`, { networks: [found.network] })
  // Each has a password of its own; those of an earlier run open nothing any more.
  for (const old of await call('GET', '/api/credentials'))
    if (old.siteId === siteId) await call('DELETE', `/api/credentials/${old.id}`)
  for (const host of found.hosts)
    await call('POST', '/api/credentials', {
      clientId: client.id,
      siteId,
      name: host.name,
      userName: host.user,
      kind: 'password',
      secret: host.password,
    })
}

/** @returns {Promise<{ rest: Promise<void> }>} what may take longer than a server needs to start */
async function build() {
  if (isBuilt()) return { rest: Promise.resolve() }
  step('building…')
  return buildFirst()
}

/** Server processes on one database, each at a port of its own: `--servers 2`. */
function serversWanted() {
  const at = process.argv.indexOf('--servers')
  if (at < 0) return 1
  const count = Number(process.argv[at + 1])
  if (count !== 1 && count !== 2) throw new PlainError('--servers takes 1 or 2.')
  return count
}

/**
 * How many devices a large estate is to have, instead of the small one with a panel: CUSTODE_ESTATE. 0: the small one.
 * Every size has a database of its own, so that going from one to another loses nothing.
 */
function largeEstate() {
  const text = process.env.CUSTODE_ESTATE ?? ''
  if (text === '') return 0
  const count = Number(text)
  if (!Number.isInteger(count) || count < 100 || count > 20_000)
    throw new PlainError('CUSTODE_ESTATE takes how many devices there are to be, from 100 to 20000, such as 2000.')
  return count
}

/** @returns {string} where the demo of this size keeps what it has */
const demoPlace = () => placeOf(largeEstate() ? `demo${largeEstate()}` : 'demo')

/**
 * The devices of a large estate, filled in at the first start.
 * @param {string} place @param {string} databaseUrl @param {string} url
 */
async function startLarge(place, databaseUrl, url) {
  const { email, password } = demoLead
  const log = join(place, 'large.log')
  rmSync(log, { force: true })
  const program = start(place, 'large', [
    programPath('large'),
    databaseUrl,
    url,
    String(largeEstate()),
    email,
    password,
  ])
  let shown = ''
  for (;;) {
    const last = existsSync(log) ? (readFileSync(log, 'utf8').trim().split('\n').pop() ?? '') : ''
    if (last === 'ready') return program
    if (program.exited()) throw new PlainError(`The large estate was not made: ${lastWords(place, 'large')}`)
    if (last !== shown) step((shown = last))
    await new Promise((resolve) => setTimeout(resolve, 200))
  }
}

/**
 * The small estate of the demo: seeded at the first start, a fleet of stand-in devices with its panel, the hosts that
 * sweeps find, and one real agent.
 * @param {{ place: string, databaseUrl: string, url: string, panelPort: number,
 * real: RealHosts | null, reached: Record<string, string>,
 * running: import('./programs.mjs').Running[] }} demo
 */
async function startSmall({ place, databaseUrl, url, panelPort, real, reached, running }) {
  const agentHome = join(place, 'agent')
  const seededFile = join(place, 'seeded')
  const messages = messagePorts(panelPort)
  const ports = [messages.page, messages.smtp, messages.inbox].map(String)
  running.push(start(place, 'messages', [programPath('messages'), ...ports]))
  let keys = /** @type {{ fleet: Record<string, string>, here: string } | null} */ (null)
  const isFirst = !existsSync(seededFile)
  if (isFirst) {
    step('setting up clients, policies and windows…')
    keys = seed(url, place, messages)
    makeFolder(agentHome)
    writeFileSync(seededFile, JSON.stringify(keys), { mode: 0o600 })
  }
  keys = /** @type {{ fleet: Record<string, string>, here: string }} */ (JSON.parse(readFileSync(seededFile, 'utf8')))
  if (!existsSync(join(agentHome, 'identity.json')))
    execFileSync(
      process.execPath,
      [agentPath, 'enroll', '--server', url, '--key', keys.here, '--home', agentHome, '--name', 'lf-workshop-1'],
      { stdio: ['ignore', 'ignore', 'inherit'] },
    )
  const fleet = start(place, 'fleet', [programPath('fleet'), url, join(place, 'fleet.json')], {
    CUSTODE_FLEET_KEYS: JSON.stringify(keys.fleet),
    CUSTODE_PANEL_PORT: String(panelPort),
  })
  running.push(fleet)
  running.push(
    start(place, 'hosts', [programPath('hosts'), join(place, 'hosts'), String(panelPort + 1)], {
      ...hostsSecret(place),
      NODE_EXTRA_CA_CERTS: reached.CUSTODE_CA,
    }),
  )
  const tty = process.stdout.isTTY
  let next = 0
  await untilReporting(place, fleet, (percent) => {
    if (tty) process.stdout.write(`\r  bringing the history of the stand-in devices: ${percent} %   `)
    else if (percent >= next) {
      step(`bringing history: ${percent} %`)
      next = percent + 20
    }
  })
  if (tty) process.stdout.write('\n')
  if (isFirst) {
    step('bringing what was before that, from a file for each client…')
    const { email, password } = demoLead
    const older = [programPath('older'), url, email, password, join(place, 'fleet.json'), databaseUrl]
    execFileSync(process.execPath, older, { stdio: ['ignore', 'ignore', 'inherit'] })
  }
  running.push(start(place, 'agent', [agentPath, 'run', '--home', agentHome, '--no-refresh']))
  if (real) await addRealHosts(url, real)
}

/**
 * Behind those of the panel, the hosts and a second server; `inbox` is where the server itself takes mail.
 * @param {number} panelPort
 */
export const messagePorts = (panelPort) => ({ page: panelPort + 3, smtp: panelPort + 4, inbox: panelPort + 5 })

export async function demo() {
  const wanted = realHostsWanted()
  const servers = serversWanted()
  const port = Number(process.env.CUSTODE_PORT ?? 7700)
  const panelPort = Number(process.env.CUSTODE_PANEL_PORT ?? 7701)
  const place = demoPlace()
  const other = launcherOf(place)
  if (other !== null)
    throw new PlainError(
      `The demo of this clone is running already (process ${other}). Stop it with Ctrl-C there, or with “./custode stop”.`,
    )
  const built = await build()
  if (existsSync(place) && (await endLeftovers(place, names))) step('ended what an earlier run had left behind')
  await requirePort(port, 'Custode', 'CUSTODE_PORT')
  await requirePort(panelPort, 'the panel of the demo', 'CUSTODE_PANEL_PORT')
  for (const each of Object.values(messagePorts(panelPort)))
    await requirePort(each, 'the mails of the demo', 'CUSTODE_PANEL_PORT')
  // A first start that was broken off while setting up would leave half a demo: begin anew.
  if (existsSync(place) && !existsSync(join(place, 'seeded'))) {
    await stopLeftover(join(place, 'database'))
    forget(place)
  }
  step('starting the database…')
  const database = await startPostgres(place)
  writeFileSync(join(place, 'launcher.pid'), String(process.pid))
  /** @type {import('./programs.mjs').Running[]} */
  const running = []
  let stopping = false
  const stop = async () => {
    if (stopping) return
    stopping = true
    process.stdout.write('\n')
    step('stopping…')
    for (const program of running.reverse()) await program.stop()
    await database.stop()
  }
  const stopped = new Promise((/** @type {(value: void) => void} */ resolve) => {
    for (const signal of /** @type {const} */ (['SIGINT', 'SIGTERM', 'SIGHUP']))
      process.on(signal, () => void stop().then(resolve))
  })
  try {
    const url = `http://127.0.0.1:${port}`
    const real = wanted ? await bootRealHosts(place, port, wanted, running) : null
    const reached = real ? reachedByRealHosts(place, port, real) : {}
    const interval = largeEstate() ? 60_000 : 15_000
    const server = startServer(
      { place, databaseUrl: database.url, port, interval },
      { ...reached, CUSTODE_MAIL_PORT: String(messagePorts(panelPort).inbox) },
    )
    running.push(server)
    await untilServing(url, server, place)
    const both = [server]
    const secondPort = panelPort + 2
    if (servers === 2) {
      await requirePort(secondPort, 'the second server', 'CUSTODE_PANEL_PORT')
      const second = startServer(
        { place, databaseUrl: database.url, port: secondPort, interval, name: 'server2' },
        reached,
      )
      running.push(second)
      both.push(second)
      await untilServing(`http://127.0.0.1:${secondPort}`, second, place)
    }
    if (largeEstate()) {
      running.push(await startLarge(place, database.url, url))
      writeFileSync(join(place, 'seeded'), '{}', { mode: 0o600 })
    } else await startSmall({ place, databaseUrl: database.url, url, panelPort, real, reached, running })
    await built.rest
    process.stdout.write(`
Custode is running.

  ${url}${servers === 2 ? ` and http://127.0.0.1:${secondPort}, the same` : ''}        sign in as
      ${demoLead.email}     ${demoLead.password}   lead
${
  largeEstate()
    ? ''
    : `      ines@lanternfield.example     ${demoLead.password}   technician
      harbour@tidemill.example      ${demoLead.password}   contact of Tidemill Ferries
`
}${
      largeEstate()
        ? `  ${largeEstate()} devices that report once a minute`
        : `  http://127.0.0.1:${panelPort}        make things happen on the stand-in devices
  http://127.0.0.1:${messagePorts(panelPort).page}        read the mails of the demo, and write as somebody of a client`
    }

${real ? `\n  Real hosts at Lanternfield IT, Real hosts (${real.network}); they reach Custode at ${reached.CUSTODE_ADDRESS}, by the authority in ${reached.CUSTODE_CA}\n${real.hosts.map((host) => `      ${host.name}   ${host.address}   ${host.system}   ssh ${host.user}, password ${host.password}\n`).join('')}` : ''}
  Ctrl-C stops everything; the data stays. “./custode reset” forgets it.
`)
    await Promise.race([
      stopped,
      ...both.map(({ name, ended }) =>
        ended.then(async (code) => {
          if (stopping) return stopped
          await stop()
          throw new PlainError(`The ${name} ended by itself (${code}). Its last words:\n${lastWords(place, name)}`)
        }),
      ),
    ])
  } catch (error) {
    if (!stopping) await stop()
    throw error
  }
}

/** @param {string} place */
async function stopAt(place) {
  const launcher = launcherOf(place)
  if (launcher !== null) {
    // It stops all of its own in order.
    process.kill(launcher, 'SIGTERM')
    for (let i = 0; i < 300 && existsSync(`/proc/${launcher}`); i++)
      await new Promise((resolve) => setTimeout(resolve, 50))
  }
  await endLeftovers(place, names)
  await stopLeftover(join(place, 'database'))
}

/** Demos of every size. */
export async function stopDemo() {
  for (const place of placesOf('demo')) await stopAt(place)
  // What a run that was killed left mounted or running.
  if (existsSync(programPath('realHosts'))) spawnSync(process.execPath, [programPath('realHosts'), 'remove'])
}

export async function reset() {
  await stopDemo()
  for (const place of placesOf('demo')) forget(place)
  step('the demo is forgotten')
}
