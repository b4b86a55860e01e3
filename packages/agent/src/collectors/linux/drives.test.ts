import { spawnSync } from 'node:child_process'
import { mkdirSync, mkdtempSync, readFileSync, rmSync, utimesSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterEach, describe, expect, it } from 'vitest'
import { hour } from '#core'
import { drivesScript, noSmartctl } from '../../install/rootTimers/drives'
import { mdArrays, parsePools } from './arrays'
import { drivesCollector, parseTold } from './drives'
import { nameOf, parseDrive, parseScan } from './smart'

const folder = mkdtempSync(join(tmpdir(), 'custode-drives-'))
afterEach(() => rmSync(folder, { recursive: true, force: true }))

// Names of fields as smartctl 7.2 to 7.4 has them; ATA drives are held against the program itself on real hosts.
const json = (fields: object) => JSON.stringify({ smartctl: { exit_status: 0 }, model_name: 'LF', ...fields })
const attribute = (id: number, name: string, raw: number, value = 100) => ({ id, name, value, raw: { value: raw } })

describe('a drive by what smartctl says', () => {
  it.each<[string, object, object]>([
    [
      'ATA, which turns',
      {
        rotation_rate: 7200,
        smart_status: { passed: true },
        ata_smart_attributes: {
          table: [
            attribute(5, 'Reallocated_Sector_Ct', 16),
            attribute(197, 'Current_Pending_Sector', 1),
            attribute(198, 'Offline_Uncorrectable', 0),
          ],
        },
      },
      { media: 'hdd', passed: true, reallocated: 16, pending: 1, uncorrectable: 0 },
    ],
    [
      'ATA, which wears',
      {
        rotation_rate: 0,
        smart_status: { passed: true },
        ata_smart_attributes: { table: [attribute(231, 'SSD_Life_Left', 0, 97)] },
      },
      { media: 'ssd', passed: true, worn: 0.03 },
    ],
    [
      'NVMe, with a warning of its maker',
      {
        smart_status: { passed: false },
        nvme_smart_health_information_log: {
          critical_warning: 0b1001,
          available_spare: 4,
          available_spare_threshold: 10,
          percentage_used: 104,
          media_errors: 3,
        },
      },
      {
        media: 'ssd',
        passed: false,
        uncorrectable: 3,
        worn: 1.04,
        spare: 0.04,
        spareLeast: 0.1,
        warnings: ['spare', 'read-only'],
      },
    ],
    [
      'SCSI',
      {
        rotation_rate: 10_000,
        smart_status: { passed: true },
        scsi_grown_defect_list: 2,
        scsi_error_counter_log: { read: { total_uncorrected_errors: 1 }, write: { total_uncorrected_errors: 2 } },
      },
      { media: 'hdd', passed: true, reallocated: 2, uncorrectable: 3 },
    ],
    ['one that gives no verdict', { rotation_rate: 7200 }, { media: 'hdd', passed: null }],
    [
      'one that cannot be opened',
      {
        smartctl: {
          exit_status: 2,
          messages: [{ string: 'Smartctl open device: /dev/sda failed: Permission denied', severity: 'error' }],
        },
      },
      { media: 'unknown', passed: null, trouble: 'Smartctl open device: /dev/sda failed: Permission denied' },
    ],
    [
      'one whose maker counts otherwise',
      {
        rotation_rate: 0,
        smart_status: { passed: true },
        ata_smart_attributes: { table: [attribute(231, 'SSD_Life_Left', 0, 253), attribute(5, 'X', 2 ** 60)] },
      },
      { worn: 0, reallocated: Number.MAX_SAFE_INTEGER },
    ],
    // Bits 3 to 7 say how the drive is, not whether it could be asked.
    ['one that fails', { smartctl: { exit_status: 0b11000 }, smart_status: { passed: false } }, { passed: false }],
  ])('%s', (_, said, expected) => {
    expect(parseDrive('sda', json(said))).toMatchObject({ name: 'sda', model: 'LF', ...expected })
  })
  it('that sleeps is not woken', () => {
    const messages = [{ string: 'Device is in STANDBY mode, exit(2)', severity: 'information' }]
    expect(parseDrive('sda', json({ smartctl: { exit_status: 2, messages } }))).toBeNull()
  })
  it('that does not answer in JSON is said to be so', () => {
    expect(() => parseDrive('sda', 'smartctl 6.6 …')).toThrow(/version 7/)
  })
  it('has the name that the system has for it', () => {
    const scanned = {
      devices: [
        { name: '/dev/sda', type: 'sat' },
        { name: '/dev/bus/0', type: 'megaraid,3' },
      ],
    }
    expect(parseScan(json(scanned)).map(({ path, type }) => nameOf(path, type))).toEqual(['sda', 'bus/0 megaraid,3'])
  })
})

describe('what root has written of the drives', () => {
  const file = join(folder, 'drives')
  const write = (text: string, ago = 0) => {
    mkdirSync(folder, { recursive: true })
    writeFileSync(file, text)
    utimesSync(file, new Date(Date.now() - ago), new Date(Date.now() - ago))
  }
  const collect = async (collector = drivesCollector(file)) =>
    (await collector.collect(Date.now())).facts!.drives!.drives
  const line = (path: string, fields: object) => `${path} -d sat\t${json(fields)}\n`

  it('is read drive by drive; one that said nothing costs only itself', async () => {
    write(`${line('/dev/sda', { smart_status: { passed: true } })}/dev/sdb -d sat\t\n`)
    expect(await collect()).toMatchObject([
      { name: 'sda', passed: true },
      { name: 'sdb', passed: null, trouble: 'it did not answer within a minute' },
    ])
    expect(parseTold(`${noSmartctl}\n`)).toBeNull()
  })
  it('is not how they are now when it is old', async () => {
    let time = 0
    const collector = drivesCollector(file, '', () => time)
    // By the clock of the day it is old: the machine has slept, and its timer comes soon.
    write(line('/dev/sda', { smart_status: { passed: true } }), 12 * hour)
    expect(await collect(collector)).toHaveLength(1)
    time = 4 * hour
    await expect(collect(collector)).rejects.toThrow(/not asked for 4 h/)
    write(line('/dev/sda', { smart_status: { passed: true } }))
    expect(await collect(collector)).toHaveLength(1)
  })
  it('is nothing new before it was written once', async () => {
    write('')
    const timer = file
    let time = 0
    const collector = drivesCollector(join(folder, 'nothing'), timer, () => time)
    expect(await collector.collect(Date.now())).toEqual({})
    time = hour
    await expect(collect(collector)).rejects.toThrow(/not asked yet/)
  })
  it('tells of a drive once that was found in two ways', async () => {
    write(line('/dev/sda', { smart_status: { passed: true } }) + line('/dev/sda', { smart_status: { passed: true } }))
    expect(await collect()).toHaveLength(1)
  })
  it('tells of one that is not found any more, and of one that sleeps as it was', async () => {
    const collector = drivesCollector(file)
    const well = { smart_status: { passed: true } }
    write(line('/dev/sda', well) + line('/dev/sdb', { smart_status: { passed: false } }))
    await collect(collector)
    const messages = [{ string: 'Device is in STANDBY mode, exit(2)', severity: 'information' }]
    write(line('/dev/sda', { smartctl: { exit_status: 2, messages } }))
    expect(await collect(collector)).toMatchObject([
      { name: 'sda', passed: true },
      { name: 'sdb', passed: null, trouble: 'it is not found any more' },
    ])
  })
})

describe('root’s script', () => {
  const script = join(folder, 'script')
  /** Runs it with a smartctl that does this. */
  const run = (smartctl: string) => {
    mkdirSync(join(folder, 'bin'), { recursive: true })
    writeFileSync(script, drivesScript)
    writeFileSync(join(folder, 'bin/smartctl'), `#!/bin/sh\n${smartctl}\n`, { mode: 0o755 })
    const env = { ...process.env, PATH: `${join(folder, 'bin')}:${process.env.PATH}` }
    return spawnSync('/bin/sh', [script, folder], { env }).status
  }
  const drives = () => readFileSync(join(folder, 'drives'), 'utf8')

  it('writes a line for each drive that is found', () => {
    expect(run('case "$1" in --scan) echo "/dev/sda -d sat # one";; *) echo "{}"; exit 64;; esac')).toBe(0)
    expect(drives()).toBe('/dev/sda -d sat\t{}\n')
  })
  it('leaves what it has written where drives cannot be looked for: that there are none it does not know', () => {
    run('case "$1" in --scan) echo "/dev/sda -d sat # one";; *) echo "{}";; esac')
    expect(run('exit 1')).not.toBe(0)
    expect(drives()).toBe('/dev/sda -d sat\t{}\n')
  })
  it('where there are none writes none', () => {
    expect(run('exit 0')).toBe(0)
    expect(drives()).toBe('')
  })
})

// Linux kernel, Documentation/admin-guide/md.rst: names and words of the files. No RAID could be made where this was
// written.
describe('an array', () => {
  it.each<[Record<string, string>, object]>([
    [{ array_state: 'clean', degraded: '0', sync_action: 'idle', sync_completed: 'none' }, { state: 'well' }],
    [
      { array_state: 'active', degraded: '1', sync_action: 'idle' },
      { state: 'degraded', missing: 1 },
    ],
    [
      { array_state: 'active', degraded: '1', sync_action: 'recover', sync_completed: '260000 / 1000000' },
      { state: 'rebuilding', progress: 0.25 },
    ],
    [
      { array_state: 'clean', degraded: '0', sync_action: 'check', sync_completed: '10 / 20' },
      { state: 'checking', progress: 0.5 },
    ],
    [{ array_state: 'inactive' }, { state: 'failed' }],
    [
      { array_state: 'broken', level: 'raid0' },
      { state: 'failed', level: 'raid0' },
    ],
  ])('of the kernel: %j', (files, expected) => {
    const blocks = join(folder, 'block')
    const md = join(blocks, 'md0/md')
    mkdirSync(md, { recursive: true })
    mkdirSync(join(blocks, 'sda'), { recursive: true })
    for (const [name, text] of Object.entries({ level: 'raid1', raid_disks: '2', ...files }))
      writeFileSync(join(md, name), `${text}\n`)
    expect(mdArrays(blocks)).toMatchObject([{ name: 'md0', members: 2, level: 'raid1', ...expected }])
  })
  it('of ZFS: the states of zpoolconcepts(7)', () => {
    expect(
      parsePools('tank\tONLINE\nold\tDEGRADED\ngone\tUNAVAIL\nodd\tNEW\n').map(({ name, state }) => [name, state]),
    ).toEqual([
      ['tank', 'well'],
      ['old', 'degraded'],
      ['gone', 'failed'],
      ['odd', 'unknown'],
    ])
  })
})
