import { existsSync, readdirSync, readFileSync } from 'node:fs'
import type { Service } from '#core'
import type { Collect } from '../collector'
import { command } from '../command'
import { SystemdServices } from './systemd'

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
      if (manager === 'systemd') {
        return { facts: await systemd.collect(performance.now()) }
      }
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
