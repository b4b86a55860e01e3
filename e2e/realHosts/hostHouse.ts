import { mkdtempSync, rmSync } from 'node:fs'
import { createServer as createHttpServer } from 'node:http'
import { connect, createServer, type AddressInfo, type Socket } from 'node:net'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { setTimeout as wait } from 'node:timers/promises'
import { expect, it } from 'vitest'
import type { AlertView, DevicePage, MadeEnrolmentKey } from '#contract'
import type { Values, WatchSpec } from '#core'
import { root } from '../../launcher/place.mjs'
import { startTimers } from '../../packages/server/src/engine'
import { allJobs } from '../../packages/server/src/jobs'
import { readPublicAddress } from '../../packages/server/src/http/transport'
import { newKey as keyBody, openHouse, type House } from '../../packages/server/src/testing/house'
import { signedByOwnAuthority } from '../../packages/standins/src/certificates'
import { Lan, whyNoRealHosts, type RealHost } from '../../packages/standins/src/realHosts'

/** Why the tests of real hosts are left out; null where they run. Said in the output, and a failure in CI. */
export const leftOut = whyNoRealHosts()
if (leftOut) process.stderr.write(`tests on real hosts are left out: ${leftOut}\n`)

/** A server with a database of its own that real hosts reach over their own network. */
export interface HostHouse {
  house: House
  lan: Lan
  url: string
  /** The authority of its certificate, which no host knows by itself. */
  ca: string
  /** Its site, whose network is the hosts'. */
  siteId: number
  close(): Promise<void>
}

/**
 * It speaks TLS by an authority of its own.
 * @param agentFolder of packaged agents
 * @param knowsCa whether the server was told of that authority, so that its installation script brings it along
 */
export async function openHostHouse(
  interval = 2000,
  agentFolder = join(root, 'dist/agent'),
  knowsCa = true,
): Promise<HostHouse> {
  const lan = await Lan.open()
  const folder = mkdtempSync(join(tmpdir(), 'custode-tls-'))
  const { ca, ...tls } = signedByOwnAuthority(folder, lan.gateway)
  const port = await freePort(lan.gateway)
  const url = `https://${lan.gateway}:${port}`
  const house = await openHouse(agentFolder, interval, { tls, address: readPublicAddress(url, knowsCa ? ca : null) })
  await house.app.listen({ host: lan.gateway, port })
  const [siteId] = house.sites
  await house.lead('PUT', `/api/sites/${siteId}/networks`, { networks: [lan.network] })
  const failures: unknown[] = []
  const stopTimers = startTimers(allJobs(house.pool, house.sending), {
    error: (fields, text) => failures.push([text, fields]),
  })
  return {
    house,
    lan,
    siteId,
    url,
    ca,
    async close() {
      await stopTimers()
      await lan.close()
      // What was cut off never says that it is gone.
      house.app.server.closeAllConnections()
      await house.close()
      rmSync(folder, { recursive: true })
      if (failures.length)
        throw new Error(
          `timers failed: ${JSON.stringify(failures, (_, value: unknown) => (value instanceof Error ? value.stack : value)).slice(0, 2000)}`,
        )
    },
  }
}

function freePort(host: string): Promise<number> {
  const probe = createServer()
  return new Promise((resolve, reject) => {
    probe.once('error', reject).listen(0, host, () => {
      const { port } = probe.address() as AddressInfo
      probe.close(() => {
        resolve(port)
      })
    })
  })
}

/** A proxy beside the server (CONNECT, RFC 9110, section 9.3.6), which leads there and nowhere else. */
export interface Proxy {
  url: string
  /** Where to it was asked for a way. */
  asked: string[]
  close(): Promise<void>
}

export async function openProxy(here: HostHouse): Promise<Proxy> {
  const asked: string[] = []
  const { port } = new URL(here.url)
  const server = createHttpServer().on('connect', (request, client) => {
    asked.push(request.url!)
    if (request.url !== `${here.lan.gateway}:${port}`) return client.end('HTTP/1.1 403 Forbidden\r\n\r\n')
    const way = connect(Number(port), here.lan.gateway, () => {
      client.write('HTTP/1.1 200 Connection established\r\n\r\n')
      way.pipe(client).pipe(way)
    })
    client.on('error', () => way.destroy())
    way.on('error', () => client.destroy())
  })
  const sockets = new Set<Socket>()
  server.on('connection', (socket) => sockets.add(socket))
  await new Promise<void>((resolve) => server.listen(0, here.lan.gateway, resolve))
  return {
    asked,
    url: `http://${here.lan.gateway}:${(server.address() as AddressInfo).port}`,
    async close() {
      for (const socket of sockets) socket.destroy()
      await new Promise((resolve) => server.close(resolve))
    },
  }
}

export async function newKey({ house, siteId }: HostHouse, uses = 1): Promise<string> {
  return (await house.lead<MadeEnrolmentKey>('POST', '/api/enrolment-keys', keyBody(siteId, { uses }))).body.key
}

/**
 * The one line of the page, run on the host as root, once the authority has been brought there.
 * @returns what it said
 */
export async function installAgent(
  here: HostHouse,
  host: RealHost,
  { curl = '--cacert /root/ca.pem', options = '' } = {},
): Promise<string> {
  host.write('/root/ca.pem', here.ca)
  return host.sh(
    `curl -fsSL ${curl} ${here.url}/agent/install.sh | sh -s -- ${await newKey(here)} --name ${host.name} ${options} 2>&1`,
  )
}

/** The page of the device of this name, as a technician gets it. */
export async function pageOf({ house }: HostHouse, name: string): Promise<DevicePage> {
  const { devices: body } = (
    await house.technician<{ devices: { id: number; name: string }[] }>('GET', '/api/devices?limit=500')
  ).body
  const device = body.find((candidate) => candidate.name === name)
  if (!device) throw new Error(`there is no device ${name}`)
  return (await house.technician<DevicePage>('GET', `/api/devices/${device.id}`)).body
}

export async function alertsOf({ house }: HostHouse, deviceId: number): Promise<AlertView[]> {
  return (await house.technician<AlertView[]>('GET', `/api/devices/${deviceId}/alerts`)).body
}

/** A watch that is called by its key. */
export const watchSpec = (key: string, kind: string, values: Values = {}): WatchSpec => ({
  key,
  kind,
  name: key,
  why: '',
  osFamilies: [],
  values,
})

/** A test that is run on all of several hosts at once, and says on which of them it failed. */
export const eachOf = (hosts: () => readonly RealHost[]) => (name: string, test: (host: RealHost) => Promise<void>) =>
  it(name, async () => {
    await Promise.all(
      hosts().map((host) =>
        test(host).catch((error: Error) => {
          throw new Error(`${host.name} (Debian ${host.debian}): ${error.message}`, { cause: error })
        }),
      ),
    )
  })

/** Makes a template of these watches for every device, impatient enough for a test. */
export async function watchFor({ house }: HostHouse, watches: WatchSpec[], name = 'Hosts'): Promise<void> {
  const { id } = (
    await house.lead<{ id: number }>('POST', '/api/templates', {
      name,
      description: '',
      includes: [],
      watches,
    })
  ).body
  const { status, body } = await house.lead('POST', '/api/assignments', {
    templateId: id,
    target: { on: 'everyone' },
    rank: 100,
    values: {},
    dormant: false,
    reason: '',
  })
  if (status !== 200) throw new Error(JSON.stringify(body))
}

/** Where browser tests share the cores, hosts and server are some times slower, and at times they stand still. */
const patience = 6

/** Waits until something is so. @throws Error with what was seen last */
export async function until<T>(
  what: string,
  look: () => Promise<T>,
  isSo: (seen: T) => boolean,
  within = 30_000,
): Promise<T> {
  let seen: T | undefined
  for (const end = Date.now() + patience * within; Date.now() < end; await wait(200)) {
    seen = await look().catch(() => undefined)
    if (seen !== undefined && isSo(seen)) return seen
  }
  throw new Error(
    `${what} did not come within ${(patience * within) / 1000} s; last seen: ${JSON.stringify(seen)?.slice(0, 800)}`,
  )
}

/**
 * What an agent told while something went on.
 * @param look its device's page
 * @returns what came of the work, and the mean of a series over that time, in which a report weighs as much as the time
 *   that it is of: the way of one may be long
 */
export async function toldMeanwhile<T>(
  look: () => Promise<DevicePage>,
  work: Promise<T>,
): Promise<[T, (metric: string, instance?: string) => number]> {
  const seen = new Map<number, [string, string, number][]>()
  let isDone = false
  const done = work.finally(() => {
    isDone = true
  })
  while (!isDone) {
    const { latest } = await look()
    if (latest) seen.set(latest.at, latest.readings)
    await wait(300)
  }
  // The first is of a time before it, too.
  const reports = [...seen]
    .map(([at, readings], i, all) => ({ lasted: at - (all[i - 1]?.[0] ?? at), readings }))
    .slice(1)
  return [
    await done,
    (metric, instance = '') => {
      const of = reports.flatMap(({ lasted, readings }) =>
        readings
          .filter((reading) => reading[0] === metric && reading[1] === instance)
          .map(([, , value]) => ({ lasted, value })),
      )
      expect(of.length, metric).toBeGreaterThan(2)
      const all = of.reduce((sum, { lasted }) => sum + lasted, 0)
      return of.reduce((sum, { lasted, value }) => sum + value * lasted, 0) / all
    },
  ]
}
