import { existsSync, readFileSync } from 'node:fs'
import { hour, type ListeningPort, type Millis } from '#core'
import { steady } from '../../clock'
import type { Collect } from '../collector'
import { command } from '../command'
import { statusChangedAt } from './packages/apt'

const listening = '0A'
/** A datagram socket that is bound and connected to nobody. */
const unconnected = '07'

/**
 * The sockets of /proc/net/tcp, tcp6, udp and udp6 (proc(5)) that others can reach: local address and port as
 * hexadecimal numbers, the address in words of 32 bits in the order of the machine, then the state.
 */
export function parseSockets(table: string, protocol: 'tcp' | 'udp'): ListeningPort[] {
  const wanted = protocol === 'tcp' ? listening : unconnected
  return table
    .split('\n')
    .slice(1)
    .flatMap((line) => {
      const [, local, remote, state] = line.trim().split(/\s+/)
      if (!local || state !== wanted || !/:0000$/.test(remote ?? '')) return []
      const [address = '', port = ''] = local.split(':')
      // 127.0.0.0/8 has its first byte last on a little-endian machine; ::1 is fifteen bytes of zero and a one.
      const loopback =
        address.length === 8
          ? address.endsWith('7F')
          : address === '00000000000000000000000001000000' || /^0{16}FFFF0000.{6}7F$/.test(address)
      return loopback ? [] : [{ port: parseInt(port, 16), protocol }]
    })
}

/** Each port once, in order. */
export function distinctPorts(ports: readonly ListeningPort[]): ListeningPort[] {
  const seen = new Map(ports.map((port) => [`${port.protocol}${port.port}`, port]))
  return [...seen.values()].sort((a, b) => a.port - b.port || (a.protocol < b.protocol ? -1 : 1))
}

function portsHere(): ListeningPort[] {
  const read = (name: string, protocol: 'tcp' | 'udp') =>
    existsSync(`/proc/net/${name}`) ? parseSockets(readFileSync(`/proc/net/${name}`, 'utf8'), protocol) : []
  // Clients of name services bind short-lived ports of the dynamic range (RFC 6335, section 6): they wait for nobody.
  const udp = [...read('udp', 'udp'), ...read('udp6', 'udp')].filter((port) => port.port < 32_768)
  return distinctPorts([...read('tcp', 'tcp'), ...read('tcp6', 'tcp'), ...udp]).slice(0, 2000)
}

/**
 * Names of what is installed: the second letter of the status says so, whatever is wanted of it; `hi` is one that is
 * held (dpkg-query(1)).
 */
export function parsePackages(output: string): string[] {
  return [...new Set([...output.matchAll(/^\wi\s+(\S+)$/gm)].map((match) => match[1]!))]
}

/** What is installed and what waits for others: the roles of a device are worked out from it. */
export function softwareCollector(): Collect {
  let packages: string[] = []
  let readAt: Millis | null = null
  let statusAt = 0
  return {
    name: 'software',
    async collect() {
      const changedAt = statusChangedAt()
      if (
        existsSync('/usr/bin/dpkg-query') &&
        (readAt === null || steady() - readAt >= hour || changedAt !== statusAt)
      ) {
        const output = await command('dpkg-query', ['--show', '--showformat', '${db:Status-Abbrev} ${Package}\\n'])
        packages = parsePackages(output)
        readAt = steady()
        statusAt = changedAt
      }
      return { facts: { packages, ports: portsHere() } }
    },
  }
}
