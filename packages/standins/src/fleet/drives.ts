import type { Drive, DriveHealth } from '#core'
import { osFamilyOf, type PlannedDevice } from '../estate/plan'

/**
 * The drives of a planned device: one for its system, which wears, and for data one that turns, in pairs where it
 * keeps files or backups.
 * @param chance from 0 to 1, the same for the same name
 */
export function drivesOf(plan: PlannedDevice, chance: (name: string) => number): DriveHealth {
  const { story, roles, disks } = plan
  const isLinux = osFamilyOf(plan) === 'linux'
  const nameOf = (index: number) => (isLinux ? `sd${'abc'[index]}` : `PhysicalDrive${index}`)
  const serialOf = (name: string) => `LF${String(Math.floor(chance(`${name}serial`) * 1e6)).padStart(6, '0')}`
  const solid = (name: string): Drive => ({
    name,
    model: 'Lantern Field S480',
    serial: serialOf(name),
    media: 'ssd',
    passed: true,
    worn: Math.floor(chance(`${name}worn`) * 40) / 100,
  })
  const turning = (name: string): Drive => ({
    name,
    model: 'Lantern Field T4000',
    serial: serialOf(name),
    media: 'hdd',
    passed: true,
    reallocated: chance(`${name}sectors`) < 0.1 ? 2 : 0,
    pending: 0,
    uncorrectable: 0,
  })
  const hasData = Object.keys(disks).length > 1
  const isPaired = isLinux && hasData && roles.some((role) => role === 'file' || role === 'backup')
  const data = hasData ? [nameOf(1), ...(isPaired ? [nameOf(2)] : [])].map(turning) : []
  const [second, ...others] = data
  return {
    drives: [solid(nameOf(0)), ...(second ? [{ ...second, ...story?.drive }] : []), ...others],
    arrays: isPaired ? [{ name: 'md0', level: 'raid1', state: 'well', members: 2, missing: 0 }] : [],
  }
}
