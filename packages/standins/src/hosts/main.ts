import { randomBytes } from 'node:crypto'
import { existsSync, readFileSync } from 'node:fs'
import { createServer } from 'node:http'
import { join } from 'node:path'
import type { Enrolment } from '#contract/report'
import { openHosts, plannedHosts } from './hosts'
import { openSshHost, rootOf, type SshHost, type Trouble } from './sshHost'
import { openWindowsHost, type WindowsHost } from './windowsHost'

/**
 * Machines for a sweep to find, and machines that take an agent over SSH or Windows' remote management, some of them
 * with a trouble.
 */
const [folder = '/tmp/custode-hosts', port = '7702'] = process.argv.slice(2)
const troubles: Trouble[] = [
  null,
  null,
  'refuses the password',
  null,
  'has no space',
  null,
  'gives no rights',
  'is another system',
  'is slow',
  null,
]
// They run what they are told, so nobody but this installation may tell them.
const password = process.env.CUSTODE_HOSTS_PASSWORD ?? randomBytes(18).toString('base64url')
const machines: SshHost[] = troubles.map((trouble, i) => ({
  address: `127.21.0.${11 + i}`,
  trouble,
  user: 'root',
  password,
}))

const windowsTroubles: WindowsHost['trouble'][] = [null, 'gives no rights', 'refuses the password', 'has no space']
const windows: WindowsHost[] = windowsTroubles.map((trouble, i) => ({
  address: `127.22.0.${3 + i}`,
  trouble,
  user: 'root',
  password,
}))

type Opened = Awaited<ReturnType<typeof openSshHost>>
const opened = new Map<string, Opened>()

interface Standing {
  server: string
  deviceKey: string
  interval: number
  seq: number
  facts: object
}

/**
 * Reports for a machine with the key of its agent: the same protocol, less load. Ends when the server takes no more
 * from it.
 */
async function reportFor({ server, deviceKey, interval, seq, facts }: Standing): Promise<void> {
  for (let next = seq; ;) {
    const report = { seq: next, at: Date.now(), interval, readings: [['cpu.busy', '', 0.04]], facts }
    const answer = await fetch(`${server}/api/agent/reports`, {
      method: 'POST',
      headers: { 'content-type': 'application/json', authorization: `Bearer ${deviceKey}` },
      body: JSON.stringify({ version: 1, sentAt: Date.now(), oldest: next, reports: [report] }),
    }).catch(() => null)
    if (answer?.ok) next = ((await answer.json()) as { acknowledged: number }).acknowledged + 1
    await new Promise((resolve) => setTimeout(resolve, interval))
  }
}

/** An agent is really installed on a machine with SSH, into a folder of its own; then something reports for it. */
async function reportWhenInstalled(address: string): Promise<void> {
  const home = join(rootOf(folder, address), 'var/lib/custode-agent')
  while (!existsSync(join(home, 'identity.json'))) await new Promise((resolve) => setTimeout(resolve, 1000))
  const { server, deviceKey, interval, name } = JSON.parse(readFileSync(join(home, 'identity.json'), 'utf8')) as {
    server: string
    deviceKey: string
    interval: number
    name: string
  }
  await reportFor({
    server,
    deviceKey,
    interval,
    seq: Number(readFileSync(join(home, 'sequence'), 'utf8')) + 1,
    facts: {
      system: {
        osFamily: 'linux',
        osName: 'Debian 12',
        hostName: name,
        cores: 2,
        agentVersion: '0.1.0',
        serviceManager: 'systemd',
        startsAtBoot: true,
        addresses: [address],
      },
    },
  })
}

/** What the installation script does on Windows, as far as the server sees it. */
async function installOnWindows(
  { address }: WindowsHost,
  { server, key, name }: { server: string; key: string; name: string },
): Promise<void> {
  const system = { osFamily: 'windows', osName: 'Windows Server 2022 Standard' }
  const response = await fetch(`${server}/api/agent/enrol`, {
    method: 'POST',
    headers: { 'content-type': 'application/json' },
    body: JSON.stringify({ version: 1, key, name, ...system, addresses: [address], sentAt: Date.now() }),
  })
  const enrolment = (await response.json()) as Enrolment & { detail?: string }
  if (!response.ok) throw new Error(enrolment.detail)
  const facts = {
    system: {
      ...system,
      hostName: name,
      cores: 4,
      agentVersion: '0.2.0',
      serviceManager: 'windows',
      startsAtBoot: true,
      addresses: [address],
    },
  }
  void reportFor({
    server,
    deviceKey: enrolment.deviceKey,
    interval: enrolment.settings.interval,
    seq: enrolment.firstSeq,
    facts,
  })
}

/** What a technician would go there and repair; with `?renew` it is as before, but shows another host key. */
function listenForRepairs(): void {
  createServer((request, response) => {
    const url = new URL(request.url ?? '/', 'http://localhost')
    const host = machines.find((machine) => machine.address === url.pathname.slice(1))
    void (async () => {
      if (host) {
        const renew = url.searchParams.has('renew')
        const before = opened.get(host.address)
        await before?.close()
        opened.set(
          host.address,
          await openSshHost(renew ? host : { ...host, trouble: null }, folder, renew ? undefined : before?.key),
        )
      }
      response.writeHead(host ? 200 : 404).end()
    })()
  }).listen(Number(port), '127.0.0.1')
}

try {
  await openHosts(plannedHosts('127.20.0', 40))
  for (const host of machines) opened.set(host.address, await openSshHost(host, folder))
  listenForRepairs()
  for (const { address } of machines) void reportWhenInstalled(address)
  for (const host of windows) await openWindowsHost(host, folder, installOnWindows)
  process.stdout.write('ready\n')
} catch (error) {
  // Ports below 1024 belong to root: without it the demo goes on, and there is only less to find.
  process.stdout.write(`not opened: ${(error as Error).message}\nready\n`)
  setInterval(() => undefined, 1 << 30)
}
