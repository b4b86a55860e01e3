import { existsSync, readdirSync, readFileSync } from 'node:fs'
import type { Service, ServiceStart, ServiceState } from '#core'
import type { Collect } from './collector'
import { command } from './command'

const properties = ['Id', 'Description', 'LoadState', 'ActiveState', 'SubState', 'UnitFileState', 'Type', 'TriggeredBy', 'Result']

function startOf(unit: Record<string, string>): ServiceStart {
  // Started by a socket, a timer or a path: stopped is its normal state.
  if (unit.TriggeredBy) return 'on-demand'
  switch (unit.UnitFileState) {
    case 'enabled': case 'enabled-runtime': return 'automatic'
    case 'disabled': return 'manual'
    case 'masked': case 'masked-runtime': return 'disabled'
    default: return 'on-demand'
  }
}

function stateOf(unit: Record<string, string>): ServiceState {
  switch (unit.ActiveState) {
    case 'active': case 'reloading': return unit.SubState === 'exited' ? 'finished' : 'running'
    case 'activating': return 'starting'
    case 'failed': return 'failed'
    default: return unit.Type === 'oneshot' && unit.Result === 'success' ? 'finished' : 'stopped'
  }
}

/** The output of `systemctl show` for several units: blocks of NAME=VALUE, a blank line between them (systemctl(1)). */
export function parseSystemctlShow(output: string): Service[] {
  return output.split(/\n\n+/).flatMap((block) => {
    const unit = Object.fromEntries(block.split('\n').filter((line) => line.includes('=')).map((line) => [line.slice(0, line.indexOf('=')), line.slice(line.indexOf('=') + 1)]))
    if (!unit.Id?.endsWith('.service') || unit.LoadState === 'not-found') return []
    return [{ name: unit.Id.slice(0, -'.service'.length), title: unit.Description ?? '', start: startOf(unit), state: stateOf(unit) }]
  })
}

/** The output of `service --status-all` (service(8)): + runs, - does not, ? cannot tell and is left out. */
export function parseStatusAll(output: string, startsAtBoot: (name: string) => boolean): Service[] {
  return [...output.matchAll(/^ \[ ([+-]) \]\s+(\S+)$/gm)].map(([, sign, name]) => ({
    name: name!, title: '', start: startsAtBoot(name!) ? 'automatic' : 'manual', state: sign === '+' ? 'running' : 'stopped',
  }))
}

/** Names of SysV scripts with a start link in the usual runlevel. */
function bootLinks(): Set<string> {
  const folder = '/etc/rc2.d'
  if (!existsSync(folder)) return new Set()
  return new Set(readdirSync(folder).filter((name) => name.startsWith('S')).map((name) => name.slice(3)))
}

/** Who manages services here: systemd when it is the running init (sd_booted(3)), SysV's init, or nobody. */
export function serviceManager(): 'systemd' | 'sysv' | null {
  if (existsSync('/run/systemd/system')) return 'systemd'
  return readFileSync('/proc/1/comm', 'utf8').trim() === 'init' ? 'sysv' : null
}

export function servicesCollector(): Collect {
  return {
    name: 'services',
    async collect() {
      const manager = serviceManager()
      if (manager === 'systemd') {
        const services = parseSystemctlShow(await command('systemctl', ['show', '*.service', `--property=${properties.join(',')}`, '--no-pager']))
        return { facts: { services: services.sort((a, b) => (a.name < b.name ? -1 : 1)) } }
      }
      if (!existsSync('/usr/sbin/service')) return { facts: { services: [] } }
      // Without a service manager nothing starts these by itself: they are told, but none of them "should be running".
      const boot = manager === 'sysv' ? bootLinks() : new Set<string>()
      return { facts: { services: parseStatusAll(await command('/usr/sbin/service', ['--status-all']), (name) => boot.has(name)) } }
    },
  }
}
