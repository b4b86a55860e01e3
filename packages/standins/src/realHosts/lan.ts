import { existsSync, mkdirSync, readdirSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs'
import { connect, type Server } from 'node:net'
import { join } from 'node:path'
import { createServer } from 'node:tls'
import type { KeyAndCertificate } from '../certificates'
import { ensureBase, type Release } from './base'
import { RealHost } from './host'
import { lansFolder, startOf } from './place'
import { runTool, tool } from './tools'

// A block that is never routed: for benchmarks of network devices (RFC 2544, section C.2.2). A bridge of ours carries
// it.
const block = '198.18'

/** A network of its own on this machine: a bridge, and real hosts on it, each in a network namespace. */
export class Lan {
  readonly hosts: RealHost[] = []
  readonly #forwarders: Server[] = []
  #next = 11

  private constructor(
    readonly number: number,
    readonly folder: string,
  ) {}

  /** Makes the bridge. What a broken run left behind goes first. */
  static async open(): Promise<Lan> {
    await removeLeftLans()
    for (let number = 1; number < 250; number++) {
      const folder = join(lansFolder, String(number))
      try {
        mkdirSync(folder)
      } catch {
        continue
      }
      writeFileSync(join(folder, 'owner'), `${process.pid} ${startOf(process.pid)}`)
      const lan = new Lan(number, folder)
      await tool('ip', 'link', 'add', lan.bridge, 'type', 'bridge')
      await tool('ip', 'addr', 'add', `${lan.gateway}/24`, 'dev', lan.bridge)
      await tool('ip', 'link', 'set', lan.bridge, 'up')
      return lan
    }
    throw new Error('there are 249 lans of real hosts already')
  }

  get bridge(): string {
    return `custode${this.number}`
  }
  /** The address of this machine on it. */
  get gateway(): string {
    return `${block}.${this.number}.1`
  }
  /** In CIDR notation. */
  get network(): string {
    return `${block}.${this.number}.0/24`
  }

  /**
   * Boots another host; ready when its services are up and SSH answers.
   * @param more packages of Debian's, beside the usual ones
   */
  async add(release: Release, name: string, more: readonly string[] = []): Promise<RealHost> {
    const base = await ensureBase(release, more)
    const host = new RealHost({
      release,
      name,
      base,
      folder: join(this.folder, name),
      bridge: this.bridge,
      gateway: this.gateway,
      address: `${block}.${this.number}.${this.#next++}`,
    })
    this.hosts.push(host)
    await host.boot()
    return host
  }

  /** Another host with the disk of this one as it stands: a clone. The original must be down or may run on. */
  async clone(of: RealHost, name: string): Promise<RealHost> {
    const host = new RealHost({
      ...of.options,
      name,
      folder: join(this.folder, name),
      address: `${block}.${this.number}.${this.#next++}`,
    })
    this.hosts.push(host)
    await host.copyDiskOf(of)
    await host.boot()
    return host
  }

  /**
   * Lets the hosts reach a program of this machine that listens on loopback, over TLS, at the gateway's address and the
   * same port: what a proxy does before a server.
   */
  async forward(port: number, identity: KeyAndCertificate): Promise<void> {
    const server = createServer(identity, (incoming) => {
      const outgoing = connect(port, '127.0.0.1')
      const end = () => {
        incoming.destroy()
        outgoing.destroy()
      }
      incoming.on('error', end).on('close', end).pipe(outgoing)
      outgoing.on('error', end).on('close', end).pipe(incoming)
    })
    await new Promise<void>((resolve, reject) =>
      server.once('error', reject).listen(port, this.gateway, () => resolve()),
    )
    this.#forwarders.push(server)
  }

  /** Ends every host and leaves nothing mounted, running or connected. */
  async close(): Promise<void> {
    for (const server of this.#forwarders) server.close()
    await Promise.all(this.hosts.map((host) => host.end()))
    await removeLan(this.folder)
  }
}

/** Undoes what stands in a lan's folder, in any half-made state. */
async function removeLan(folder: string): Promise<void> {
  const number = folder.split('/').pop()!
  for (const name of readdirSync(folder, { withFileTypes: true })
    .filter((entry) => entry.isDirectory())
    .map((entry) => entry.name)) {
    const host = join(folder, name)
    await RealHost.removeLeft(host, number, name)
  }
  await runTool('ip', ['link', 'del', `custode${number}`])
  rmSync(folder, { recursive: true, force: true })
}

/** Ends and removes the real hosts of processes that are gone. @returns how many lans there were */
export async function removeLeftLans(): Promise<number> {
  mkdirSync(lansFolder, { recursive: true, mode: 0o755 })
  let removed = 0
  for (const name of readdirSync(lansFolder)) {
    const folder = join(lansFolder, name)
    const owner = existsSync(join(folder, 'owner')) ? readFileSync(join(folder, 'owner'), 'utf8').split(' ') : []
    if (owner.length === 2 && startOf(Number(owner[0])) === owner[1]) continue
    // One that another process is just making has no owner for a moment.
    if (owner.length !== 2 && Date.now() - statTime(folder) < 5000) continue
    await removeLan(folder)
    removed++
  }
  return removed
}

function statTime(folder: string): number {
  return existsSync(folder) ? statSync(folder).mtimeMs : 0
}
