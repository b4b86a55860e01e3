import { createServer, type Server, type Socket } from 'node:net'

/**
 * A stand-in machine on an address of loopback: it accepts connections at its ports, and introduces itself where SSH
 * does.
 */
export interface StandInHost {
  address: string
  ports: number[]
  banner: string | null
}

const kinds: Omit<StandInHost, 'address'>[] = [
  { ports: [22], banner: 'SSH-2.0-OpenSSH_9.2p1 Debian-2+deb12u3' },
  { ports: [135, 445, 3389, 5985], banner: null },
  { ports: [22, 80, 443], banner: 'SSH-2.0-OpenSSH_9.2p1 Debian-2+deb12u3' },
  { ports: [80, 9100], banner: null },
  { ports: [445, 5985], banner: null },
  { ports: [22, 443], banner: 'SSH-2.0-SwitchShell_4' },
]

/**
 * The same hosts for the same network and count: one at every third address, of every kind.
 * @param network the first three numbers, such as 127.20.0
 */
export function plannedHosts(network: string, count: number): StandInHost[] {
  return Array.from({ length: count }, (_, i) => ({ address: `${network}.${3 + i * 3}`, ...kinds[i % kinds.length]! }))
}

/** Opens the ports of hosts on loopback; a privileged port needs root. @returns what closes them again */
export async function openHosts(hosts: readonly StandInHost[]): Promise<() => Promise<void>> {
  const servers: Server[] = []
  const sockets = new Set<Socket>()
  for (const { address, ports, banner } of hosts)
    for (const port of ports) {
      const server = createServer((socket) => {
        sockets.add(socket)
        socket.on('close', () => sockets.delete(socket))
        socket.on('error', () => socket.destroy())
        if (port === 22 && banner) socket.write(`${banner}\r\n`)
      })
      await new Promise<void>((resolve, reject) => {
        server.once('error', reject).listen(port, address, resolve)
      })
      servers.push(server)
    }
  return async () => {
    for (const socket of sockets) socket.destroy()
    await Promise.all(servers.map((server) => new Promise((resolve) => server.close(resolve))))
  }
}
