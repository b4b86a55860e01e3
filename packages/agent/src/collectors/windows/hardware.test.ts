import { describe, expect, it } from 'vitest'
import { drivesNamed, drivesUse, linksOf, temperaturesOf } from './hardware'

// Objects as ConvertTo-Json writes those of the classes; from memory, not read off a machine.
const disk = (more: object = {}) => ({
  Name: '0 C:',
  DiskReadBytesPersec: 1_000_000,
  DiskWriteBytesPersec: 0,
  PercentIdleTime: 100_000_000,
  Timestamp_Sys100NS: 1_000_000_000,
  AvgDisksecPerTransfer: 4_294_967_000,
  AvgDisksecPerTransfer_Base: 100,
  Frequency_PerfTime: 10_000_000,
  CurrentDiskQueueLength: 0,
  ...more,
})

describe('drives by their counters', () => {
  it('busy is what was not idle, latency the time of what ended by its number, over an end of the counter too', () => {
    const later = disk({
      DiskReadBytesPersec: 3_000_000,
      PercentIdleTime: 115_000_000,
      Timestamp_Sys100NS: 1_020_000_000,
      AvgDisksecPerTransfer: 1_000_000 - 296,
      AvgDisksecPerTransfer_Base: 120,
    })
    expect(drivesUse([disk()], [later])).toEqual([
      ['io.busy', 'PhysicalDrive0', 0.25],
      ['io.latency', 'PhysicalDrive0', 5],
      ['io.read', 'PhysicalDrive0', 1_000_000],
      ['io.written', 'PhysicalDrive0', 0],
    ])
  })
  it('one that hangs waits all the time; a first look, and counters that began anew, say nothing', () => {
    const hanging = disk({ CurrentDiskQueueLength: 2 })
    const later = disk({ CurrentDiskQueueLength: 2, Timestamp_Sys100NS: 1_600_000_000 })
    expect(drivesUse([hanging], [later])[1]).toEqual(['io.latency', 'PhysicalDrive0', 60_000])
    expect(drivesUse([], [disk()])).toEqual([])
    expect(drivesUse([disk()], [disk({ Timestamp_Sys100NS: 2e9, DiskReadBytesPersec: 5 })])).toEqual([])
  })
  it('are named as elsewhere; not told is not none', () => {
    expect(drivesNamed({ diskUse: [disk({ Name: '1 D: E:' }), disk()] })).toEqual(['PhysicalDrive0', 'PhysicalDrive1'])
    expect(drivesNamed({})).toBeUndefined()
  })
})

it('thermal zones are in tenths of a kelvin', () => {
  const zone = (CurrentTemperature: number, CriticalTripPoint: number | null = null) => ({
    InstanceName: 'ACPI\\ThermalZone\\TZ00_0',
    CurrentTemperature,
    CriticalTripPoint,
  })
  const { readings, sensors } = temperaturesOf({ zones: [zone(3182, 3782)] })
  expect(readings[0]![2]).toBeCloseTo(45.05, 6)
  expect(sensors).toEqual([{ name: 'ACPI\\ThermalZone\\TZ00_0', critical: 105 }])
  expect(temperaturesOf({ zones: [zone(0)] }).readings).toEqual([])
})

it('the speed of a link is that of its slower way; one that does not know says the most there is', () => {
  const adapter = (Name: string) => ({
    Name,
    ReceivedBytes: 0,
    SentBytes: 0,
    ReceivedPacketErrors: 0,
    ReceivedDiscardedPackets: 0,
    OutboundPacketErrors: 0,
    OutboundDiscardedPackets: 0,
  })
  const speed = (Name: string, receive: number | null, transmit: number | null) => ({
    Name,
    ReceiveLinkSpeed: receive,
    TransmitLinkSpeed: transmit,
    FullDuplex: true,
  })
  expect(
    linksOf({
      adapters: [adapter('Ethernet'), adapter('Wi-Fi'), adapter('VPN'), adapter('Gone')],
      speeds: [speed('Ethernet', 1e9, 1e9), speed('Wi-Fi', 866e6, 400e6), speed('VPN', 2 ** 64, 2 ** 64)],
    }),
  ).toEqual([{ name: 'Ethernet', speed: 1e9 }, { name: 'Wi-Fi', speed: 400e6 }, { name: 'VPN' }, { name: 'Gone' }])
})
