import { closeSync, existsSync, openSync, readSync, readdirSync } from 'node:fs'
import { join } from 'node:path'
import type { Millis, Scanner } from '#core'
import { command } from '../../command'

const folder = '/var/lib/clamav'
const months = ['Jan', 'Feb', 'Mar', 'Apr', 'May', 'Jun', 'Jul', 'Aug', 'Sep', 'Oct', 'Nov', 'Dec']

/**
 * When a file of definitions was made. Its first 512 bytes are text, parted by colons: a mark, and then such as
 * `07 Nov 2023 08-27 -0500` (ClamAV's documentation of its signatures, “CVD”). @returns null: it is no such file
 */
export function madeAt(head: string): Millis | null {
  const found = /^ClamAV-VDB:(\d{1,2}) (\w{3}) (\d{4}) (\d{2})-(\d{2}) ([+-])(\d{2})(\d{2}):/.exec(head)
  if (!found) return null
  const [, date, month, year, hours, minutes, sign, zoneHours, zoneMinutes] = found
  const offset = (sign === '-' ? -1 : 1) * (Number(zoneHours) * 60 + Number(zoneMinutes))
  const at = Date.UTC(Number(year), months.indexOf(month!), Number(date), Number(hours), Number(minutes) - offset)
  return months.includes(month!) && at >= 0 ? at : null
}

function headOf(path: string): string {
  const file = openSync(path, 'r')
  try {
    const buffer = Buffer.alloc(512)
    return buffer.toString('latin1', 0, readSync(file, buffer, 0, buffer.length, 0))
  } finally {
    closeSync(file)
  }
}

/** When the newest of the definitions that are renewed every day were made; null: there are none. */
export function definitionsAt(where = folder): Millis | null {
  const times = (existsSync(where) ? readdirSync(where) : [])
    .filter((name) => /^daily\.c[vl]d$/.test(name))
    .flatMap((name) => madeAt(headOf(join(where, name))) ?? [])
  return times.length ? Math.max(...times) : null
}

/** As its packages call the service that looks at files: Debian's and SUSE's, and the instances of Fedora's. */
const daemons = ['clamav-daemon.service', 'clamd.service', 'clamd@scan.service']

/**
 * Units that systemctl(1) knows of, and whether they run.
 * @param text of `systemctl show --property=LoadState,ActiveState`
 */
export function parseUnits(text: string): { isThere: boolean; runs: boolean }[] {
  return text
    .trim()
    .split(/\n\n+/)
    .map((part) => ({ isThere: /^LoadState=loaded$/m.test(part), runs: /^ActiveState=active$/m.test(part) }))
}

/** ClamAV, where it is installed: whether its daemon runs, and how old its definitions are. */
export async function scanners(where = folder): Promise<Scanner[]> {
  if (!existsSync(where) && !existsSync('/usr/bin/clamscan')) return []
  // Without systemd nobody says which daemons there are.
  const text = await command('systemctl', ['show', '--property=LoadState,ActiveState', ...daemons]).catch(() => '')
  const known = parseUnits(text).filter(({ isThere }) => isThere)
  // Without its daemon it looks only when it is asked to, which says nothing of whether it is.
  const isOn = known.length ? known.some(({ runs }) => runs) : null
  const scanner: Scanner = {
    name: 'ClamAV',
    isOn,
    ...(isOn === null
      ? { trouble: 'no daemon of it is known here: without one it looks only when it is asked to' }
      : {}),
  }
  try {
    return [{ ...scanner, definitionsAt: definitionsAt(where) }]
  } catch (error) {
    // That they cannot be read costs nothing else.
    return [{ ...scanner, trouble: `its definitions cannot be read: ${(error as Error).message}` }]
  }
}
