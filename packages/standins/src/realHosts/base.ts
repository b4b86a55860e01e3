import { createHash } from 'node:crypto'
import { existsSync, mkdirSync, readdirSync, renameSync, rmSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { setTimeout as wait } from 'node:timers/promises'
import { basesFolder, startOf } from './place'
import { runTool } from './tools'

export const releases = ['bullseye', 'bookworm', 'trixie'] as const
export type Release = (typeof releases)[number]

export const debianOf: Record<Release, number> = { bullseye: 11, bookworm: 12, trixie: 13 }

/** What an ordinary small server has, and more; `libfaketime` lets a test turn the clock of one program. */
function packagesOf(release: Release, more: readonly string[]): string[] {
  const polkit = release === 'bullseye' ? 'policykit-1' : 'polkitd'
  return [
    'systemd',
    'systemd-sysv',
    'libpam-systemd',
    'dbus',
    polkit,
    'openssh-server',
    'iproute2',
    'procps',
    'rsyslog',
    'cron',
    'nginx-light',
    'curl',
    'ca-certificates',
    'passwd',
    'libfaketime',
    'smartmontools',
    'sshfs',
    ...more,
  ]
}

/** What the machine has that Custode itself runs on. */
export const serverPackages = ['postgresql'] as const

/** What measures a machine, to hold an agent's figures against, and rotates its logs. */
export const measuringPackages = ['sysstat', 'logrotate'] as const

/** What answers to others, and what asks it by hand. */
export const answeringPackages = [
  'iputils-ping',
  'openssl',
  'dnsmasq',
  'bind9-dnsutils',
  'opensmtpd',
  'netcat-openbsd',
  'nftables',
] as const

/** What protects a machine, each of them alone, and what tells by hand how it is. */
export const protectingPackages = ['nftables', 'iptables', 'ufw', 'firewalld', 'clamav', 'clamav-daemon'] as const

const applicationPackages = ['apache2', 'postgresql', 'mariadb-server', 'slapd', 'ldap-utils', 'memcached'] as const
/** What serves others and tells how busy it is: pages, databases, a directory, a cache, and one of two mail servers. */
export const postfixPackages = [...applicationPackages, 'postfix'] as const
export const eximPackages = [...applicationPackages, 'exim4-daemon-light'] as const

/** Services of these packages that a machine does not begin with: a test starts them. */
const resting = [
  'firewalld.service',
  'clamav-freshclam.service',
  'clamav-freshclam-once.service',
  'apache2.service',
] as const

/** What other systems are kept up to date with, as Debian has it, and what makes archives for it. */
export const rpmPackages = ['dnf', 'zypper', 'createrepo-c', 'rpm'] as const

/** Takes a lock that ends with its holder, waiting for whoever has it. */
async function withLock<T>(folder: string, work: () => Promise<T>): Promise<T> {
  for (;;) {
    try {
      mkdirSync(folder)
      break
    } catch {
      const [holder] = readdirSync(folder, { encoding: 'utf8' })
      const [pid, start] = (holder ?? '').split('-')
      if (holder && startOf(Number(pid)) !== start) rmSync(folder, { recursive: true, force: true })
      else await wait(500)
    }
  }
  writeFileSync(join(folder, `${process.pid}-${startOf(process.pid)}`), '')
  try {
    return await work()
  } finally {
    rmSync(folder, { recursive: true, force: true })
  }
}

/**
 * The folder of a small Debian of this release, made from Debian's packages at the first call: about a minute.
 * @param more packages of Debian's, beside the usual ones
 * @throws Error with the last words of mmdebstrap
 */
export async function ensureBase(release: Release, more: readonly string[] = []): Promise<string> {
  const packages = packagesOf(release, more)
  const folder = join(
    basesFolder,
    `${release}-${createHash('sha256').update(packages.join()).digest('hex').slice(0, 8)}`,
  )
  mkdirSync(basesFolder, { recursive: true, mode: 0o755 })
  if (existsSync(folder)) return folder
  return withLock(`${folder}.lock`, async () => {
    if (existsSync(folder)) return folder
    const fresh = `${folder}.new`
    rmSync(fresh, { recursive: true, force: true })
    const made = await runTool(
      'mmdebstrap',
      ['--variant=minbase', '--quiet', `--include=${packages.join(',')}`, release, fresh],
      { timeout: 900_000 },
    )
    if (made.code !== 0)
      throw new Error(
        `Debian ${debianOf[release]} (${release}) could not be made: ${made.stderr.trim().split('\n').pop()}`,
      )
    const rests = resting.filter((unit) => existsSync(join(fresh, 'usr/lib/systemd/system', unit)))
    if (rests.length) await runTool('systemctl', ['--root', fresh, 'disable', ...rests])
    renameSync(fresh, folder)
    return folder
  })
}
