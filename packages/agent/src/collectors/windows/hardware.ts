import type { NetworkLink, Reading, Sensor } from '#core'
import type { Snapshot } from './snapshot'

type DiskUse = NonNullable<Snapshot['diskUse']>[number]

/** As the drives themselves are named: the counter's “0 C:” is drive 0, with the letters that lie on it. */
const driveOf = ({ Name }: DiskUse): string => `PhysicalDrive${Name.split(' ')[0]}`

/** A counter of 32 bits begins anew every few minutes (its type, from memory). */
const wrapped = (difference: number) => (difference < 0 ? difference + 2 ** 32 : difference)

/**
 * What each drive did between two looks. Its latency is PERF_AVERAGE_TIMER of the counter types: the time of what ended
 * by its number; where nothing ended though something waits, it is at least the whole time.
 */
export function drivesUse(before: readonly DiskUse[], now: readonly DiskUse[]): Reading[] {
  return now.flatMap((disk): Reading[] => {
    const was = before.find(({ Name }) => Name === disk.Name)
    const elapsed = was ? (disk.Timestamp_Sys100NS - was.Timestamp_Sys100NS) / 10_000 : 0
    if (!was || elapsed <= 0 || disk.DiskReadBytesPersec < was.DiskReadBytesPersec) return []
    const ended = wrapped(disk.AvgDisksecPerTransfer_Base - was.AvgDisksecPerTransfer_Base)
    const took = (wrapped(disk.AvgDisksecPerTransfer - was.AvgDisksecPerTransfer) * 1000) / disk.Frequency_PerfTime
    const hanging = was.CurrentDiskQueueLength > 0 && disk.CurrentDiskQueueLength > 0 ? elapsed : 0
    const idle = (disk.PercentIdleTime - was.PercentIdleTime) / 10_000 / elapsed
    const rate = (bytes: number) => Math.max(0, (bytes * 1000) / elapsed)
    const name = driveOf(disk)
    return [
      ['io.busy', name, Math.min(1, Math.max(0, 1 - idle))],
      ['io.latency', name, ended > 0 ? took / ended : hanging],
      ['io.read', name, rate(disk.DiskReadBytesPersec - was.DiskReadBytesPersec)],
      ['io.written', name, rate(disk.DiskWriteBytesPersec - was.DiskWriteBytesPersec)],
    ]
  })
}

export const drivesNamed = ({ diskUse }: Pick<Snapshot, 'diskUse'>): string[] | undefined =>
  diskUse?.map(driveOf).sort()

const kelvin = 273.15

/** Thermal zones as firmware tells them, in °C. */
export function temperaturesOf({ zones = [] }: Pick<Snapshot, 'zones'>): { readings: Reading[]; sensors: Sensor[] } {
  const told = zones
    .map((zone) => ({
      name: zone.InstanceName,
      now: zone.CurrentTemperature / 10 - kelvin,
      critical: zone.CriticalTripPoint ? Math.round(zone.CriticalTripPoint / 10 - kelvin) : null,
    }))
    // Firmware that measures nothing says nought, or a room that is colder than any.
    .filter(({ now }) => now > -40 && now < 126)
  return {
    readings: told.map(({ name, now }): Reading => ['temperature', name, now]),
    sensors: told.map(({ name, critical }) => ({
      name,
      ...(critical !== null && critical > 0 && critical < 1000 ? { critical } : {}),
    })),
  }
}

/** The speed of an adapter in bits a second; the slower way counts. What is down, or not told, is absent. */
export function linksOf({ adapters, speeds = [] }: Pick<Snapshot, 'adapters' | 'speeds'>): NetworkLink[] {
  return adapters.map(({ Name }) => {
    const told = speeds.find((each) => each.Name === Name)
    const speed = Math.min(told?.ReceiveLinkSpeed ?? 0, told?.TransmitLinkSpeed ?? 0)
    // An adapter that does not know says the largest number there is.
    return { name: Name, ...(speed > 0 && speed < 1e13 ? { speed: Math.round(speed) } : {}) }
  })
}
