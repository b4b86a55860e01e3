import { existsSync, readFileSync } from 'node:fs'
import { createServer } from 'node:http'
import { join } from 'node:path'
import { openHosts, plannedHosts } from './hosts'
import { openSshHost, rootOf, type SshHost, type Trouble } from './sshHost'

/** Machines for a sweep to find, and machines that take an agent over SSH, some of them with a trouble. */
const [folder = '/tmp/custode-hosts', port = '7702'] = process.argv.slice(2)
const troubles: Trouble[] = [null, null, 'refuses the password', null, 'has no space', null, 'gives no rights', 'is another system', 'is slow', null]
const machines: SshHost[] = troubles.map((trouble, i) => ({ address: `127.21.0.${11 + i}`, trouble, user: 'root', password: 'harbour-wall-9' }))

type Opened = Awaited<ReturnType<typeof openSshHost>>
const opened = new Map<string, Opened>()

/** Once an agent is installed on a stand-in machine, something reports for it with its key: the same protocol, less load. */
async function reportFor(address: string): Promise<void> {
  const file = join(rootOf(folder, address), 'var/lib/custode-agent/identity.json')
  let seq = 0
  for (;;) {
    await new Promise((resolve) => setTimeout(resolve, 1000))
    if (!existsSync(file)) continue
    const { server, deviceKey, interval, name } = JSON.parse(readFileSync(file, 'utf8')) as { server: string; deviceKey: string; interval: number; name: string }
    if (seq === 0) seq = Number(readFileSync(join(rootOf(folder, address), 'var/lib/custode-agent/sequence'), 'utf8')) + 1
    const facts = { system: { osFamily: 'linux', osName: 'Debian 12', hostName: name, cores: 2, agentVersion: '0.1.0', serviceManager: 'systemd', startsAtBoot: true, addresses: [address] } }
    const report = { seq, at: Date.now(), interval, readings: [['cpu.busy', '', 0.04]], facts }
    const answer = await fetch(`${server}/api/agent/reports`, { method: 'POST', headers: { 'content-type': 'application/json', authorization: `Bearer ${deviceKey}` }, body: JSON.stringify({ version: 1, sentAt: Date.now(), oldest: seq, reports: [report] }) }).catch(() => null)
    if (answer?.ok) seq = ((await answer.json()) as { acknowledged: number }).acknowledged + 1
    await new Promise((resolve) => setTimeout(resolve, interval))
  }
}

/** What a technician would go there and mend; with `?renew` it is as before, but shows another host key. */
function listenForMending(): void {
  createServer((request, response) => {
    const url = new URL(request.url ?? '/', 'http://localhost')
    const host = machines.find((one) => one.address === url.pathname.slice(1))
    void (async () => {
      if (host) {
        const renew = url.searchParams.has('renew')
        const before = opened.get(host.address)
        await before?.close()
        opened.set(host.address, await openSshHost(renew ? host : { ...host, trouble: null }, folder, renew ? undefined : before?.key))
      }
      response.writeHead(host ? 200 : 404).end()
    })()
  }).listen(Number(port), '127.0.0.1')
}

try {
  await openHosts(plannedHosts('127.20.0', 40))
  for (const host of machines) opened.set(host.address, await openSshHost(host, folder))
  listenForMending()
  for (const { address } of machines) void reportFor(address)
  process.stdout.write('ready\n')
} catch (error) {
  // Ports below 1024 belong to root: without it the demo goes on, and there is only less to find.
  process.stdout.write(`not opened: ${(error as Error).message}\nready\n`)
  setInterval(() => undefined, 1 << 30)
}
