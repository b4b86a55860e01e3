import { day, hour, type Millis, type Protection } from '#core'
import { osFamilyOf, type PlannedDevice } from '../estate/plan'

/** Definitions come four times a day, and were made two hours before. */
const renewed: Millis = 6 * hour
const definitionsAt = ({ story }: PlannedDevice, at: Millis, end: Millis): Millis => {
  const newest = Math.floor(at / renewed) * renewed - 2 * hour
  return story?.definitions ? Math.min(newest, end - story.definitions.oldDays * day) : newest
}

/** How well a planned device is protected; `end`: of its history. */
export function protectionOf(plan: PlannedDevice, at: Millis, end: Millis): Protection {
  const isWindows = osFamilyOf(plan) === 'windows'
  const scans = isWindows ? 'Lantern Shield' : plan.roles.includes('file') ? 'ClamAV' : null
  const isKept = plan.story?.clock === undefined
  return {
    scanners: scans ? [{ name: scans, isOn: true, definitionsAt: definitionsAt(plan, at, end) }] : [],
    firewalls: (isWindows ? ['Domain', 'Private', 'Public'] : ['IPv4', 'IPv6']).map((name) => ({
      name,
      isOn: true,
      by: isWindows ? 'Windows' : 'nftables',
    })),
    volumes: Object.keys(plan.disks).map((name) => ({ name, isEncrypted: plan.kind === 'workstation' })),
    clock: isKept ? { isSynchronised: true } : { isSynchronised: false, because: 'no-server' },
  }
}
