import type { Facts, NetworkLink, Reading } from '#core'
import { osFamilyOf, type PlannedDevice } from '../estate/plan'
import { drivesOf } from './drives'

/** What goes on in a device at a moment. */
export interface Going {
  /** Shares, from 0 to 1. */
  load: number
  hard: number
  /** Bytes a second, the busier way. */
  traffic: number
  /** Moves gently from 0 to 1, for each name by itself. */
  wave(name: string): number
}

const gigabit = 1e9
const linksOf = (plan: PlannedDevice): NetworkLink[] => [
  { name: 'eth0', ...(isVirtual(plan) ? {} : { speed: gigabit }) },
]

/** Servers run on others, which tell them neither speeds nor temperatures; what turns for data is their own. */
const isVirtual = ({ kind, disks }: PlannedDevice): boolean => kind === 'server' && Object.keys(disks).length < 2

const round = (value: number, parts: number) => Math.round(value * parts) / parts

/** What its drives, its link and its sensors tell. */
export function hardwareReadings(plan: PlannedDevice, { load, hard, traffic, wave }: Going): Reading[] {
  const isLinux = osFamilyOf(plan) === 'linux'
  const { drives } = drivesOf(plan, () => 0)
  const readings: Reading[] = []
  for (const { name, media } of drives) {
    const busy = Math.min(1, 0.02 + 0.4 * load * wave(`${name}busy`) + 0.5 * hard)
    const quickest = media === 'hdd' ? 8 : 0.4
    readings.push(
      ['io.busy', name, round(busy, 1000)],
      ['io.latency', name, round(quickest * (1 + 2 * busy * wave(`${name}wait`)), 10)],
      ['io.read', name, Math.round(2e7 * busy * wave(`${name}read`))],
      ['io.written', name, Math.round(1.2e7 * busy * wave(`${name}written`))],
    )
  }
  if (isLinux)
    readings.push(
      ['cpu.wait', '', round(0.01 + 0.03 * load * wave('wait'), 1000)],
      ['cpu.steal', '', isVirtual(plan) ? round(0.02 * load * wave('steal'), 1000) : 0],
      ['files.open', '', Math.round(1800 + 400 * plan.services.length + 900 * load)],
    )
  for (const { name, speed } of linksOf(plan))
    if (speed) readings.push(['net.load', name, round(Math.min(1, (traffic * 8) / speed), 1000)])
  for (const { name } of sensorsOf(plan))
    readings.push(['temperature', name, round(34 + 30 * load + 4 * wave(name), 2)])
  return readings
}

function sensorsOf(plan: PlannedDevice): { name: string; critical: number }[] {
  if (isVirtual(plan)) return []
  return osFamilyOf(plan) === 'linux'
    ? [{ name: 'coretemp', critical: 100 }]
    : [{ name: 'ACPI\\ThermalZone\\TZ00_0', critical: 105 }]
}

export function hardwareFacts(plan: PlannedDevice): Required<Pick<Facts, 'links' | 'blocks' | 'sensors'>> {
  return {
    links: linksOf(plan),
    blocks: drivesOf(plan, () => 0).drives.map(({ name }) => name),
    sensors: sensorsOf(plan),
  }
}
