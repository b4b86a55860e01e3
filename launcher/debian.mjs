import { execFileSync, spawnSync } from 'node:child_process'
import { existsSync, readdirSync } from 'node:fs'
import { isRoot } from './place.mjs'
import { PlainError, step } from './say.mjs'

/** @param {string[]} words @param {string} [input] */
function asRoot(words, input) {
  const [command, ...args] = isRoot ? words : ['sudo', '-n', ...words]
  return spawnSync(/** @type {string} */ (command), args, {
    input,
    encoding: 'utf8',
    env: { ...process.env, DEBIAN_FRONTEND: 'noninteractive' },
  })
}

/** @param {string} name @param {string[]} packages */
function install(name, packages) {
  if (!existsSync('/usr/bin/apt-get'))
    throw new PlainError(
      `${name} is missing and this is not Debian: install ${packages.join(', ')} by hand, then start again.`,
    )
  if (!isRoot && spawnSync('sudo', ['-n', 'true']).status !== 0)
    throw new PlainError(`${name} is missing: run “sudo apt-get install ${packages.join(' ')}”, then start again.`)
  step(`installing ${name} with apt (once)…`)
  asRoot(['apt-get', 'update', '-q'])
  const done = asRoot(['apt-get', 'install', '-y', '-q', '--no-install-recommends', ...packages])
  if (done.status !== 0) {
    const last = `${done.stderr}`.trim().split('\n').pop() ?? ''
    throw new PlainError(
      `apt could not install ${packages.join(', ')}. Is there a network to Debian's packages? apt said: ${last}`,
    )
  }
}

function postgresPrograms() {
  const base = '/usr/lib/postgresql'
  if (!existsSync(base)) return null
  const versions = readdirSync(base)
    .filter((version) => existsSync(`${base}/${version}/bin/initdb`))
    .sort((a, b) => Number(b) - Number(a))
  return versions.length ? `${base}/${versions[0]}/bin` : null
}

/** The folder of PostgreSQL's server programs; installs Debian's package where there is none. */
export function ensurePostgres() {
  const found = postgresPrograms()
  if (found) return found
  // Debian would make and start a cluster of its own on the standard port; we need only the programs.
  if (!existsSync('/etc/postgresql-common/createcluster.conf')) {
    asRoot(['mkdir', '-p', '/etc/postgresql-common'])
    asRoot(['tee', '/etc/postgresql-common/createcluster.conf'], 'create_main_cluster = false\n')
  }
  install('PostgreSQL', ['postgresql'])
  const installed = postgresPrograms()
  if (!installed) throw new PlainError('PostgreSQL was installed, but its programs are not under /usr/lib/postgresql.')
  return installed
}

export function ensureChromium() {
  if (!existsSync('/usr/bin/chromium')) install('Chromium', ['chromium'])
  return '/usr/bin/chromium'
}

/**
 * Installs what real hosts need: systemd-nspawn, mmdebstrap and ip, all of Debian's.
 * @returns why they cannot be had here, or null
 */
export function ensureRealHosts() {
  if (process.platform !== 'linux' || !isRoot)
    return 'real hosts need root on Linux: they are mounted, booted and connected'
  const missing = Object.entries({
    'systemd-nspawn': 'systemd-container',
    mmdebstrap: 'mmdebstrap',
    ip: 'iproute2',
    'mkfs.ext4': 'e2fsprogs',
    losetup: 'mount',
  })
    .filter(
      ([program]) => !['/usr/bin', '/usr/sbin', '/bin', '/sbin'].some((folder) => existsSync(`${folder}/${program}`)),
    )
    .map(([, name]) => name)
  if (!missing.length) return null
  try {
    install('what real hosts need', missing)
    return null
  } catch (error) {
    return /** @type {Error} */ (error).message
  }
}

/** User and group that run the database when we are root, which PostgreSQL refuses to run as. */
export function databaseUser() {
  if (!isRoot) return {}
  for (const name of ['postgres', 'nobody']) {
    try {
      const id = (/** @type {string} */ flag) => Number(execFileSync('id', [flag, name], { encoding: 'utf8' }))
      return { uid: id('-u'), gid: id('-g') }
    } catch {
      /* the next one */
    }
  }
  throw new PlainError('PostgreSQL cannot run as root and there is no user “postgres” or “nobody”.')
}
