import { existsSync, readdirSync, readFileSync } from 'node:fs'
import { minute, type Millis, type Service, type ServiceStart, type ServiceState } from '#core'
import type { Collect } from '../collector'
import { command } from '../command'
import { unitFilesIn, unitFolders } from './unitFiles'

const properties = [
  'Id',
  'Description',
  'LoadState',
  'ActiveState',
  'SubState',
  'UnitFileState',
  'Type',
  'TriggeredBy',
  'WantedBy',
  'RequiredBy',
  'Result',
  'ConditionResult',
  'ConditionTimestampMonotonic',
  'ExecMainStartTimestampMonotonic',
]

type Unit = Partial<Record<string, string>>

function startOf(unit: Unit): ServiceStart {
  switch (unit.UnitFileState) {
    // Enabled is enabled, whatever else may start it too.
    case 'enabled':
    case 'enabled-runtime':
      return 'automatic'
    case 'masked':
    case 'masked-runtime':
      return 'disabled'
    // Made from a SysV script: whether it has a link in a runlevel stands in what wants it.
    case 'generated':
      return unit.WantedBy || unit.RequiredBy ? 'automatic' : 'manual'
    case 'disabled':
      return unit.TriggeredBy ? 'on-demand' : 'manual'
    // Static, indirect, transient: started by something else.
    default:
      return unit.LoadState === 'masked' ? 'disabled' : 'on-demand'
  }
}

function stateOf(unit: Unit): ServiceState {
  // A unit file that cannot be read: it runs nothing, and somebody has to mend it.
  if (unit.LoadState === 'error' || unit.LoadState === 'bad-setting') return 'failed'
  switch (unit.ActiveState) {
    case 'active':
    case 'reloading':
      return unit.SubState === 'exited' ? 'finished' : 'running'
    // It ended, and systemd waits before it starts it once more.
    case 'activating':
      return unit.SubState === 'auto-restart' ? 'failed' : 'starting'
    case 'failed':
      return 'failed'
    default:
      if (unit.ConditionResult === 'no' && Number(unit.ConditionTimestampMonotonic) > 0) return 'skipped'
      if (unit.Type !== 'oneshot' || unit.Result !== 'success') return 'stopped'
      // A job that is to run at the next start of the machine is as it should be; of the others only those that ran
      // have finished.
      return Number(unit.ExecMainStartTimestampMonotonic) > 0 || startOf(unit) === 'automatic' ? 'finished' : 'stopped'
  }
}

/**
 * The output of `systemctl show` for several units: blocks of NAME=VALUE, a blank line between them (systemctl(1)).
 * Each service once, whatever names it has.
 */
export function parseSystemctlShow(output: string): Service[] {
  const found = new Map<string, Service>()
  for (const block of output.split(/\n\n+/)) {
    const unit: Unit = Object.fromEntries(
      block
        .split('\n')
        .filter((line) => line.includes('='))
        .map((line) => [line.slice(0, line.indexOf('=')), line.slice(line.indexOf('=') + 1)]),
    )
    if (!unit.Id?.endsWith('.service') || unit.LoadState === 'not-found') continue
    const name = unit.Id.slice(0, -'.service'.length)
    found.set(name, {
      name,
      title: unit.Description === unit.Id ? '' : (unit.Description ?? ''),
      start: startOf(unit),
      state: stateOf(unit),
    })
  }
  return [...found.values()].sort((a, b) => (a.name < b.name ? -1 : 1))
}

/** First words of the lines of `systemctl list-units`, with what marks a unit in trouble left out. */
export function parseUnitNames(output: string): string[] {
  return output
    .split('\n')
    .map(
      (line) =>
        line
          .replace(/^[\s●○*×x↻]+\s/, '')
          .trim()
          .split(/\s+/)[0] ?? '',
    )
    .filter((name) => name.endsWith('.service') && !name.endsWith('@.service'))
}

/** So many names fit well into one command line. */
const atOnce = 400

async function showServices(names: readonly string[]): Promise<Service[]> {
  let output = ''
  for (let i = 0; i < names.length; i += atOnce)
    output += `${await command('systemctl', ['show', '--no-pager', `--property=${properties.join(',')}`, '--', ...names.slice(i, i + atOnce)])}\n\n`
  return parseSystemctlShow(output)
}

/** What is told of services that are not loaded is asked anew after so long, whatever the folders say. */
const restAtMost: Millis = 15 * minute

/**
 * Every service that systemd knows of or has a file for: those that were stopped in order, and never started, too,
 * which systemd forgets and `show` with a pattern leaves out. To tell of one that is not loaded, systemd reads its file
 * and forgets it again; so that is done once, and again when something changed in the folders of units.
 */
class SystemdServices {
  #folders: string[] | null = null
  #stamp = ''
  #since = -Infinity
  /** What was told of those that were not loaded, by the names of their files. */
  readonly #told = new Map<string, Service>()

  /** @param now by a clock that is never set */
  async collect(now: Millis): Promise<Service[]> {
    this.#folders ??= await unitFolders()
    const { names: files, stamp } = unitFilesIn(this.#folders)
    if (stamp !== this.#stamp || now - this.#since > restAtMost) {
      this.#told.clear()
      this.#stamp = stamp
      this.#since = now
    }
    const loaded = parseUnitNames(
      await command('systemctl', [
        'list-units',
        '--type=service',
        '--all',
        '--no-legend',
        '--plain',
        '--no-pager',
        '--full',
      ]),
    )
    // What they come to is to be asked when they are not loaded any more.
    for (const name of loaded) this.#told.delete(name)
    const isLoaded = new Set(loaded)
    const found = new Map<string, Service>()
    for (const service of await showServices(files.filter((name) => !isLoaded.has(name) && !this.#told.has(name)))) {
      found.set(service.name, service)
      const file = `${service.name}.service`
      // One that was started just now, or is another name of a loaded one, does not stay as it is.
      if (!isLoaded.has(file) && service.state !== 'running' && service.state !== 'starting')
        this.#told.set(file, service)
    }
    for (const service of this.#told.values()) found.set(service.name, service)
    for (const service of await showServices(loaded)) found.set(service.name, service)
    if (!found.size) throw new Error('systemctl names no service: there is always one')
    return [...found.values()].sort((a, b) => (a.name < b.name ? -1 : 1))
  }
}

/** The output of `service --status-all` (service(8)): + runs, - does not, ? cannot tell and is left out. */
export function parseStatusAll(output: string, startsAtBoot: (name: string) => boolean): Service[] {
  return [...output.matchAll(/^ \[ ([+-]) \]\s+(\S+)$/gm)].map(([, sign, name]) => ({
    name: name!,
    title: '',
    start: startsAtBoot(name!) ? 'automatic' : 'manual',
    state: sign === '+' ? 'running' : 'stopped',
  }))
}

/** Names of SysV scripts with a start link in the usual runlevel. */
function bootLinks(): Set<string> {
  const folder = '/etc/rc2.d'
  if (!existsSync(folder)) return new Set()
  return new Set(
    readdirSync(folder)
      .filter((name) => name.startsWith('S'))
      .map((name) => name.slice(3)),
  )
}

/** Who manages services here: systemd when it is the running init (sd_booted(3)), SysV's init, or nobody. */
export function serviceManager(): 'systemd' | 'sysv' | null {
  if (existsSync('/run/systemd/system')) return 'systemd'
  return readFileSync('/proc/1/comm', 'utf8').trim() === 'init' ? 'sysv' : null
}

export function servicesCollector(): Collect {
  const systemd = new SystemdServices()
  return {
    name: 'services',
    async collect() {
      const manager = serviceManager()
      if (manager === 'systemd') return { facts: { services: await systemd.collect(performance.now()) } }
      if (!existsSync('/usr/sbin/service')) return { facts: { services: [] } }
      // Without a service manager nothing starts these by itself: they are told, but none of them "should be running".
      const boot = manager === 'sysv' ? bootLinks() : new Set<string>()
      return {
        facts: {
          services: parseStatusAll(await command('/usr/sbin/service', ['--status-all']), (name) => boot.has(name)),
        },
      }
    },
  }
}
