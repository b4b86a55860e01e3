import { mkdirSync, mkdtempSync, rmSync, symlinkSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { dirname, join } from 'node:path'
import { afterEach, beforeEach, describe, expect, it } from 'vitest'
import { loadOf } from '../linkLoad'
import { driveNames, drivesUse, parseDriveCounters, useBetween } from './drivesUse'
import { speedOf } from './network'
import { parseOpenFiles } from './performance'
import { temperatures } from './sensors'

let root: string
beforeEach(() => {
  root = mkdtempSync(join(tmpdir(), 'custode-hardware-'))
})
afterEach(() => rmSync(root, { recursive: true }))
function put(files: Readonly<Record<string, string>>): void {
  for (const [path, text] of Object.entries(files)) {
    mkdirSync(dirname(join(root, path)), { recursive: true })
    writeFileSync(join(root, path), `${text}\n`)
  }
}

describe('drives', () => {
  // The example of Documentation/admin-guide/iostats.rst of the kernel, from memory.
  const line = '   3    0   hda 446216 784926 9550688 4382310 424847 312726 5922052 19310380 0 3376340 23705160'
  it('are counted as the kernel documents it', () => {
    expect(parseDriveCounters(`${line}\n`)).toEqual(
      new Map([
        [
          'hda',
          {
            reads: 446_216,
            sectorsRead: 9_550_688,
            readTime: 4_382_310,
            writes: 424_847,
            sectorsWritten: 5_922_052,
            writeTime: 19_310_380,
            pending: 0,
            busy: 3_376_340,
          },
        ],
      ]),
    )
  })
  it('a line of partitions as older kernels wrote it, and anything else, is none', () => {
    expect(parseDriveCounters('   3    1   hda1 35486 38030 38030 38030\n\nnonsense\n').size).toBe(0)
  })
  const none = {
    reads: 0,
    sectorsRead: 0,
    readTime: 0,
    writes: 0,
    sectorsWritten: 0,
    writeTime: 0,
    pending: 0,
    busy: 0,
  }
  it('their latency is the time of what ended, by its number; rates are of 512 bytes a sector', () => {
    const now = { ...none, reads: 30, readTime: 90, writes: 10, writeTime: 110, busy: 500 }
    expect(useBetween(none, { ...now, sectorsRead: 2000, sectorsWritten: 4 }, 2000)).toEqual({
      busy: 0.25,
      latency: 5,
      read: 512_000,
      written: 1024,
    })
  })
  it('one that has nothing to do waits for nothing; one that hangs does, all the time', () => {
    expect(useBetween(none, none, 60_000)!.latency).toBe(0)
    const hanging = { ...none, pending: 3, busy: 100 }
    expect(useBetween(hanging, { ...hanging, busy: 60_100 }, 60_000)).toMatchObject({ latency: 60_000, busy: 1 })
    // Something has only just been asked of it.
    expect(useBetween(none, { ...none, pending: 1 }, 60_000)!.latency).toBe(0)
  })
  it('counters that began anew say nothing', () => {
    expect(useBetween({ ...none, reads: 5 }, none, 1000)).toBeNull()
    expect(useBetween(none, none, 0)).toBeNull()
  })
  it('are what data lies on: no files, no memory, no empty trays, no second path to the same', () => {
    const block = (name: string, size: string, more: Record<string, string> = {}) =>
      Object.fromEntries(Object.entries({ size, ...more }).map(([file, text]) => [`sys/block/${name}/${file}`, text]))
    put({
      ...block('sda', '1000', { 'device/model': 'X' }),
      ...block('sdb', '0', { 'device/model': 'card reader' }),
      ...block('sr0', '2097151', { 'device/model': 'DVD' }),
      ...block('loop0', '1000'),
      ...block('zram0', '1000'),
      ...block('dm-0', '1000'),
      ...block('md0', '1000'),
      ...block('nvme0n1', '1000', { 'device/model': 'Y', hidden: '0' }),
      ...block('nvme0c1n1', '1000', { 'device/model': 'Y', hidden: '1' }),
      ...block('mmcblk0boot0', '1000', { 'device/type': 'MMC' }),
    })
    expect(driveNames(root)).toEqual(['md0', 'nvme0n1', 'sda'])
  })
  it('the first look has no readings; the second has all four of each', () => {
    put({
      'sys/block/sda/size': '1000',
      'sys/block/sda/device/model': 'X',
      'proc/diskstats': '   8  0 sda 10 0 100 50 0 0 0 0 0 20 50 0 0 0 0 0 0',
    })
    const first = drivesUse(null, 1000, root)
    expect([first.readings, first.facts]).toEqual([[], { blocks: ['sda'] }])
    put({ 'proc/diskstats': '   8  0 sda 20 0 200 150 0 0 0 0 0 520 150 0 0 0 0 0 0' })
    expect(drivesUse(first.counted, 2000, root).readings).toEqual([
      ['io.busy', 'sda', 0.5],
      ['io.latency', 'sda', 10],
      ['io.read', 'sda', 51_200],
      ['io.written', 'sda', 0],
    ])
  })
})

describe('temperatures', () => {
  const chip = (number: number, name: string, device: string, files: Record<string, string>) => {
    put(
      Object.fromEntries(
        Object.entries({ name, ...files }).map(([file, text]) => [`sys/class/hwmon/hwmon${number}/${file}`, text]),
      ),
    )
    mkdirSync(join(root, 'devices', device), { recursive: true })
    symlinkSync(join(root, 'devices', device), join(root, `sys/class/hwmon/hwmon${number}/device`))
  }
  it('are the hottest place of each chip, with where that becomes dangerous', () => {
    chip(0, 'coretemp', 'a', { temp1_input: '41000', temp1_crit: '100000', temp2_input: '57500', temp2_crit: '100000' })
    expect(temperatures(root)).toEqual({
      readings: [['temperature', 'coretemp', 57.5]],
      sensors: [{ name: 'coretemp', critical: 100 }],
    })
  })
  it('inputs that nothing is connected to, that are faulty or that refuse are none', () => {
    chip(0, 'nct6775', 'a', {
      temp1_input: '-128000',
      temp2_input: '127500',
      temp3_input: '90000',
      temp3_fault: '1',
      temp4_input: '36000',
      temp4_crit: '0',
      temp5_input: 'nonsense',
    })
    chip(1, 'empty', 'b', { temp1_input: '' })
    expect(temperatures(root)).toEqual({
      readings: [['temperature', 'nct6775', 36]],
      sensors: [{ name: 'nct6775' }],
    })
  })
  it('two chips of one name are told apart by where they are, whichever number they got at the start', () => {
    chip(0, 'nvme', 'pci-2', { temp1_input: '60000' })
    chip(1, 'nvme', 'pci-1', { temp1_input: '40000' })
    expect(temperatures(root).readings).toEqual([
      ['temperature', 'nvme', 40],
      ['temperature', 'nvme 2', 60],
    ])
  })
  it('of zones where there are no chips; of nothing where there is nothing', () => {
    expect(temperatures(root)).toEqual({ readings: [], sensors: [] })
    put({ 'sys/class/thermal/thermal_zone0/type': 'cpu-thermal', 'sys/class/thermal/thermal_zone0/temp': '48312' })
    expect(temperatures(root).readings).toEqual([['temperature', 'cpu-thermal', 48.312]])
  })
})

describe('links', () => {
  const link = (speed: string, duplex: string) =>
    put({ 'sys/class/net/eth0/speed': speed, 'sys/class/net/eth0/duplex': duplex })
  it('tell their speed, or do not', () => {
    expect(speedOf('eth0', root)).toBeNull()
    link('1000', 'full')
    expect(speedOf('eth0', root)).toEqual({ speed: 1e9, isHalf: false })
    link('100', 'half')
    expect(speedOf('eth0', root)).toEqual({ speed: 1e8, isHalf: true })
    for (const unknown of ['-1', '4294967295', '65535', '0', '']) {
      link(unknown, 'unknown')
      expect(speedOf('eth0', root)).toBeNull()
    }
  })
  it('are loaded by the busier direction, or by both where only one goes at a time', () => {
    expect(loadOf(50e6, 10e6, { speed: 1e9, isHalf: false })).toBe(0.4)
    expect(loadOf(5e6, 5e6, { speed: 1e8, isHalf: true })).toBe(0.8)
    expect(loadOf(500e6, 0, { speed: 1e9, isHalf: false })).toBe(1)
  })
})

it('open files are the first of the three', () => {
  expect(parseOpenFiles('2368\t0\t9223372036854775807\n')).toBe(2368)
  expect(parseOpenFiles('')).toBeNull()
})
