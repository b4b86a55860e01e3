import { existsSync, readFileSync } from 'node:fs'
import { SocketAddress } from 'node:net'
import { endianness, networkInterfaces } from 'node:os'
import { join } from 'node:path'
import type { NetworkLink, Reading } from '#core'
import { steady } from '../../clock'
import type { Collect } from '../collector'
import { loadOf } from '../linkLoad'

/** Since the start: bytes, and packets that were faulty or dropped, either way. */
interface Counters {
  received: number
  sent: number
  errors: number
}

/** Counters by interface: /proc/net/dev (proc_pid_net(5)), without loopback. */
export function parseInterfaces(dev: string): Map<string, Counters> {
  const found = new Map<string, Counters>()
  for (const line of dev.split('\n').slice(2)) {
    const [name, rest] = line.split(':')
    const fields = rest?.trim().split(/\s+/).map(Number)
    if (!name || !fields || name.trim() === 'lo') continue
    const [received = 0, , receiveErrors = 0, receiveDrops = 0, , , , , sent = 0, , sendErrors = 0, sendDrops = 0] =
      fields
    found.set(name.trim(), { received, sent, errors: receiveErrors + receiveDrops + sendErrors + sendDrops })
  }
  return found
}

/**
 * Interfaces that stay: those with hardware behind them, and those with an address of their own. Ends of cables to
 * containers and the like come and go under ever new names, and would be a new series each time.
 */
function stays(name: string): boolean {
  if (existsSync(`/sys/class/net/${name}/device`)) return true
  return (networkInterfaces()[name] ?? []).some((address) => !address.address.startsWith('fe80:'))
}

/**
 * How fast a link is in bits a second, and whether it carries both ways at once: `speed` and `duplex` of
 * Documentation/ABI/testing/sysfs-class-net of the kernel. A link that is down, and many of virtual machines, do not
 * tell.
 */
export function speedOf(name: string, root = '/'): { speed: number; isHalf: boolean } | null {
  const read = (what: string) => {
    try {
      return readFileSync(join(root, 'sys/class/net', name, what), 'utf8').trim()
    } catch {
      return ''
    }
  }
  const megabits = Number(read('speed'))
  // Unknown is −1, and an older kernel prints it without its sign.
  if (!(megabits > 0) || megabits >= 0xffff_ffff || megabits === 0xffff) return null
  return { speed: megabits * 1e6, isHalf: read('duplex') === 'half' }
}

// Flags of a route that is in use, and that leads through a router (RTF_UP and RTF_GATEWAY, netdevice.h).
const isUp = 0x1
const throughRouter = 0x2

interface DefaultRoute {
  gateway: string
  metric: number
}

/** Of the ways to everywhere those that are taken: the ones with the lowest metric. */
function taken(routes: readonly DefaultRoute[]): string[] {
  const best = Math.min(...routes.map(({ metric }) => metric))
  return [...new Set(routes.filter(({ metric }) => metric === best).map(({ gateway }) => gateway))]
}

/**
 * Routers of the default routes in /proc/net/route (proc_pid_net(5)), whose addresses are 32-bit numbers in hexadecimal
 * digits, in the byte order of the machine.
 */
export function parseRoutes(route: string, order: 'LE' | 'BE' = endianness()): string[] {
  const found = route
    .split('\n')
    .slice(1)
    .flatMap((line): DefaultRoute[] => {
      const [, destination, gateway = '', flags, , , metric, mask] = line.split('\t')
      const wanted = isUp | throughRouter
      if (Number(`0x${destination}`) !== 0 || Number(`0x${mask}`) !== 0) return []
      if ((Number(`0x${flags}`) & wanted) !== wanted) return []
      const bytes = Buffer.from(gateway.trim(), 'hex')
      if (order === 'LE') bytes.reverse()
      return [{ gateway: bytes.join('.'), metric: Number(metric) }]
    })
  return taken(found)
}

/** The same of /proc/net/ipv6_route. Routers that are only known by an address of the link are left out. */
export function parseRoutes6(route: string): string[] {
  const found = route.split('\n').flatMap((line): DefaultRoute[] => {
    const [destination = '', length, , , gateway = '', metric, , , flags] = line.trim().split(/\s+/)
    const wanted = isUp | throughRouter
    if (!/^0{32}$/.test(destination) || length !== '00') return []
    if ((Number(`0x${flags}`) & wanted) !== wanted) return []
    const address = gateway.match(/.{4}/g)?.join(':') ?? ''
    // As everybody else writes it (RFC 5952).
    return [{ gateway: new SocketAddress({ address, family: 'ipv6' }).address, metric: Number(`0x${metric}`) }]
  })
  return taken(found).filter((address) => !/^fe[89ab]/.test(address))
}

/** Of this machine; undefined where its kernel does not tell. */
function gateways(): string[] | undefined {
  const read = (path: string) => (existsSync(path) ? readFileSync(path, 'utf8') : null)
  const route = read('/proc/net/route')
  if (route === null) return undefined
  return [...parseRoutes(route), ...parseRoutes6(read('/proc/net/ipv6_route') ?? '')]
}

export function networkCollector(): Collect {
  let before: { at: number; counters: ReturnType<typeof parseInterfaces> } | null = null
  return {
    name: 'network',
    collect() {
      const now = steady()
      const counters = parseInterfaces(readFileSync('/proc/net/dev', 'utf8'))
      const readings: Reading[] = []
      const links: NetworkLink[] = []
      for (const [name, now_] of counters) {
        if (!stays(name)) continue
        const link = speedOf(name)
        links.push({ name, ...(link ? { speed: link.speed } : {}) })
        readings.push(['net.errors', name, now_.errors])
        const was = before?.counters.get(name)
        // A counter that went back was reset: no rate this time.
        if (!was || now <= before!.at || now_.received < was.received || now_.sent < was.sent) continue
        const seconds = (now - before!.at) / 1000
        const [received, sent] = [(now_.received - was.received) / seconds, (now_.sent - was.sent) / seconds]
        readings.push(['net.received', name, received], ['net.sent', name, sent])
        if (link) readings.push(['net.load', name, loadOf(received, sent, link)])
      }
      before = { at: now, counters }
      const routers = gateways()
      return { readings, facts: { links, ...(routers ? { gateways: routers } : {}) } }
    },
  }
}
