import { minute, type ClockKeeping, type Millis, type Protection } from '#core'
import { steady } from '../../../clock'
import type { Collect } from '../../collector'
import { command } from '../../command'
import { firewallReader } from './firewall'
import { scanners } from './scanners'
import { guardedVolumes } from './volumes'

/** @param text what timedatectl(1) shows of its properties NTP and NTPSynchronized */
export function parseTimedate(text: string): ClockKeeping {
  const told = (name: string) => new RegExp(`^${name}=(yes|no)$`, 'm').exec(text)?.[1]
  const synchronised = told('NTPSynchronized')
  if (synchronised === undefined)
    return { isSynchronised: null, trouble: 'timedatectl does not say whether it is synchronised' }
  if (synchronised === 'yes') return { isSynchronised: true }
  return { isSynchronised: false, because: told('NTP') === 'no' ? 'no-service' : 'no-server' }
}

/** By the kernel's own word, which whatever keeps it right gives it (adjtimex(2), STA_UNSYNC). */
async function clockKeeping(): Promise<ClockKeeping> {
  try {
    return parseTimedate(await command('timedatectl', ['show', '--property=NTP', '--property=NTPSynchronized']))
  } catch (error) {
    return { isSynchronised: null, trouble: (error as Error).message }
  }
}

/** What programs are asked for: it changes seldom, and costs them a moment. */
const every: Millis = 5 * minute

/** How well the machine is protected: against programs, from the network, of what lies on its drives; its clock. */
export function protectionCollector(firewalls = firewallReader()): Collect {
  let asked: { at: Millis; told: Pick<Protection, 'scanners' | 'clock'> } | null = null
  return {
    name: 'protection',
    async collect() {
      const guards = firewalls()
      // The rules have not been listed since the machine started: it is as it was.
      if (guards === null) return {}
      if (!asked || steady() - asked.at >= every)
        asked = { at: steady(), told: { scanners: await scanners(), clock: await clockKeeping() } }
      return { facts: { protection: { ...asked.told, firewalls: guards, volumes: guardedVolumes() } } }
    },
  }
}
