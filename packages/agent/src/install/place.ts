import { join } from 'node:path'
import { windowsPlace } from './windows'

/** Where an installation lives. Everything is below one root, so that one can be made in a folder of its own. */
export interface Place {
  root: string
  /** The program. */
  program: string
  /** What starts the program, or an update of it. */
  starter: string
  home: string
  unit: string
  wanted: string
  /** What the service manager lets it do. */
  rights: string
  /** Root's script that writes it. */
  rightsScript: string
  /** Where this file is, the agent changes nothing. It lies beside the program, where only root can write. */
  lookOnly: string
  /** Lets its group ping. */
  ping: string
}

export const user = 'custode-agent'
export const unitName = 'custode-agent.service'
export const onWindows = process.platform === 'win32'
export const linuxHome = '/var/lib/custode-agent'
export const defaultHome = onWindows ? windowsPlace().home : linuxHome

export function placeAt(root: string): Place {
  return {
    root,
    program: join(root, '/usr/local/lib/custode-agent/custode-agent'),
    starter: join(root, '/usr/local/lib/custode-agent/start'),
    home: join(root, linuxHome),
    unit: join(root, `/etc/systemd/system/${unitName}`),
    wanted: join(root, `/etc/systemd/system/multi-user.target.wants/${unitName}`),
    lookOnly: join(root, '/usr/local/lib/custode-agent/look-only'),
    ping: join(root, '/etc/sysctl.d/60-custode-agent.conf'),
    rightsScript: join(root, '/usr/local/lib/custode-agent/rights'),
    rights: join(root, '/etc/polkit-1/rules.d/50-custode-agent.rules'),
  }
}
