import { randomBytes } from 'node:crypto'
import { writeWhole } from '#files'
import {
  answeringPackages,
  debianOf,
  ensureBase,
  eximPackages,
  measuringPackages,
  postfixPackages,
  protectingPackages,
  releases,
  rpmPackages,
  serverPackages,
  type Release,
} from './base'
import { signedByOwnAuthority } from '../certificates'
import { Lan, removeLeftLans } from './lan'

/**
 * Real hosts for people who want to see what agents do on machines that are no stand-ins. Writes what there is into a
 * file: network, gateway, authority of the certificate there, and by host its address, system and sign-in. Usage:
 * realHosts COUNT PORT FILE CERTIFICATES (a folder that keeps them), or realHosts prepare (makes every base), or
 * realHosts remove (ends what a broken run left behind)
 */
const [first = '', port = '', file = '', certificates = ''] = process.argv.slice(2)
const order: Release[] = ['bookworm', 'trixie', 'bullseye']

if (first === 'remove') {
  await removeLeftLans()
  process.exit(0)
}
if (first === 'prepare') {
  await removeLeftLans()
  await Promise.all(releases.map((release) => ensureBase(release)))
  await ensureBase('bookworm', serverPackages)
  await ensureBase('bookworm', rpmPackages)
  await ensureBase('trixie', measuringPackages)
  await ensureBase('trixie', answeringPackages)
  await ensureBase('trixie', protectingPackages)
  await ensureBase('trixie', postfixPackages)
  await ensureBase('bookworm', eximPackages)
  process.exit(0)
}
const lan = await Lan.open()
let stopping = false
async function stop(): Promise<void> {
  if (stopping) return
  stopping = true
  await lan.close()
  process.exit(0)
}
process.on('SIGTERM', () => void stop())
process.on('SIGINT', () => void stop())
try {
  const hosts = await Promise.all(
    Array.from({ length: Number(first) }, async (_, i) => {
      const release = order[i % order.length]!
      const host = await lan.add(release, `lf-real-${i + 1}`)
      const password = randomBytes(9).toString('base64url')
      await host.setPassword('root', password)
      return { name: host.name, address: host.address, system: `Debian ${debianOf[release]}`, user: 'root', password }
    }),
  )
  // The server listens on loopback; they reach it at their gateway's address, over TLS.
  const { ca, ...identity } = signedByOwnAuthority(certificates, lan.gateway)
  await lan.forward(Number(port), identity)
  writeWhole(file, JSON.stringify({ network: lan.network, gateway: lan.gateway, ca, hosts }))
  process.stdout.write('ready\n')
} catch (error) {
  process.stderr.write(`${(error as Error).message}\n`)
  await lan.close()
  process.exit(1)
}
