import type { AddressInfo } from 'node:net'
import { join } from 'node:path'
import { setTimeout as wait } from 'node:timers/promises'
import type { AlertView, DevicePage, MadeEnrolmentKey } from '#contract'
import type { WatchSpec } from '#core'
import { root } from '../../launcher/place.mjs'
import { startTimers } from '../../packages/server/src/engine'
import { openHouse, type House } from '../../packages/server/src/testing/house'
import { Lan, whyNoRealHosts, type RealHost } from '../../packages/standins/src/realHosts'

/** Why the tests of real hosts are left out; null where they run. Said in the output, and a failure in CI. */
export const leftOut = whyNoRealHosts()
if (leftOut) process.stderr.write(`tests on real hosts are left out: ${leftOut}\n`)

/** A server with a database of its own that real hosts reach over their own network. */
export interface HostHouse {
  house: House
  lan: Lan
  url: string
  /** Its site, whose network is the hosts'. */
  siteId: number
  close(): Promise<void>
}

/** @param agentFolder of packaged agents */
export async function openHostHouse(interval = 2000, agentFolder = join(root, 'dist/agent')): Promise<HostHouse> {
  const lan = await Lan.open()
  const house = await openHouse(agentFolder, interval)
  await house.app.listen({ host: lan.gateway, port: 0 })
  const { port } = house.app.server.address() as AddressInfo
  const [siteId] = house.sites
  await house.lead('PUT', `/api/sites/${siteId}/networks`, { networks: [lan.network] })
  const failures: unknown[] = []
  const stopTimers = startTimers(house.pool, { error: (fields, text) => failures.push([text, fields]) })
  return {
    house, lan, siteId,
    url: `http://${lan.gateway}:${port}`,
    async close() {
      await stopTimers()
      await lan.close()
      await house.close()
      if (failures.length) throw new Error(`timers failed: ${JSON.stringify(failures, (_, value: unknown) => (value instanceof Error ? value.stack : value)).slice(0, 2000)}`)
    },
  }
}

export async function newKey({ house, siteId }: HostHouse, uses = 1): Promise<string> {
  return (await house.lead<MadeEnrolmentKey>('POST', '/api/enrolment-keys', { siteId, clientId: null, label: '', uses, days: 1, kind: 'server', roles: [], tags: [] })).body.key
}

/** The one line of the page, run on the host as root. @returns what it said */
export async function installAgent(here: HostHouse, host: RealHost, options = ''): Promise<string> {
  return host.sh(`curl -fsSL ${here.url}/agent/install.sh | sh -s -- ${await newKey(here)} --name ${host.name} ${options} 2>&1`)
}

/** The page of the device of this name, as a technician gets it. */
export async function pageOf({ house }: HostHouse, name: string): Promise<DevicePage> {
  const { body } = await house.technician<{ id: number; name: string }[]>('GET', '/api/devices')
  const device = body.find((one) => one.name === name)
  if (!device) throw new Error(`there is no device ${name}`)
  return (await house.technician<DevicePage>('GET', `/api/devices/${device.id}`)).body
}

export async function alertsOf({ house }: HostHouse, deviceId: number): Promise<AlertView[]> {
  return (await house.technician<AlertView[]>('GET', `/api/devices/${deviceId}/alerts`)).body
}

/** Makes a template of these watches for every device, impatient enough for a test. */
export async function watchFor({ house }: HostHouse, watches: WatchSpec[]): Promise<void> {
  const { id } = (await house.lead<{ id: number }>('POST', '/api/templates', { name: 'Hosts', description: '', includes: [], watches })).body
  const { status, body } = await house.lead('POST', '/api/assignments', { templateId: id, target: { on: 'everyone' }, rank: 100, values: {}, dormant: false, reason: '' })
  if (status !== 200) throw new Error(JSON.stringify(body))
}

/** Waits until something is so. @throws Error with what was seen last */
export async function until<T>(what: string, look: () => Promise<T>, isSo: (seen: T) => boolean, within = 30_000): Promise<T> {
  let seen: T | undefined
  for (const end = Date.now() + within; Date.now() < end; await wait(200)) {
    seen = await look().catch(() => undefined)
    if (seen !== undefined && isSo(seen)) return seen
  }
  throw new Error(`${what} did not come within ${within / 1000} s; last seen: ${JSON.stringify(seen)?.slice(0, 800)}`)
}
